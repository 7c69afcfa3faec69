"""realign as it is used: by itself, in a chain, drafted; moves, figures and shifts that are kept."""

from __future__ import annotations

import shlex
import shutil
from pathlib import Path

import pytest

import wetcomb as package
from program import wetcomb

DEMO = Path(package.__file__).parent / "demo"
LOG = "Day;Boat;Lock;Toll\n2031-06-02;Tansy;Orrin;7.03\n2031-06-03;Orrin;1.50\n2031-06-04;Plover;Lamb;9.80\n"
SHAPES = ["--shape", "Day=date", "--shape", "Toll=number"]


def test_the_register_is_rebuilt_without_an_option(tmp_path: Path) -> None:
    shutil.copy(DEMO / "register.txt", tmp_path)
    words = "rebuild register.txt -o register.csv --moves --figure register.png --save-comb r.toml"
    done = wetcomb(tmp_path, *words.split())
    assert done.returncode == 0, done.stderr
    assert (tmp_path / "register.csv").read_bytes() == (DEMO / "register.true.csv").read_bytes()
    assert (tmp_path / "register.png").read_bytes().startswith(b"\x89PNG")
    said = done.stderr.decode()
    assert "none: every record fits" in said
    assert "12 records with moved cells" in said and said.count("\n  why ") == 12
    assert "Cargo and Tons left blank: '1.50' is neither; next best costs" in said
    again = wetcomb(tmp_path, "rebuild", "register.txt", "--comb", "r.toml", "--format", "csv")
    assert again.stdout == (DEMO / "register.true.csv").read_bytes()


def test_what_is_doubtful_is_told_with_the_option_that_was_tried(tmp_path: Path) -> None:
    (tmp_path / "log.csv").write_text(LOG, encoding="utf-8")
    done = wetcomb(tmp_path, "realign", "log.csv", "--read", "semicolon", *SHAPES)
    said = done.stderr.decode()
    assert "1 wrong-place" in said
    assert "two readings cost the same: Lock blank, or Boat blank" in said
    assert "to settle: --optional Boat, --optional Lock would each settle 1" in said
    assert b"2031-06-03,Orrin,1.50," in done.stdout
    done = wetcomb(
        tmp_path, "realign", "log.csv", "--optional", "Boat", *SHAPES
    )  # as split would cut it
    assert b"2031-06-03,,Orrin,1.50" in done.stdout
    assert "line 3: Boat left blank; next best costs 11 more" in done.stderr.decode()


def test_a_shift_is_kept_with_its_text(tmp_path: Path) -> None:
    (tmp_path / "log.txt").write_text(LOG, encoding="utf-8")
    chain = "split log.txt -d semicolon --heading first + realign --shift 3:Boat:1"
    done = wetcomb(tmp_path, *chain.split(), "--save-comb", "log.toml")
    assert b"2031-06-03,,Orrin,1.50" in done.stdout
    assert 'shift = ["3:Boat:1:2031-06-03;Orrin;1.50"]' in (tmp_path / "log.toml").read_text()
    (tmp_path / "next.txt").write_text(LOG.replace("Orrin;1.50", "Lamb;1.50"), encoding="utf-8")
    done = wetcomb(tmp_path, *["rebuild", "next.txt", "--comb", "log.toml", "--snag-column"])
    assert b"2031-06-03,Lamb,1.50,,wrong-place stale" in done.stdout.replace(b";", b" ").replace(
        b'"', b""
    )


@pytest.mark.parametrize(
    ("words", "message"),
    [
        ("realign log.txt --optional Bot", "--optional: there is no column 'Bot'; nearest: 'Boat'"),
        ("realign log.txt --shift 9:Boat:1", "log.txt:9: --shift 9:Boat:1: no record stands there"),
        ("realign log.txt --figure f.gif", "--figure: unknown ending '.gif'; a figure can be: .png .svg .pdf"),
        ("realign log.txt --figure log.txt", "log.txt: this is the input"),
        ("realign log.txt --margin 0", "--margin 0: it must be from 1 to 1000"),
        ("realign log.txt --margin four", "--margin takes whole numbers, found 'four'"),
        ("wash log.txt + realign --optional Boat -o out.csv + split -d tab", "reads text"),
    ],
)  # fmt: skip
def test_bad_words_are_one_error(tmp_path: Path, words: str, message: str) -> None:
    (tmp_path / "log.txt").write_text(LOG, encoding="utf-8")
    done = wetcomb(tmp_path, *words.split())
    assert done.returncode == 2 and not done.stdout
    assert message in done.stderr.decode() and done.stderr.count(b"\n") == 1
    assert [path.name for path in tmp_path.iterdir()] == ["log.txt"]


def test_a_split_alone_advises_the_realign_that_was_tried(tmp_path: Path) -> None:
    boats, cargoes = ("Tansy", "Heron", "Wren", "Plover", "Edda"), ("coal", "slate", "lime")
    records = [
        [
            str(no),
            boats[no % 5],
            "" if no % 7 == 3 else cargoes[no % 3],
            str(5 + no * 11 % 16),
            f"{no * 7 % 40 / 10:.2f}",
        ]
        for no in range(1, 41)
    ]
    head = "No;Boat;Cargo;Tons;Toll\n"
    (tmp_path / "in.txt").write_text(
        head + "".join(";".join(filter(None, r)) + "\n" for r in records)
    )
    done = wetcomb(tmp_path, "split", "in.txt", "-o", "out.csv")
    said = done.stderr.decode()
    (offered,) = [line for line in said.splitlines() if "to settle: + " in line]
    step, _, rest = offered.partition("to settle: ")[2].partition(" would settle ")
    assert "6 short: " in said and rest == "6, and change no other (tried)"
    again = wetcomb(tmp_path, "split", "in.txt", "-o", "out.csv", "--force", *shlex.split(step))
    assert "none: every record fits" in again.stderr.decode(), again.stderr
    assert (tmp_path / "out.csv").read_text() == (
        head + "".join(";".join(r) + "\n" for r in records)
    ).replace(";", ",")
    few = wetcomb(tmp_path, "split", "in.txt", "-o", "few.csv", "--lines", "1-5").stderr.decode()
    assert "1 short: " in few and "realign" not in few
