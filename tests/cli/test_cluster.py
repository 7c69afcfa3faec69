"""Many texts, and long ones, in parts: the same records and the same account, whoever does which task when."""

from __future__ import annotations

import base64
import pickle
import random
import shlex
from collections.abc import Callable
from contextlib import nullcontext
from pathlib import Path
from typing import Any

import msgspec
import pyarrow.dataset
import pytest
from hypothesis import HealthCheck, Phase, example, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from cli.test_crew import LINES, texts
from wetcomb import (  # fmt: skip
    Clean,
    Comb,
    Glue,
    OutputError,
    Realign,
    Split,
    Unwrap,
    UsageError,
    load_comb,
    render_comb,
)
from wetcomb.cli.main import main
from wetcomb.files import source
from wetcomb.jobs import shares
from wetcomb.jobs.cluster import engines, grouping, job, long_text, tasks
from wetcomb.jobs.cluster.journal import _Line as Line
from wetcomb.jobs.settings import JobSettings
from wetcomb.views.account_data import describe_run

HEADING = LINES[7]
COMMA = Split(delimiter=("comma",), quote=("double",), heading="first")
BARE = Split(delimiter=("comma",), quote=("none",), heading="first")
#: Chains of every reach: each record by itself, with the next, with what stands before, the whole.
CHAINS = {
    "commas": (COMMA,), "no marks": (BARE,), "taken": (replace(COMMA, take=("2", "1")),),
    "edges": (Split(edges=(2, 5), heading="first", wrapped=True),),
    "starts": (Unwrap(starts=("{digits},",)), COMMA), "indent": (Unwrap(indent=True), BARE),
    "read anew": (COMMA, Realign(shape=("no={digits}",), optional=("boat",))),
    "carried": (COMMA, Clean(carry=("boat",))), "once": (COMMA, Clean(drop_repeats=True)),
    "sorted": (COMMA, Clean(sort=("no",))), "grouped": (replace(COMMA, group=("{words as place}",)),),
    "told": (COMMA, Clean(number=("no=1",), strip=("boat=T",), take_out=("notice=t",))),
    "counted": (COMMA, Clean(must=("records=8",))),
}  # fmt: skip


class Shuffled(engines.HereEngine):
    """Does what is handed in in any order, some of it twice, as if a worker had died behind it."""

    def __init__(self, seed: int, slots: int) -> None:
        super().__init__()
        self._random, self._slots = random.Random(seed), slots

    def count_slots(self) -> int:
        return self._slots

    def wait(self) -> list[tuple[object, Callable[[], Any]]]:
        handle, do = self._waiting.pop(self._random.randrange(len(self._waiting)))
        if self._random.random() < 0.3:
            do()
        return [(handle, do)]


@pytest.fixture
def small(monkeypatch: pytest.MonkeyPatch) -> None:
    """Make a text of a few lines a long one."""
    monkeypatch.setattr(job, "_MIB", 100)
    monkeypatch.setattr(shares, "SHARE", 60)
    monkeypatch.setattr(tasks, "SHARE", 60)
    monkeypatch.setattr(tasks, "FIRST_SHARE", 24)
    monkeypatch.setattr(tasks, "HELD", 90)
    monkeypatch.setattr(grouping, "HELD", 90)
    monkeypatch.setattr(long_text, "_SURVEYED", 2)
    monkeypatch.setattr(long_text, "_AHEAD", 3)
    monkeypatch.setattr(shares, "_PROBE", 30)
    monkeypatch.setattr(shares, "_WINDOW", 40)
    monkeypatch.setattr(source, "BLOCK_SIZE", 32)
    monkeypatch.setattr(source, "HEAD_BYTES", 16)
    monkeypatch.setattr(tasks, "HEAD_BYTES", 16)
    monkeypatch.setattr("wetcomb.steps.realign.advice_sample._MOST", 5)


def run_parts(
    folder: Path, names: list[str], comb: Path, engine: engines.Engine, **options: Any
) -> tuple[job.ClusterJob, Any]:
    options = {
        "folder": folder / "parts",
        "part_size": 1,
        "cluster": "x",
        "with_source": True,
        **options,
    }
    given = JobSettings(inputs=[str(folder / name) for name in names], **options)
    made = job.ClusterJob(given, load_comb(comb), is_checked=False)
    return made, made.run(engine, lambda _: None)


