"""Several processes make of a text what one makes of it."""

from __future__ import annotations

import os
import shlex
import signal
import subprocess
import sys
import time
from concurrent.futures import Executor, Future
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from wetcomb.cli.main import main
from wetcomb.files import source
from wetcomb.jobs import crew, helpers, shares
from wetcomb.jobs.desk import Desk

LINES = [
    "1,Tansy,dry\n", "2,Plover,wet\n", '3,"Teal, grey","at\nthe\nlock"\n', '4,"says ""no""",x\n',
    '5,"open,x\n', "6,short\n", "\n", "no,boat,notice\n", "7,Zoë,\udcff\n", "8,a,b\r\n", "9,a,b,c\n", "---\n",
    "  goes on\n", " ,and on,\n",
]  # fmt: skip
texts = st.lists(st.sampled_from(LINES), min_size=8, max_size=60).map("".join)


class _Here(Executor):
    """Does at once what it is given, in this process."""

    def __init__(self, n: int, context: object, begin: Any, words: tuple[crew.Crew]) -> None:
        crew._crew = words[0]

    def submit(self, fn: Any, /, *args: Any, **kwargs: Any) -> Future[Any]:
        future: Future[Any] = Future()
        try:
            future.set_result(fn(*args))
        except Exception as error:
            future.set_exception(error)
        return future


@pytest.fixture
def small(monkeypatch: pytest.MonkeyPatch) -> None:
    """Make a text of a few lines a long one."""
    monkeypatch.setattr(helpers, "_LONG", 0)
    monkeypatch.setattr(crew, "SHARE", 60)
    monkeypatch.setattr(shares, "SHARE", 60)
    monkeypatch.setattr(crew, "FIRST_SHARE", 60)
    monkeypatch.setattr(shares, "_PROBE", 30)
    monkeypatch.setattr(shares, "_WINDOW", 40)
    monkeypatch.setattr(source, "BLOCK_SIZE", 32)
    monkeypatch.setattr("wetcomb.steps.realign.advice_sample._MOST", 5)
    monkeypatch.setattr("wetcomb.jobs.desk._SIZE", 70)


def run_all(folder: Path, words: list[str], capsys: Any) -> tuple[object, ...]:
    status = main(words)
    said = capsys.readouterr().err
    files = [folder / name for name in ("out.csv", "snags.csv", "ledger.csv")]
    made = [path.read_bytes() if path.exists() else b"" for path in files]
    made[2:] = sorted(made[2].splitlines())  # steps of a chain are listed chunk by chunk
    files[0].unlink(missing_ok=True)  # what is replaced would be told
    return status, said, made


def test_a_desk_has_room_for_so_much(small: None) -> None:
    desk = Desk(2)
    first, second = desk.take(), desk.take()
    assert first is not None and second is not None and desk.take() is None
    assert desk.lay(first, [b"x" * 40, b"y" * 31]) is None
    sizes = desk.lay(second, [b"ab", b"", b"c" * 60])
    assert sizes == [2, 0, 60] and desk.read(second, sizes) == [b"ab", b"", b"c" * 60]
    desk.give_back(first)
    assert desk.take() == first


@settings(deadline=None, max_examples=60, suppress_health_check=list(HealthCheck))
@given(
    text=texts,
    end=st.sampled_from(["", "10,last,one"]),
    words=st.sampled_from([
        "split -d comma", "split -d comma --take 2,1", "split --edges 2,5", "split -d comma --fields 4",
        "split --edges 2,5 --wrapped", "split -d comma --wrapped --key 2",
        "unwrap --starts '{digits},' + split -d comma", "unwrap --indent + split -d comma --quote none",
        "unwrap --fields 3 --delimiter comma --record-lines 3 + split -d comma",
        "split -d comma + realign --shape no={digits} --optional boat --moves",
        "split -d comma + realign --shape no={digits}",
        "split -d comma + realign --values boat=Tansy,Plover,a --optional boat --absorb notice",
        "split -d comma + split --column boat -d space --names b,c",
        "split -d comma + clean --number no=1 --strip boat=T --take-out notice=t",
        "split -d comma + clean --number no=1 --drop-matching '{any}wet{any}' --currency column",
    ]),
)  # fmt: skip
def test_shares_make_the_same(
    small: None,
    monkeypatch: pytest.MonkeyPatch,
    tmp_path: Path,
    capsys: Any,
    text: str,
    end: str,
    words: str,
) -> None:
    monkeypatch.setattr("concurrent.futures.ProcessPoolExecutor", _Here)
    (tmp_path / "in.txt").write_bytes((LINES[7] + text + end).encode("utf-8", "surrogateescape"))
    first, *options = shlex.split(words.replace("split", "split --heading first", 1))
    call = [first, str(tmp_path / "in.txt"), *options, "--force"]
    for flag, name in (("-o", "out.csv"), ("--snags", "snags.csv"), ("--ledger", "ledger.csv")):
        call += [flag, str(tmp_path / name)]
    call += ["--with-source", "--encoding", "utf-8"]
    monkeypatch.setattr(helpers, "count_processors", lambda: 2)
    shared = run_all(tmp_path, call, capsys)
    monkeypatch.setattr(helpers, "count_processors", lambda: 1)
    assert shared == run_all(tmp_path, call, capsys)


