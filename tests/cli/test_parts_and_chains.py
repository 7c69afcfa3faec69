"""Parts of a text, chains of steps, tables as input, and the look at a text."""

from __future__ import annotations

import csv
import json
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from laws import check, rows_of, run_comb
from program import wetcomb
from wetcomb import Comb, Split, draft
from wetcomb.combs.part import Part
from wetcomb.core.decoded import Decoded
from wetcomb.core.report import Report

PASTE = """\
Halden & Orrin Canal, tolls in June

Boat;Lock;Toll
Tansy;Orrin;4,50
Two Sisters;Mill Reach;3,00
Heron;Orrin;1,50

Asked for by R. Pell.
"""


def run_part(part: Part, size: int) -> tuple[list[list[str | None]], Report]:
    report = Report()
    comb = Comb((Split(delimiter=";", heading="none", fields=3),), part=part)
    blocks = [Decoded.of(PASTE[k : k + size]) for k in range(0, len(PASTE), size)]
    pieces = list(run_comb(comb, blocks, report))
    check(pieces, report)
    assert "".join(piece.text.value(0, piece.used) for piece in pieces) == PASTE
    return rows_of(pieces), report


@settings(max_examples=40, deadline=None)
@given(size=st.integers(1, 60), first=st.integers(1, 8), length=st.integers(0, 8))
def test_a_part_is_its_lines_whatever_the_chunks(size: int, first: int, length: int) -> None:
    last = min(first + length, 8)
    inside = [line for line in PASTE.splitlines()[first - 1 : last] if line]
    rows, report = run_part(Part(f"{first}-{last}"), size)
    assert [row[0] for row in rows] == [line.split(";")[0] for line in inside]
    assert report.outside_lines == 8 - (last - first + 1)


@settings(max_examples=20, deadline=None)
@given(size=st.integers(1, 60))
def test_a_part_between_patterns_includes_their_lines(size: int) -> None:
    rows, report = run_part(Part(from_=("Boat;",), to=("{words};Orrin;1,50", "Asked")), size)
    assert [row[0] for row in rows] == ["Boat", "Tansy", "Two Sisters", "Heron"]
    assert report.outside_lines == 4


def test_the_only_table_among_prose_is_taken(tmp_path: Path) -> None:
    comb = draft(PASTE)
    assert comb.part == Part("3-6")
    assert draft(PASTE.split("\nAsked")[0]).part == Part(from_=("text:Boat;Lock;Toll",))
    (tmp_path / "paste.txt").write_text(PASTE)
    done = wetcomb(tmp_path, "rebuild", "paste.txt", "--with-source", "--save-comb", "c.comb.toml")
    assert done.stdout.decode().splitlines()[1:] == [
        'Tansy,Orrin,"4,50",4,4',
        'Two Sisters,Mill Reach,"3,00",5,5',
        'Heron,Orrin,"1,50",6,6',
    ]
    assert "4 lines outside the part" in done.stderr.decode()
    again = wetcomb(tmp_path, "rebuild", "paste.txt", "--comb", "c.comb.toml", "--quiet")
    assert again.stdout.decode().count("\n") == 4
    by_number = wetcomb(tmp_path, "split", "paste.txt", "--part", "2", "--quiet")
    assert by_number.stdout == again.stdout


REFUSED = [
    ("split paste.txt --lines 20-", "paste.txt: there is no line 20: the text has 8 lines"),
    ("split paste.txt --lines 5-2", "--lines 5-2: the last line comes before the first"),
    ("split paste.txt --lines x", "--lines takes a range counted from 1, found 'x'"),
    ("split paste.txt --from boat", "paste.txt: no line begins with --from 'boat'; capitals count"),
    ("split paste.txt --from Boat --to zzz", "paste.txt: no line behind line 3 begins with --to 'zzz'"),
    ("split paste.txt --part 9", "--part 9: there are 3; wetcomb inspect lists them"),
    ("split paste.txt --part 1 --lines 2-", "--part and --lines, --from or --to contradict each other"),
    ("split paste.txt +", "'+' stands between steps, but there is none behind it; a file of that name is ./+"),
    ("split paste.txt + demo", "demo is no step"),
    ("split paste.txt + split x.txt", "'x.txt' stands behind '+'"),
    ("split paste.txt -d ; + split -d ,", "step 2: split reads text"),
    ("split paste.txt --column Toll -d ,", "split --column cuts the column of a table; say how"),
    ("split paste.txt --read semicolon --lines 3-6 --column Tol -d ,", "--column: there is no column 'Tol'; nearest: 'Toll'"),
    ("split paste.txt --edges 12,5", "--edges must rise from left to right"),
    ("split paste.txt --header first", "split: unknown option '--header'; nearest: '--heading'"),
    ("split paste.txt --edges hedding", "--edges: unknown value 'hedding'; nearest: 'heading'"),
    ("split paste.txt --edges rule --heading first", "paste.txt: --edges rule: no line of it is a rule"),
    ("split paste.txt --edges 5 --records-at ;", "--edges cuts lines; --records-at contradicts it"),
    ("split paste.txt --edges 4,400 --heading none", "paste.txt: --edges 400 lies beyond every line looked at; the longest has 35 columns"),
    ("split paste.txt -d comma --records-at ~~ --heading none --fields 2", "paste.txt: --records-at '~~' never occurs"),
    ("split paste.txt --boundary a", "--boundary shows both sides of a cut"),
    ("split paste.txt --boundary a|b", "--boundary 'a|b': 'b' is no kind of character"),
    ("split paste.txt --cuts first", "--cuts is all, first:N or last:N"),
    ("split paste.txt --protect (", "--protect takes an opening and a closing bracket"),
    ("split paste.txt --before {dgits}", "pattern '{dgits}': unknown shape"),
    ("split paste.txt --per-record 2 --panels 2", "--per-record and --panels contradict each other"),
    ("split paste.txt --per-record 2 --cell-shapes word", "--cell-shapes gives 1 shapes for 2 fields"),
    ("split paste.txt -d ; --records-at ;", "';' cannot end a field and a record both"),
    ("split paste.txt --edges 4 --heading none --quiet", "paste.txt:1: the edges cut through words in 5 of 6 records"),
    ("rebuild paste.txt --heading 2 --lines 1", "paste.txt: the heading has 2 lines, but there are only 1 of them"),
    ("split paste.txt -d ; --heading first --panels 9 --lines 3-", "paste.txt: the heading has 3 fields, but there are 9 panels"),
]  # fmt: skip


