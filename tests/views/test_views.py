"""Views: the preview shows the cuts where they are, odd rows apart, nothing unsafe; the account adds up."""

from __future__ import annotations

import io
import os
import pty
import re
import select
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from laws import blocks_of, run, run_comb
from wetcomb import Comb, Realign, Split
from wetcomb.core.report import Report
from wetcomb.views.account import RunFacts, build_account
from wetcomb.views.blocks import Fact, Grid, Styled, TextLines, make_visible
from wetcomb.views.cell_map import CellMap
from wetcomb.views.figure import render_figure
from wetcomb.views.moves import build_moves
from wetcomb.views.preview import Preview
from wetcomb.views.terminal import make_console, render_blocks

TEXT = 'no;"the name";x\n1;"a;b";ok\n\n2;c\n3;d;e;f\n4; g  ;h\n'


def preview_of(text: str, split: Split, width: int = 60) -> Preview:
    pieces, _ = run(split, blocks_of(text, 10_000))
    preview = Preview(width)
    for piece in pieces:
        if piece.table is not None:
            preview.add(piece)
    return preview


def draw(blocks: list, width: int = 100) -> str:  # type: ignore[type-arg]
    stream = io.StringIO()
    console = make_console(stream, has_color=False)
    console.width = width
    render_blocks(console, blocks)
    return stream.getvalue()


def test_teeth_stand_under_the_cuts() -> None:
    blocks = preview_of(TEXT, Split(delimiter=";", heading="first", fields=0)).build()
    lines = next(block for block in blocks if isinstance(block, TextLines)).lines
    drawn = ["".join(part.text for part in parts) for parts in lines]
    assert drawn[:4] == [
        '    1  no;"the name";x',
        "         ╿          ╿",
        '    2  1;"a;b";ok',
        "        ╿     ╿",
    ]
    gone = ["".join(part.text for part in parts if part.role == "cut") for parts in lines]
    assert gone[0] == ';"";'  # marks and delimiters leave the record
    assert gone[2] == ';"";'


def test_odd_rows_are_set_off() -> None:
    blocks = preview_of(TEXT, Split(delimiter=";", heading="first", fields=0)).build()
    fitting, odd = (block for block in blocks if isinstance(block, Grid))
    assert (fitting.title, odd.title) == ("2 records fit", "2 do not fit")
    assert fitting.rows == [["2", "1", "a;b", "ok"], ["6", "4", "g", "h"]]
    assert odd.rows == [["4", "2", "c", None, ""], ["5", "3", "d", "e", "f"]]
    assert odd.reasons == ["short", "long"]
    shown = draw(blocks)
    assert "∅" in shown
    assert "short" in shown


def test_many_columns_and_long_values_stay_on_the_screen() -> None:
    wide = ",".join(f"name{k}" for k in range(500)) + "\n" + ",".join(["x" * 300] * 500) + "\n"
    shown = draw(
        preview_of(wide, Split(delimiter=",", heading="first", fields=0)).build(), width=60
    )
    assert max(map(len, shown.splitlines())) <= 60
    grid = next(
        b
        for b in preview_of(wide, Split(delimiter=",", heading="first", fields=0)).build()
        if isinstance(b, Grid)
    )
    assert grid.n_more_columns == 494


@settings(max_examples=200)
@given(st.text(max_size=30))
def test_nothing_unsafe_reaches_the_terminal(text: str) -> None:
    shown = make_visible(text)
    assert all(sign.isprintable() or sign in "\u00a0\u3000" for sign in shown)
    assert not re.search("[\x00-\x1f\x7f-\x9f]", shown)
    assert len(shown) <= len(text)


