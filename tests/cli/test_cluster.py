"""Many texts, and long ones, in parts: the same records and the same account, whoever does which task when."""

from __future__ import annotations

import random
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
import pytest
from hypothesis import HealthCheck, Phase, example, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from tests.cli.test_crew import LINES, texts

from wetcomb import Clean, Comb, Realign, Split, Unwrap, load_comb, render_comb
from wetcomb.cli.main import main
from wetcomb.files import source
from wetcomb.jobs import shares
from wetcomb.jobs.cluster import engines, job, tasks
from wetcomb.jobs.cluster import texts as cluster_texts
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
    monkeypatch.setattr(cluster_texts, "HELD", 90)
    monkeypatch.setattr(cluster_texts, "_SURVEYED", 2)
    monkeypatch.setattr(cluster_texts, "_AHEAD", 3)
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
    made = job.ClusterJob(given, load_comb(comb), "1", is_checked=False)
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
    max_examples=60,
    phases=[Phase.explicit, Phase.generate],
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