def join(folder: Path) -> str:
    """Return all parts as one table."""
    parts = sorted((folder / "parts").glob("part-*"))
    whole = [part.read_bytes().decode() for part in parts]
    headings = {one.partition("\n")[0] for one in whole}
    assert len(headings) < 2
    return "".join(one if not k else one.partition("\n")[2] for k, one in enumerate(whole))


@settings(
    deadline=None,
    max_examples=35,
    phases=[Phase.explicit, Phase.reuse, Phase.generate],
    suppress_health_check=list(HealthCheck),
    report_multiple_bugs=False,
)
@given(
    many=st.lists(texts, min_size=1, max_size=4),
    end=st.sampled_from(["", "10,last,one"]),
    chain=st.sampled_from(sorted(CHAINS)),
    seed=st.integers(0, 1000),
    slots=st.integers(1, 3),
    is_bare=st.booleans(),
    times=st.sampled_from([1, 4]),
    encoding=st.sampled_from(["utf-8", "utf-8", "cp1252"]),
)
@example([LINES[2] * 12], "", "commas", 1, 2, False, 4, "utf-8")
@example([LINES[2] * 12, LINES[8] * 9], "10,last,one", "commas", 5, 3, True, 4, "cp1252")
def test_parts_make_what_one_process_makes(
    small: None, tmp_path_factory: pytest.TempPathFactory, capsys: Any, many: list[str], end: str, chain: str, seed: int, slots: int, is_bare: bool, times: int, encoding: str
) -> None:  # fmt: skip
    folder = tmp_path_factory.mktemp("run")
    comb = folder / "c.toml"
    comb.write_text(render_comb(Comb(CHAINS[chain])), encoding="utf-8")
    for place, text in enumerate(many):
        raw = (HEADING + text * times + end).encode(encoding, "surrogateescape")
        (folder / f"t{place}.txt").write_bytes(raw)
    names = [f"t{place}.txt" for place in range(len(many))]
    made, done = run_parts(folder, names, comb, Shuffled(seed, slots), no_source_file=is_bare)
    again = run_parts(folder, names, comb, Shuffled(seed + 1, slots), no_source_file=is_bare)[1]
    assert describe_run(again.report, made.describe(again, [])[0]) == describe_run(done.report, made.describe(done, [])[0])  # fmt: skip
    fitting = [told.name for told in done.texts if not told.why]
    capsys.readouterr()
    call = ["rebuild", *fitting, "--comb", str(comb), "--unchecked", "--stream", "--with-source"]
    call += ["--account", "json", "--processes", "1"]
    call += ["--no-source-file"] * is_bare
    if not fitting:
        assert done.parts == []
        return
    if len(fitting) == 1 < len(many) and not is_bare:
        return  # one text by itself is not named in its table
    assert main(call) in (0, 1)
    said = capsys.readouterr()
    assert join(folder) == said.out
    account = msgspec.json.decode(said.err)
    mine = msgspec.json.decode(msgspec.json.encode(describe_run(done.report, made.describe(done, [])[0])))  # fmt: skip
    for key in ("settled", "written", "keep"):
        account.pop(key, None), mine.pop(key, None)
    if len(fitting) < len(many):  # the others are not named by one process
        for one in (account, mine):
            one.pop("snags", None), one.pop("lines_left_out", None), one.pop("read", None)
    assert mine == account


class Client:
    """A client of workers that look as they are said to."""

    def __init__(self, seen: dict[str, Any] | None) -> None:
        self._seen = seen

    def nthreads(self) -> dict[str, int]:
        return {} if self._seen is None else {"tcp://w": 1}

    def run(self, work: Callable[..., Any], folder: str, token: str, paths: list[str]) -> dict[str, Any]:  # fmt: skip
        assert self._seen is not None and (Path(folder) / token).is_file() and paths == ["/a", "/b"]
        return {"tcp://w": {"version": "1", "folder": "", "missing": "", **self._seen}}


@pytest.mark.parametrize(
    ("seen", "said"),
    [
        (None, "its scheduler has no workers; start some"),
        ({"version": ""}, "the worker tcp://w lacks the package; install it there"),
        ({"version": "0.0.9"}, "has version 0.0.9 of wetcomb, and this is 1; install the same"),
        ({"folder": "/f"}, "does not see .*; take a folder that all machines share"),
        ({"missing": "/b"}, "does not see /b; lay the texts where all machines see them"),
    ],
)
def test_workers_that_cannot_do_it_are_refused(
    tmp_path: Path, seen: dict[str, Any] | None, said: str
) -> None:
    engine = engines.DaskEngine(Client(seen), "tcp://s")
    (tmp_path / "_run").mkdir()
    with pytest.raises(UsageError, match=said):
        engine.check("1", tmp_path, ["/a", "/b"])
    assert [*(tmp_path / "_run").iterdir()] == []