@pytest.mark.parametrize(("typed", "said"), REFUSED, ids=[typed for typed, _ in REFUSED])
def test_refused_in_one_line(tmp_path: Path, typed: str, said: str) -> None:
    (tmp_path / "paste.txt").write_text(PASTE)
    done = wetcomb(tmp_path, *typed.split())
    lines = done.stderr.decode().splitlines()
    assert (done.returncode, done.stdout, len(lines)) == (2, b"", 1), done.stderr
    assert lines[0].startswith(f"wetcomb: {said}")


cells = st.text(st.sampled_from("ab1 é\"'|;\n"), max_size=6).map(str.strip)


@settings(max_examples=150, deadline=None)
@given(st.lists(st.lists(cells, min_size=1, max_size=3), min_size=1, max_size=5), st.booleans())
def test_a_column_is_cut_like_lines(lists: list[list[str]], keep: bool) -> None:
    """Values joined with quotes and put into a table come out of its column again."""
    joined = ["|".join(f'"{v.replace(chr(34), chr(34) * 2)}"' for v in values) for values in lists]
    text = "n;list\n" + "".join(
        f'{k};"{value.replace(chr(34), chr(34) * 2)}"\n' for k, value in enumerate(joined)
    )
    table_step = Split(delimiter=";", heading="first", fields=0)
    column_step = Split(column="list", delimiter="pipe", fields=3, keep_original=keep)
    report = Report()
    pieces = list(run_comb(Comb((table_step, column_step)), [Decoded.of(text)], report))
    report.ledger.check_source()
    rows = [row for piece in pieces if piece.table is not None for row in piece.table.rows()]
    kept = [[value] if keep else [] for value in joined]
    assert rows == [
        [str(k), *kept[k], *values, *[None] * (3 - len(values))] for k, values in enumerate(lists)
    ]
    table = Comb((table_step, column_step)).run(text)  # closes the writer's side too
    assert table.names == ("n", *(["list"] if keep else []), "list-1", "list-2", "list-3")


def test_a_chain_has_one_ledger_and_one_comb(tmp_path: Path) -> None:
    (tmp_path / "in.txt").write_text("Tansy; 12t; Ruth|Tom\nHeron; 7t; Edda\n")
    words = [
        "split",
        "in.txt",
        "-d",
        "semicolon",
        "--heading",
        "none",
        "--names",
        "boat,size,who",
        "+",
        "split",
        "--column",
        "size",
        "--boundary",
        "9|a",
        "--names",
        "tons,unit",
        "+",
        "split",
        "--column",
        "who",
        "-d",
        "pipe",
        "--each-a-record",
    ]
    done = wetcomb(tmp_path, *words, "--save-comb", "c.comb.toml", "--ledger", "l.csv")
    assert (
        done.stdout.decode()
        == "boat,tons,unit,who\nTansy,12,t,Ruth\nTansy,12,t,Tom\nHeron,7,t,Edda\n"
    )
    assert "every character is accounted for: 37 in" in done.stderr.decode()
    with (tmp_path / "l.csv").open(newline="") as listing:
        rows = list(csv.DictReader(listing))
    assert sum(int(row["characters"]) for row in rows) == 37 - len("Tansy12tRuthTomHeron7tEdda")
    again = wetcomb(tmp_path, "rebuild", "in.txt", "--comb", "c.comb.toml", "--quiet")
    assert again.stdout == done.stdout, again.stderr


def test_inspect_says_what_to_type(tmp_path: Path) -> None:
    (tmp_path / "paste.txt").write_text("\n\n" + PASTE.replace("Tansy", "Tan\u00a0sy"))
    done = wetcomb(tmp_path, "paste.txt")
    shown = done.stdout.decode()
    assert done.returncode == 0, done.stderr
    for said in (
        "1 no-break space (first in line 6)",
        "parts 3: 1 prose, 1 table, 1 note; the table below is made of lines 6 to 8",
        "at semicolon: 3 fields in 4 of 4 lines",
    ):
        assert said in shown
    commands = [line.strip() for line in shown.splitlines() if "wetcomb split" in line]
    assert commands == [
        "wetcomb split paste.txt --lines 5-8 -d semicolon --heading first -o paste.csv"
    ]
    assert wetcomb(tmp_path, *commands[0].split()[1:]).returncode == 0
    assert (tmp_path / "paste.csv").read_text().count("\n") == 4
    seen = json.loads(wetcomb(tmp_path, "inspect", "paste.txt", "--json").stdout)
    assert [(part["kind"], part["lines"]) for part in seen["parts"]] == [
        ("prose", "3-3"), ("table", "5-8"), ("note", "10-10")
    ]  # fmt: skip
    assert [column["name"] for column in seen["tables"][0]["columns"]] == ["Boat", "Lock", "Toll"]
    assert seen["tables"][0]["ways"][0]["n_fitting"] == 4
