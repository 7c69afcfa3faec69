"""What hostile or clumsy users do: one line says what is wrong, nothing is half written."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

from program import wetcomb
from wetcomb import InputError
from wetcomb.core.cutting.specials import CutRules
from wetcomb.files.opening import open_source
from wetcomb.files.sinks import Sink

ESCAPE = "\x1b[31m"
COMB = 'wetcomb = 1\n{fits}\n[[step]]\ndo = {do}\ndelimiter = ["semicolon"]\nheading = "first"\nfields = 0\n'


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "ok.txt").write_text("a;b\n1;2\n")
    (tmp_path / "wide.txt").write_bytes("a;b\n1".encode("utf-16-le"))
    (tmp_path / "long.txt").write_text("a;b\n" + ";" * 1_000_001 + "\n")
    (tmp_path / "list.toml").write_text(COMB.format(fits="", do='["split"]'))
    for name, fits in (
        ("nan", "max_odd = nan"),
        ("much", "max_odd = 2.0"),
        ("less", "max_snags = -1"),
    ):
        (tmp_path / f"{name}.toml").write_text(COMB.format(fits=f"[fits]\n{fits}", do='"split"'))
    (tmp_path / "round.csv").symlink_to("about.csv")
    (tmp_path / "about.csv").symlink_to("round.csv")
    return tmp_path


@pytest.mark.parametrize(
    ("words", "said"),
    [
        ("split wide.txt -d semicolon --encoding utf-16", "wide.txt: utf-16 needs a byte-order mark"),
        ("split ok.txt --encoding idna", "'idna' is no encoding of text"),
        ("split ok.txt --encoding unicode_escape", "'unicode_escape' is no encoding of text"),
        ("rebuild ok.txt --comb list.toml", "list.toml:4: unknown step ['split']; nearest: 'split'"),
        ("rebuild ok.txt --comb nan.toml", "nan.toml:3: option 'max_odd' of [fits] is a share from 0 to 1"),
        ("rebuild ok.txt --comb much.toml", "much.toml:3: option 'max_odd'"),
        ("rebuild ok.txt --comb less.toml", "less.toml:3: option 'max_snags' of [fits] is a number from 0"),
        ("split round.csv", "round.csv: cannot be read: Too many levels"),
        ("split ok.txt -o round.csv", "round.csv: cannot be written: Too many levels"),
        ("split ok.txt --snags round.csv", "round.csv: cannot be written: Too many levels"),
        ("nofile.txt", "nofile.txt: no such file"),
        ("ok.tx", "ok.tx: no such file; nearest: 'ok.txt'"),
        ("split ok.txt --edges 9 30", "split: do not know what to do with '30'; numbers are parted by commas"),
        ("split long.txt -d semicolon", "long.txt:2: a record has more than 1,000,000 fields"),
    ],
)  # fmt: skip
def test_what_was_called_a_fault_of_the_tool(folder: Path, words: str, said: str) -> None:
    done = wetcomb(folder, *words.split())
    lines = done.stderr.decode().splitlines()
    assert (done.returncode, done.stdout, len(lines)) == (2, b"", 1)
    assert lines[0].startswith(f"wetcomb: {said}")


@pytest.mark.parametrize(
    "words",
    [
        ["split", "red{}.txt", "-d", "semicolon", "--heading", "first", "-o", "o.csv"],
        ["split", "red{}.txt", "ok.txt", "-d", "semicolon", "--heading", "first", "-o", "o.csv"],
        ["split", "red{}.txt", "-d", "semicolon", "--heading", "first", "--take", "x{}"],
        ["split", "red{}.txt", "-d", "semicolon", "--group", "R{} {{word as x}}", "-o", "o.csv"],
        ["split", "red{}.txt", "-o", "x{}.zzz"],
        ["split", "no{}.txt"],
        ["inspect", "red{}.txt"],
        ["rebuild", "red{}.txt", "-o", "o.csv"],
        ["draft", "red{}.txt", "-o", "o{}.toml"],
        ["s{}"],
    ],
)
def test_nothing_raw_reaches_a_terminal(folder: Path, words: list[str]) -> None:
    (folder / f"red{ESCAPE}.txt").write_text(f"A{ESCAPE};B\n1;x{ESCAPE}y\n2;3;4\n\u202e3;4\n")
    done = wetcomb(folder, *(word.format(ESCAPE) for word in words))
    shown = done.stderr + (done.stdout if words[0] == "inspect" else b"")
    assert shown and b"\x1b" not in shown and "\u202e".encode() not in shown


@pytest.mark.parametrize(
    ("streams", "status"),
    [("2>&-", 0), ("2>/dev/full", 0), (">&-", 2), (">/dev/full", 2)],
)
def test_streams_that_are_closed_or_full(folder: Path, streams: str, status: int) -> None:
    command = f'"{sys.executable}" -m wetcomb split ok.txt -d semicolon {streams}'
    done = subprocess.run(["sh", "-c", command], cwd=folder, capture_output=True, check=False)
    assert done.returncode == status
    if not status:
        assert done.stdout == b"a,b\n1,2\n"
    else:
        assert done.stderr.startswith(b"wetcomb: standard output")


def test_a_terminal_that_cannot_show_a_sign_or_has_no_width(folder: Path) -> None:
    for settings in ({"PYTHONIOENCODING": "ascii"}, {"COLUMNS": "0"}):
        done = subprocess.run(
            [sys.executable, "-m", "wetcomb", "inspect", "ok.txt"],
            cwd=folder,
            env={**os.environ, **settings},
            capture_output=True,
            check=False,
        )
        assert done.returncode == 0 and b"verdict table" in done.stdout


def test_several_inputs_close_the_ledger_in_every_chain(tmp_path: Path) -> None:
    (tmp_path / "1.txt").write_text("a;b;c\n")
    (tmp_path / "2.txt").write_text("1;2;3\n")
    cells = "split 1.txt 2.txt --records-at newline --per-record 2 --cell-shapes any,any --heading none --names x,y + split --column x,y -d ; --each-a-record"
    for chain, rows in (
        (cells, ["a,", "b,", "c,", "1,", "2,", "3,"]),
        ("wash 1.txt 2.txt + split -d semicolon --heading none", ["a,b,c", "1,2,3"]),
        ("unwrap 1.txt 2.txt --indent + split -d semicolon --heading none", ["a,b,c", "1,2,3"]),
        (
            "split 1.txt 2.txt -d semicolon --heading none + realign --optional 2",
            ["a,b,c", "1,2,3"],
        ),
    ):
        done = wetcomb(tmp_path, *chain.split(" "), "--no-source-file", "--format", "csv")
        assert done.returncode == 0, done.stderr
        assert done.stdout.decode().splitlines()[1:] == rows, chain


def test_an_input_that_changes_while_it_is_read(tmp_path: Path) -> None:
    path = tmp_path / "in.txt"
    path.write_text("a;b\n" * 100)
    source = open_source(str(path))
    source.check_unchanged()
    os.truncate(path, 100)
    with pytest.raises(InputError, match="400 bytes at first, 100 now"):
        source.check_unchanged()
    with pytest.raises(InputError, match="it changed while it was read"):
        list(source.read_stretch(0, 400))
    source.close()


def test_two_runs_to_one_output_and_what_a_killed_run_left(folder: Path) -> None:
    target = folder / "out.csv"
    first = Sink(target)
    first.write(b"half")
    words = ["split", "ok.txt", "-d", "semicolon", "-o", "out.csv", "--quiet"]
    second = wetcomb(folder, *words)
    assert second.returncode == 2 and b"another run is writing to it" in second.stderr
    (left,) = folder.glob(".*.tmp")
    first._temporary = None  # as if it had been killed: its file stays, its lock goes
    first.discard()
    assert left.read_bytes() in (b"", b"half") and not target.exists()
    third = wetcomb(folder, *words)
    assert (third.returncode, target.read_bytes()) == (0, b"a,b\n1,2\n")
    assert [*folder.glob(".*.tmp")] == []


def test_marks_that_open_and_what_closes_them() -> None:
    rules = CutRules(marks=(b"(", b"(", b"["), closers=(b")", b"]", b"]"))
    assert rules.closing == {b"(": (b")", b"]"), b"[": (b"]",)}
    assert rules.signs == (b"(", b"[", b")", b"]")
