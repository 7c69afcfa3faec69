"""What a run in parts tells: its account, for people and programs, its progress, and what became of lost work."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import nullcontext
from pathlib import Path
from typing import Any

import msgspec
import pytest

import wetcomb
from wetcomb import Comb, Fits, InputError, Split, UsageError, render_comb
from wetcomb.cli.main import main
from wetcomb.jobs.cluster import engines, grouping, job
from wetcomb.jobs.cluster.inputs import list_texts, read_list
from wetcomb.jobs.cluster.recipe import Recipe, TextAt
from wetcomb.jobs.settings import JobSettings
from wetcomb.views.parts import PartsFacts, build_parts, tell_progress
from wetcomb.views.terminal import make_console, render_blocks

COMB = Comb((Split(delimiter=("comma",), quote=("double",), heading="first", fields=2),), fits=Fits(columns=("no", "boat")))  # fmt: skip
TEXT = "no,boat\n1,Tansy\n2,Plover,late\n"


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A folder with a comb and three texts, one of which does not fit; this process does all tasks."""
    monkeypatch.chdir(tmp_path)
    monkeypatch.setattr(job, "open_engine", lambda _: nullcontext(engines.HereEngine()))
    Path("c.toml").write_text(render_comb(COMB), encoding="utf-8")
    for name, text in (("a.txt", TEXT), ("b.txt", "Lock;Level\n1;2\n"), ("c.txt", TEXT)):
        Path(name).write_text(text)
    return tmp_path


def run(*words: str) -> int:
    return main(["rebuild", *words, "--comb", "c.toml", "--cluster", "local:2", "-o", "out/"])


def test_the_account_is_for_people_and_for_programs(folder: Path, capsys: Any) -> None:
    assert run("*.txt") == 1
    said = capsys.readouterr().err
    for line in (
        "wetcomb: each record can be combed by itself; no text is cut into pieces of 32 MiB",
        "read a.txt (utf-8, proved), c.txt (utf-8, proved): 6 lines, 60 characters",
        "records 4 records of 3 columns: no, boat, rest",
        "snags 2 records of 4 do not fit",
        "set aside b.txt: does not fit: its heading is not the comb's (missing: no, boat; new: Lock;Level, field-2)",
        "1 of 3 texts; out/_set-aside.txt lists them, for --inputs-from",
        "written out/part-000001.csv: 1 part",
    ):
        assert line in said
    assert run("*.txt", "--account", "json") == 1
    told = msgspec.json.decode(capsys.readouterr().err)
    assert told["records"] == 4 and told["written"] == ["out/part-000001.csv"]
    assert told["parts"] == {"written": 1, "kept": 1, "removed": 0}
    assert [one["name"] for one in told["set_aside"]] == ["b.txt"]
    assert run("*.txt", "--quiet") == 1 and capsys.readouterr().err == ""
    assert run("a.txt", "c.txt", "--force") == 0  # no text is set aside any more, nor listed
    assert not Path("out/_set-aside.txt").exists()
    assert run("a.txt", "c.txt", "--strict") == 1  # two records do not fit


def test_what_was_set_aside_can_be_handed_to_another_comb(folder: Path, capsys: Any) -> None:
    run("*.txt", "--quiet")
    assert read_list(Path("out/_set-aside.txt")) == ["b.txt"]
    other = Comb((Split(delimiter=("semicolon",), heading="first"),))
    Path("d.toml").write_text(render_comb(other), encoding="utf-8")
    call = ["rebuild", "--inputs-from", "out/_set-aside.txt", "--comb", "d.toml"]
    assert main([*call, "-o", "levels.csv", "--quiet"]) == 0
    assert Path("levels.csv").read_text() == "Lock,Level\n1,2\n"
    assert main([*call, "--cluster", "local:1", "-o", "levels/", "--quiet"]) == 0
    assert Path("levels/part-000001.csv").read_text() == "Lock,Level,rest\n1,2,\n"
    assert main([*call, "--cluster", "local:1", "-o", "out/", "--quiet"]) == 2
    assert "a run with another comb wrote its parts here" in capsys.readouterr().err


