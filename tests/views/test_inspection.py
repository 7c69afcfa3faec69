"""Inspect on one screen, and the short account: the verdict, the rows, what is odd, what to type."""

from __future__ import annotations

import io
import re
from importlib import resources
from pathlib import Path

import pytest
from msgspec.structs import replace
from rich.console import Console

from program import wetcomb
from wetcomb.core.decoded import Sample
from wetcomb.core.doubts import DOUBTS, Doubt
from wetcomb.drafts.inspect import inspect_text
from wetcomb.views.inspection import build_inspection
from wetcomb.views.terminal import render_blocks

DEMO = resources.files("wetcomb") / "demo"


@pytest.mark.parametrize("name", ["notices", "permits", "register", "tolls"])
@pytest.mark.parametrize("width", [100, 40])
def test_a_paste_is_told_on_one_screen(tmp_path: Path, name: str, width: int) -> None:
    (tmp_path / "in.txt").write_bytes((DEMO / f"{name}.txt").read_bytes())
    done = wetcomb(tmp_path, "inspect", "in.txt", columns=width)
    shown = done.stdout.decode()
    lines = shown.splitlines()
    assert lines[0].startswith("  verdict ") and len(lines) <= 33, shown
    assert not re.search(r"\bbits\b", shown)  # prices are for --evidence
    order = (
        " verdict ",
        *["its first lines"] * (width == 100),
        "\nline  ",
        " to go on ",
        "--evidence",
    )
    places = [shown.index(said) for said in order]
    assert places == sorted(places)
    drawn = lines[lines.index(next(line for line in lines if line.startswith("line  "))) :]
    grid = drawn[: next((k for k, line in enumerate(drawn) if not line.strip()), len(drawn))]
    assert max(map(len, grid)) <= width
    full = wetcomb(tmp_path, "inspect", "in.txt", "--evidence").stdout.decode()
    assert len(full.splitlines()) > len(lines) and "shapes" in full


def test_a_page_shows_the_last_record_and_what_is_odd(tmp_path: Path) -> None:
    rows = [f"LK-{k:03};2031-06-{k % 28 + 1:02};{k}\n" for k in range(1, 60)]
    rows[20], rows[30] = "LK-021;soon;21\n", "LK-031;2031-06-04\n"
    (tmp_path / "in.txt").write_text("Lock;Day;Boats\n" + "".join(rows))
    shown = wetcomb(tmp_path, "inspect", "in.txt").stdout.decode()
    drawn = [" ".join(line.split()) for line in shown.splitlines()]
    assert "60 LK-059 2031-06-04 59" in drawn and "2 LK-001 2031-06-02 1" in drawn
    assert "2 of 59 records are odd" in drawn
    assert (
        "22 Day: 'soon' is no date LK-021;soon;21" in drawn
        and "32 short LK-031;2031-06-04" in drawn
    )


def test_several_tables_and_none_are_told_so(tmp_path: Path) -> None:
    one = "Boat;Lock;Toll\n" + "".join(f"Tansy {k};Orrin;{k}.50\n" for k in range(8))
    two = "Day,Place,Tons,Sort\n" + "".join(f"2031-06-0{k},Halden,{k},coal\n" for k in range(1, 9))
    (tmp_path / "two.txt").write_text(
        f"The tolls were these.\n\n{one}\nThe goods were these.\n\n{two}"
    )
    shown = wetcomb(tmp_path, "inspect", "two.txt", columns=100).stdout.decode()
    assert "2 tables, each a part of its own; --part 2 opens the first" in shown
    assert "wetcomb rebuild two.txt --part 4" in shown
    opened = wetcomb(tmp_path, "inspect", "two.txt", "--part", "4", columns=100).stdout.decode()
    assert "8 records of 4 columns" in opened and "at comma" in opened
    (tmp_path / "none.txt").write_text(
        "Dear Ida,\n\nthe lock is shut until the wind drops.\n\nYours, Tom\n"
    )
    shown = wetcomb(tmp_path, "inspect", "none.txt").stdout.decode()
    assert "verdict no table" in shown and "there is no table in it" in shown


def test_where_two_ways_differ_the_columns_are_named(tmp_path: Path) -> None:
    (tmp_path / "in.txt").write_bytes((DEMO / "notices.txt").read_bytes())
    shown = wetcomb(tmp_path, "inspect", "in.txt", columns=160).stdout.decode()
    assert (
        "line 33: Notice 'Closed for cleaning', way 2 'Closed for cleaning, bring a rope'" in shown
    )


@pytest.mark.parametrize("name", ["notices", "permits", "register", "tolls"])
def test_the_account_is_short_where_all_is_well_and_full_if_asked(
    tmp_path: Path, name: str
) -> None:
    (tmp_path / "in.txt").write_bytes((DEMO / f"{name}.txt").read_bytes())
    words = ["rebuild", "in.txt", "-o", "out.csv"]
    short = wetcomb(tmp_path, *words).stderr.decode().splitlines()
    (tmp_path / "out.csv").unlink()
    full = wetcomb(tmp_path, *words, "--account", "full").stderr.decode().splitlines()
    more = {"notices": 9, "tolls": 6}.get(name, 0)  # three snags; a doubt, a total that is off
    assert len(short) <= 15 + more, short
    assert "line ends" in full[-3] and "line ends" not in short[-3]
    hidden = [line for line in short if "--account full tells all" in line]
    assert len(hidden) == 0 or len(full) > len(short)
    assert wetcomb(tmp_path, *words, "--account", "none").returncode == 2


def test_what_looks_right_and_is_not_is_odd(tmp_path: Path) -> None:
    rows = [[f"{k:03}", f"Boat {k % 7}", f"{k % 9}.{k % 10}0"] for k in range(1, 40)]
    rows[9][1], rows[19][2] = "B\u043eat 3", "4275"
    del rows[29]
    (tmp_path / "in.txt").write_text(
        "".join(";".join(row) + "\n" for row in rows), encoding="utf-8"
    )
    shown = wetcomb(tmp_path, "inspect", "in.txt", columns=160).stdout.decode()
    for line, why in (
        (10, "has letters of Cyrillic and Latin"),
        (20, "'4275' has no decimals"),
        (30, "leaps from 029 to 031"),
    ):
        assert re.search(rf" {line}  .*{re.escape(why)}", shown), shown
    assert "3 of 38 records are odd" in shown


@pytest.mark.parametrize("name", ["notices", "permits", "register", "tolls"])
@pytest.mark.parametrize("n_doubts", [0, 1, 3, 8])
def test_what_does_not_fit_on_the_screen_gives_way(name: str, n_doubts: int) -> None:
    text = (DEMO / f"{name}.txt").read_text(encoding="utf-8")
    doubts = tuple(Doubt(kind.name, "said of it " * 12) for kind in DOUBTS[:n_doubts])
    seen = replace(inspect_text(Sample(text.encode()), {}), doubts=doubts)
    page = build_inspection(seen, "x" * 60, "in.txt", 100, ["wetcomb rebuild in.txt", "wetcomb split " + "o" * 180])  # fmt: skip
    drawn = io.StringIO()
    render_blocks(Console(file=drawn, width=100, force_terminal=True, color_system=None), page)
    assert drawn.getvalue().count("\n") <= 32, drawn.getvalue()
    assert "wetcomb rebuild in.txt" in drawn.getvalue()