TEXT = "no,boat\n1,Tansy\n2,Plover\n"
WORDS = "--comb c.toml --cluster local:1 -o out/"


@pytest.mark.parametrize(
    ("words", "said"),
    [
        ("a.txt --cluster local:1 -o out/", "--cluster runs a comb that is settled"),
        ("a.txt --comb c.toml --cluster local:1", "give one (-o tables/)"),
        ("a.txt --comb c.toml --cluster local:1 -o out.csv", "give one (-o tables/)"),
        (f"a.txt {WORDS} --cluster local", "it is local:N with N from 1 to 64"),
        (f"a.txt {WORDS} --cluster local:65", "it is local:N with N from 1 to 64"),
        (f"a.txt {WORDS} --cluster tcp://127.0.0.1:9", "no scheduler answers there"),
        (f"a.txt {WORDS} --cluster not:an:address", "no scheduler answers there"),
        (f"a.txt {WORDS} --part-size 0", "--part-size 0: it must be from 1 to 1024 (MiB)"),
        ("a.txt --comb c.toml -o out.csv --part-size 2", "--part-size is about the parts"),
        (f"a.txt {WORDS} --format xlsx", "parts of a table are csv, tsv, jsonl or parquet"),
        (f"a.txt {WORDS} --snags s.csv", "--snags FILE goes with one table in a file"),
        (f"a.txt {WORDS} --processes 2", "--processes and --cluster contradict each other"),
        (f"b.txt {WORDS}", "b.txt: no such file; nearest: 'a.txt'"),
        (f"*.log {WORDS}", "*.log: no file has a name like this"),
        (f"a.txt ./a.txt {WORDS}", "input './a.txt' is named twice"),
        (f". {WORDS}", ".: this is a folder; name its files"),
        (f"- {WORDS}", "standard input is one text that only this machine sees"),
        (f"--inputs-from none {WORDS}", "--inputs-from none: No such file"),
        (f"--inputs-from blank {WORDS}", "it lists no path"),
        (f"a.txt {WORDS} --comb tied.toml", "--fix names a line of one text"),
        (f"a.txt {WORDS} --comb lines.toml", "the comb makes lines of text"),
        (f"long.txt {WORDS} --comb sorted.toml --memory 1", "clean must see all of a text, and this has 1 MiB of at most 1"),
        (f"theirs/part-000001.csv {WORDS} -o theirs/", "this lies where the parts go; the source is never written over"),
        (f"a.txt {WORDS} -o theirs/", "part-000001.csv: this file is there already"),
        (f"a.txt {WORDS} -o theirs/ --force", "part-000001.csv: this file is there already"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_before_anything_starts(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: Any, words: str, said: str
) -> None:
    monkeypatch.chdir(tmp_path)
    monkeypatch.setattr(engines, "_SECONDS", 1)
    chains = {"c": (COMMA,), "tied": (COMMA, Clean(fix=("2:boat=Teal",))), "sorted": (COMMA, Clean(sort=("no",)))}  # fmt: skip
    chains["lines"] = (COMMA, Glue(with_=";", each_a_line=True))
    for name, steps in chains.items():
        Path(f"{name}.toml").write_text(render_comb(Comb(steps)), encoding="utf-8")
    Path("a.txt").write_text(TEXT)
    Path("long.txt").write_text(TEXT * 50_000)
    Path("blank").write_text("# a.txt\n\n")
    Path("theirs").mkdir()
    Path("theirs/part-000001.csv").touch()
    if "theirs" in words:  # the folder is looked at once workers are there
        monkeypatch.setattr(job, "open_engine", lambda _: nullcontext(engines.HereEngine()))
    before = sorted(tmp_path.rglob("*"))
    assert main(["rebuild", *shlex.split(words)]) == 2
    err = capsys.readouterr().err
    assert said in err and len(err.splitlines()) == 1, err
    assert [path for path in sorted(tmp_path.rglob("*")) if path not in before and "theirs" not in path.parts] == []  # fmt: skip


def test_a_journal_is_believed_as_far_as_it_goes(tmp_path: Path, small: None) -> None:
    (tmp_path / "c.toml").write_text(render_comb(Comb((COMMA,))), encoding="utf-8")
    (tmp_path / "a.txt").write_text(TEXT + "3,Heron\n" * 60)
    names, comb, here = ["a.txt"], tmp_path / "c.toml", engines.HereEngine

    def run(**options: Any) -> tuple[int, int]:
        made, done = run_parts(tmp_path, names, comb, here(), **options)
        return len(done.parts), made.current.progress.kept

    n_parts, _ = run()
    whole = join(tmp_path)
    assert n_parts > 3 and run() == (n_parts, n_parts)
    part, journal = tmp_path / "parts/part-000002.csv", tmp_path / "parts/_run/journal.jsonl"
    part.write_text("changed by somebody\n")
    assert run() == (n_parts, n_parts - 1) and join(tmp_path) == whole
    lines = journal.read_bytes().splitlines(keepends=True)
    outside = tmp_path / "precious.csv"
    outside.touch()
    astray = msgspec.structs.replace(
        msgspec.json.decode(lines[1], type=Line), part="../precious.csv"
    )
    evil = msgspec.json.decode(lines[1])
    evil["told"] = base64.b64encode(pickle.dumps(Evil(str(tmp_path / "made")))).decode()
    journal.write_bytes(b"".join([lines[0], msgspec.json.encode(evil) + b"\n", lines[2], b'{"part": "x"}\n', msgspec.json.encode(astray) + b"\n", *lines[3:-1], lines[-1][:50]]))  # fmt: skip
    assert run()[0] == n_parts and join(tmp_path) == whole and not (tmp_path / "made").exists()
    assert run() == (n_parts, n_parts)
    with pytest.raises(OutputError, match="a run with other options wrote its parts here"):
        run(missing_as="NA")
    assert run(missing_as="NA", force=True) == (n_parts, 0) and outside.exists()
    (tmp_path / "a.txt").write_text(TEXT)  # fewer parts: the others are taken away
    assert run(missing_as="NA") == (1, 0)
    assert [path.name for path in (tmp_path / "parts").glob("part*")] == ["part-000001.csv"]
    (tmp_path / "a.txt").write_text("")
    made, done = run_parts(tmp_path, names, comb, here(), missing_as="NA")
    assert [told.why for told in done.texts] == ["this is empty; there is nothing to rebuild"]
    assert done.parts == [] and made.find_status(done) == 1 and not [*(tmp_path / "parts").glob("part*")]  # fmt: skip


class Evil:
    def __init__(self, path: str) -> None:
        self.path = path

    def __reduce__(self) -> Any:
        return Path.touch, (Path(self.path),)


def test_a_text_that_goes_wrong_further_down_leaves_no_part(tmp_path: Path, small: None, monkeypatch: pytest.MonkeyPatch) -> None:  # fmt: skip
    """Even where it is the one that the table began with."""
    monkeypatch.setattr("wetcomb.combs.engine.MAX_RECORD", 200)
    (tmp_path / "c.toml").write_text(render_comb(Comb((COMMA,))), encoding="utf-8")
    (tmp_path / "a.txt").write_text(TEXT + "3,Heron\n" * 60 + '4,"' + "x" * 900)
    (tmp_path / "b.txt").write_text(TEXT * 9)
    (tmp_path / "c.txt").write_text(TEXT.replace("boat", "ship"))
    _, done = run_parts(tmp_path, ["a.txt", "b.txt", "c.txt"], tmp_path / "c.toml", Shuffled(1, 3), no_source_file=True)  # fmt: skip
    whys = [told.why for told in done.texts]
    assert "a record is longer than" in whys[0] and whys[1] == "" and "are not those of" in whys[2]
    assert join(tmp_path).splitlines()[1:4] == ["1,Tansy,2,2,", "2,Plover,3,3,", "1,Tansy,5,5,"]
    assert done.report.records == 18 and done.report.lines == 27


def test_a_value_that_a_part_cannot_hold_spoils_no_other_text(tmp_path: Path) -> None:
    """Nor does a place that takes no more bytes count as a fault of a text."""
    comb = Comb((COMMA, Clean(number=("no=1",))))
    (tmp_path / "c.toml").write_text(render_comb(comb), encoding="utf-8")
    (tmp_path / "a.txt").write_text(TEXT)
    (tmp_path / "b.txt").write_text(TEXT + "9" * 30 + ",Heron\n")
    (tmp_path / "c.txt").write_text("no,boat\n1.25,Heron\n")
    names = ["a.txt", "b.txt", "c.txt"]
    _, done = run_parts(tmp_path, names, tmp_path / "c.toml", engines.HereEngine(), format="parquet", no_source_file=True)  # fmt: skip
    assert [bool(told.why) for told in done.texts] == [False, True, False]
    assert "digits" in done.texts[1].why and done.report.records == 3
    table = pyarrow.dataset.dataset(tmp_path / "parts").to_table()
    assert table.column("boat").to_pylist() == ["Tansy", "Plover", "Heron"]
    assert [str(one.normalize()) for one in table.column("no").to_pylist()] == ["1", "2", "1.25"]


def test_a_place_that_is_full_stops_the_run(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:  # fmt: skip
    (tmp_path / "c.toml").write_text(render_comb(Comb((COMMA,))), encoding="utf-8")
    (tmp_path / "a.txt").write_text(TEXT)

    def refuse(self: Any, data: bytes) -> None:
        error = OSError(28, "No space left on device")
        raise self._refuse(error) from error

    monkeypatch.setattr("wetcomb.files.sinks.Sink.write", refuse)
    with pytest.raises(OutputError, match="No space left on device"):
        run_parts(tmp_path, ["a.txt"], tmp_path / "c.toml", engines.HereEngine())
    assert [*tmp_path.glob("parts/part*")] == []


class Blind(engines.HereEngine):
    """Does not see a file while it works."""

    def __init__(self, hidden: Path, *, for_good: bool) -> None:
        super().__init__()
        self._hidden, self._for_good = hidden, for_good

    def submit(self, work: Callable[..., Any], *words: Any) -> object:
        def grope(*_: Any) -> Any:
            beside = self._hidden.rename(self._hidden.with_suffix(".hidden"))
            try:
                return work(*words)
            finally:
                if not self._for_good:
                    beside.rename(self._hidden)

        return super().submit(grope)


def test_a_worker_that_does_not_see_a_text_stops_the_run(tmp_path: Path) -> None:
    """No part gives way to it; a text that is gone for all is set aside."""
    (tmp_path / "c.toml").write_text(render_comb(Comb((COMMA,))), encoding="utf-8")
    for name in ("a.txt", "b.txt"):
        (tmp_path / name).write_text(TEXT)
    names, comb = ["a.txt", "b.txt"], tmp_path / "c.toml"
    run_parts(tmp_path, names, comb, engines.HereEngine())
    whole = join(tmp_path)
    with pytest.raises(UsageError, match=r"b.txt: a worker does not see it; lay the texts where"):
        run_parts(tmp_path, names, comb, Blind(tmp_path / "b.txt", for_good=False))
    assert join(tmp_path) == whole
    _, done = run_parts(tmp_path, names, comb, Blind(tmp_path / "b.txt", for_good=True))
    assert [told.why.partition(";")[0] for told in done.texts] == ["", "no such file"]


class Meddling(engines.HereEngine):
    """Has a text changed behind its first look, by as many bytes."""

    def __init__(self, path: Path) -> None:
        super().__init__()
        self._path, self._n_done = path, 0

    def wait(self) -> list[tuple[object, Callable[[], Any]]]:
        self._n_done += 1
        if self._n_done == 4:
            self._path.write_bytes(self._path.read_bytes().replace(b"Heron", b"Egret"))
        return super().wait()


def test_shares_of_two_versions_are_never_mixed(tmp_path: Path, small: None) -> None:
    (tmp_path / "c.toml").write_text(render_comb(Comb((COMMA,))), encoding="utf-8")
    (tmp_path / "a.txt").write_text(TEXT + "3,Heron\n" * 90)
    engine = Meddling(tmp_path / "a.txt")
    _, done = run_parts(tmp_path, ["a.txt"], tmp_path / "c.toml", engine)
    assert "it changed while it was read" in done.texts[0].why and done.parts == []
    assert [*(tmp_path / "parts").glob("part*")] == []


def test_a_worker_of_another_version_that_came_late_stops_the_run(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:  # fmt: skip
    (tmp_path / "c.toml").write_text(render_comb(Comb((COMMA,))), encoding="utf-8")
    (tmp_path / "a.txt").write_text(TEXT)
    monkeypatch.setattr("wetcomb.jobs.cluster.job.__version__", "0.0.9")
    with pytest.raises(UsageError, match=r"a worker has version .*, and the run is of 0.0.9"):
        run_parts(tmp_path, ["a.txt"], tmp_path / "c.toml", engines.HereEngine())