def test_a_call_does_what_the_command_does(folder: Path) -> None:
    done = COMB.run_many("*.txt", "out")
    assert [part.read_text() for part in done.parts] == [
        "no,boat,source_file,rest\n1,Tansy,a.txt,\n2,Plover,a.txt,late\n1,Tansy,c.txt,\n2,Plover,c.txt,late\n"
    ]
    assert (done.report.records, done.report.snags["long"], [*done.aside], done.n_kept) == (4, 2, ["b.txt"], 0)  # fmt: skip
    assert wetcomb.run_many(COMB, [Path("a.txt"), "b.txt", "c.txt"], "out", client="local:1").n_kept == 1  # fmt: skip
    unchecked = COMB.run_many(["a.txt", "b.txt"], "more", is_checked=False)
    assert unchecked.aside == {"b.txt": "its columns (Lock;Level, field-2) are not those of a.txt (no, boat)"}  # fmt: skip
    with pytest.raises(UsageError, match="--part-size 0"):
        COMB.run_many("a.txt", "less", part_size=0)
    with pytest.raises(InputError, match="no such file"):
        COMB.run_many("e.txt", "less")
    assert not Path("less").exists()


class Losing(engines.HereEngine):
    """Loses some tasks, as if each worker that had them died."""

    def __init__(self, lost: Callable[[tuple[Any, ...]], bool]) -> None:
        super().__init__()
        self._lost = lost

    def submit(self, work: Callable[..., Any], *words: Any) -> object:
        def lose(*_: Any) -> None:
            raise engines.LostTask

        return super().submit(lose if self._lost(words) else work, *words)


def test_a_text_that_takes_its_workers_with_it_is_set_aside(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:  # fmt: skip
    monkeypatch.setattr(grouping, "_FIRST", 1)
    monkeypatch.setattr(grouping, "_MOST_BUNDLED", 1)
    settings = JobSettings(inputs=["a.txt", "c.txt"], folder=Path("out"), cluster="x", no_source_file=True)  # fmt: skip
    for lost, kept in (("c.txt", "a.txt"), ("a.txt", "c.txt")):
        made = job.ClusterJob(replace_folder(settings, f"out-{lost}"), COMB)
        done = made.run(Losing(lambda words, lost=lost: words[1][0].name == lost), lambda _: None)
        assert [told.name for told in done.aside] == [lost] and len(done.parts) == 1
        assert "each worker that combed it died" in done.aside[0].why
        assert [told.name for told in done.texts if not told.why] == [kept]
        assert done.report.records == 2 and made.find_status(done) == 1


def replace_folder(settings: JobSettings, folder: str) -> JobSettings:
    return msgspec.structs.replace(settings, folder=Path(folder))


@pytest.mark.parametrize(
    ("sizes", "parts", "groups"),
    [
        ([10] * 3, 1, [3]),
        ([10] * 20, 2, [16, 4]),  # the first is short: the others wait for it
        ([10, 5 << 20, 10], 3, [1, 1, 1]),  # one that is not held makes a part by itself
        ([3 << 20] * 5, 2, [3, 2]),
        ([15 << 20, 40 << 20], 5, [1, 1]),  # ten MiB a part: one and a half are not cut
    ],
)
def test_texts_are_grouped_by_their_sizes(sizes: list[int], parts: int, groups: list[int]) -> None:
    recipe = Recipe(COMB, JobSettings(inputs=[], folder=Path("x")), "/x", 10 << 20, "1")
    texts = [TextAt(f"{k}", f"/{k}", size, 0) for k, size in enumerate(sizes)]
    assert [len(own) for own in grouping.group_texts(recipe, texts)] == groups
    assert grouping.count_parts(recipe, texts) == parts


def test_patterns_name_texts_in_order(folder: Path) -> None:
    assert [text.name for text in list_texts(["c.txt", "[ab].txt"])] == ["c.txt", "a.txt", "b.txt"]
    Path("odd[1].txt").write_text(TEXT)  # a file of that very name is meant before a pattern
    assert [text.name for text in list_texts(["odd[1].txt"])] == ["odd[1].txt"]
    with pytest.raises(UsageError, match="is named twice"):
        list_texts(["a.txt", "*.txt"])


def test_many_that_were_set_aside_are_told_shortly(capsys: Any) -> None:
    aside = [(f"t{k}.txt", "this is empty") for k in range(30)]
    facts = PartsFacts("out", ["part-000001.csv", "part-000009.csv"], 1, 2, 99, aside, "out/_set-aside.txt")  # fmt: skip
    import sys

    render_blocks(make_console(sys.stderr, has_color=False), build_parts(facts))
    said = capsys.readouterr().err
    assert "t9.txt: this is empty" in said and "t10.txt" not in said
    assert "and 20 more; --account full tells all" in said
    assert "out/part-000001.csv to part-000009.csv: 2 parts, of which 1 was there already" in said
    assert "2 parts of an earlier run, which no text makes any more, were taken away" in said
    told = tell_progress(3, 9, 1200, 1, "mails/a.txt", 2.34)
    assert told == "3 of 9 parts, 1,200 records, 1 snag; slowest mails/a.txt, 2.3 s"