@pytest.mark.skipif(sys.platform != "linux", reason="processes are forked on Linux only")
def test_true_processes_make_the_same(
    small: None, monkeypatch: pytest.MonkeyPatch, tmp_path: Path, capsys: Any
) -> None:
    (tmp_path / "in.txt").write_text("no,boat,notice\n" + "".join(LINES[:4]) * 40)
    call = ["split", str(tmp_path / "in.txt"), "-d", "comma", "-o", str(tmp_path / "out.csv")]
    monkeypatch.setattr(helpers, "count_processors", lambda: 3)
    shared = run_all(tmp_path, [*call, "--force"], capsys)
    monkeypatch.setattr(helpers, "count_processors", lambda: 1)
    assert shared == run_all(tmp_path, [*call, "--force"], capsys)
    assert shared[0] == 0
    (tmp_path / "in.txt").write_text("no,boat,notice\n" + LINES[0] * 100 + "x" * 400)
    monkeypatch.setattr("wetcomb.combs.engine.MAX_RECORD", 50)
    monkeypatch.setattr(helpers, "count_processors", lambda: 2)
    assert main(["split", str(tmp_path / "in.txt"), "-d", "none", "--heading", "first"]) == 2
    assert "in.txt:102: a record is longer than" in capsys.readouterr().err


@pytest.mark.skipif(sys.platform != "linux", reason="processes are forked on Linux only")
@pytest.mark.parametrize("how", [signal.SIGTERM, signal.SIGKILL])
def test_helpers_go_with_the_one_that_began_them(tmp_path: Path, how: signal.Signals) -> None:
    (tmp_path / "in.txt").write_text("no,boat,notice\n" + '1,"a ""b"", c",d\n' * 3_000_000)
    call = [sys.executable, "-m", "wetcomb", "split", "in.txt", "-d", "comma", "-o", "out.csv"]
    process = subprocess.Popen(call, cwd=tmp_path, stderr=subprocess.PIPE)
    children: list[str] = []
    path = Path(f"/proc/{process.pid}/task/{process.pid}/children")
    while not children and process.poll() is None:
        children = path.read_text().split()
        time.sleep(0.01)
    process.send_signal(how)
    process.communicate()
    assert not (tmp_path / "out.csv").exists()
    for _ in range(200):
        left = [pid for pid in children if Path(f"/proc/{pid}").exists()]
        if not left:
            break
        time.sleep(0.05)
    assert left == [] or len(os.sched_getaffinity(0)) == 1


@pytest.mark.parametrize(
    ("window", "begins"),
    [
        (b"st\n1,a\n2,b\n", b"2,b"),  # behind a line like its neighbour
        (b'st "\nin a quote\n1,a,b\n2,c,d\n3,"e\n', b"2,c,d"),
        (b"one line that has no end", b"one"),
        (b"st\nlast", b"last"),
        (b'"a\n"b\n"c\n', b'"b'),  # nothing to go by: the first line end
    ],
)
def test_shares_end_where_a_record_is_likely_to(window: bytes, begins: bytes) -> None:
    assert window[shares.find_record_end(window) :].startswith(begins)


def test_processes_are_counted_from_one(tmp_path: Path, capsys: Any) -> None:
    (tmp_path / "in.txt").write_text("a,b\n1,2\n")
    call = ["split", str(tmp_path / "in.txt"), "-d", "comma", "--heading", "first", "--processes"]
    assert main([*call, "0"]) == 2
    assert "--processes 0: it must be at least 1" in capsys.readouterr().err
    assert main([*call, "3", "-o", str(tmp_path / "out.csv")]) == 0