def test_the_account_says_what_a_colleague_would() -> None:
    pieces, report = run(
        Split(delimiter=";", heading="first", fields=0, take=(1, 2)), blocks_of(TEXT, 7)
    )
    assert len(pieces) > 1
    report.ledger.put_in["names"] = 4
    facts = build_account(
        report,
        RunFacts(
            "x.txt (utf-8)", ["Cut at semicolon."], ["out.csv"], "wetcomb draft x.txt", is_full=True
        ),
    )
    assert all(isinstance(fact, Fact) for fact in facts)
    said = [f"{fact.label}|{''.join(part.text for part in fact.parts)}" for fact in facts]
    assert said == [
        "verdict|table",
        "read|x.txt (utf-8): 6 lines, 49 characters",
        "settled|Cut at semicolon.",
        "records|4 records of 3 columns: no, the name, rest",
        "left out|1 blank line: line 3",
        "|5 characters: fields of columns not taken",
        "snags|2 records of 4 do not fit",
        "|1 short: fewer fields than columns; the last columns are missing",
        "|  line 4: 2;c",
        "|  to settle: look whether a delimiter is missing in the line",
        "|1 long: more fields than columns; what is over stands in 'rest'",
        "|  line 5: 3;d;e;f",
        "|  to settle: put marks around the value that holds the delimiter, or -d another one",
        "ledger|every character is accounted for: 49 in, 21 kept, left out: delimiters 10, not taken 5, "
        "line ends 5, quote marks 4, spacing 3, blank lines 1; put in: headings 4",
        "written|out.csv",
        "to keep|wetcomb draft x.txt",
    ]
    assert all(
        part in draw(facts) for part in ("  settled Cut at semicolon.", "    snags 2 records of 4")
    )


MOVED = "Day;Boat;Lock;Toll\n2031-06-02;Tansy;Orrin;7.03\n2031-06-03;Orrin;1.50\n9;x;y;z;w\n2031-06-05;Old;Regret;Lamb;2\n"
REALIGN = Realign(
    shape=("Day=date", "Boat=words", "Toll=number"), optional="Boat", absorb="Boat", values="Lock=Orrin,Lamb"
)  # fmt: skip


def test_moved_cells_are_marked_and_told() -> None:
    comb = Comb((Split(delimiter=";", heading="first", fields=0), REALIGN))
    report = Report(keep_moves=9)
    preview, cells = Preview(100, snags_first=True), CellMap()
    for piece in run_comb(comb, blocks_of(MOVED, 1000), report):
        preview.add(piece)
        if piece.table is not None:
            cells.add(piece)
    odd, fitting, moved = (block for block in preview.build() if isinstance(block, Grid))
    assert [grid.title for grid in (odd, fitting)] == ["1 does not fit", "3 records fit"]
    assert moved.title == "2 of them by moving cells (› moved, + put together, ∅ left blank)"
    drawn = [
        [cell.text if isinstance(cell, Styled) else cell for cell in row] for row in moved.rows
    ]
    assert drawn == [
        ["3", "2031-06-03", None, "› Orrin", "› 1.50"],
        ["5", "2031-06-05", "+ Old;Regret", "› Lamb", "› 2"],
    ]
    assert cells.states.tolist() == [[0, 0, 0, 0], [0, 2, 1, 1], [4, 4, 4, 4], [0, 3, 1, 1]]
    said = draw([build_moves(report.moves, report.moved, report.names)])
    assert "cut 2031-06-03  Orrin         1.50" in said
    assert "now 2031-06-03  ∅             › Orrin  › 1.50" in said
    assert "why Boat takes 'Old' + 'Regret'; next best costs" in said
    assert render_figure(cells, ".svg") == render_figure(
        cells, ".svg"
    )  # nothing in it tells the time
    many = CellMap(cells.names, parts=[np.repeat(cells.states, 500, axis=0)])
    assert b"7 to a row, the oddest shown" in render_figure(many, ".svg")


@pytest.mark.parametrize("no_color", [False, True])
def test_a_terminal_gets_a_preview_and_a_pipe_gets_csv(tmp_path: Path, no_color: bool) -> None:
    (tmp_path / "in.txt").write_text(TEXT)
    words = [sys.executable, "-m", "wetcomb", "rebuild", "in.txt", "--quiet"]
    ours, theirs = pty.openpty()
    environment = {**os.environ, "TERM": "xterm-256color", "COLUMNS": "90"}
    environment |= {"NO_COLOR": "1"} if no_color else {}
    done = subprocess.run(
        words, cwd=tmp_path, stdout=theirs, stdin=theirs, env=environment, check=True
    )
    os.close(theirs)
    shown = b""
    while select.select([ours], [], [], 0.5)[0]:
        try:
            shown += os.read(ours, 65536)
        except OSError:
            break
    os.close(ours)
    assert done.returncode == 0
    assert "the text, and where it is cut" in shown.decode()
    assert (b"\x1b[36m" in shown) != no_color
