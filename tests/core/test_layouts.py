"""Edges from the text, headings of several lines, counted cells, outlines: exact, whatever the chunks."""

from __future__ import annotations

from itertools import zip_longest
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from laws import blocks_of, check, rows_of, run, run_comb, snags_of
from wetcomb import Comb, InputError, Split, UsageError
from wetcomb.core.snags import SNAGS

RULE = """\
Boat        Lock    Toll
----------  ------  ----
Old Regret  Orrin   4,50
Tansy               3,00
\fBoat         Lock   Toll
-----------  -----  ----
Mother Carey Lamb   1,50
Heron        Weir   2,00
"""
HEADING = """\
 Boat        feeds on   Toll
 Tansy       coal       4,50
Heron Wake   slate dust 3,00
\f  Boat           feeds on   Toll
  Wren           coal       1,00
\f
  Rook           hay        9,75
"""
SPANNED = """\
            2031        2032
Boat     Tons  Toll  Tons  Toll
-----    ----  ----  ----  ----
Tansy      12  4,50     3  1,00
Heron          3,00    11
"""
CELLS = "Tansy\n2031-06-01\n12\nHeron\n2031-06-02\nWren\n2031-06-02\n140\nRook\n2031-06-03\nx\n3\nCoot\n2031-06-04\n9\nTeal\n2031-06-05\n8\nMew\n2031-06-05\n8\n"

CASES = {
    "rule": (RULE, {"edges": "rule", "heading": "first"}, ["Boat", "Lock", "Toll"], [
        ["Old Regret", "Orrin", "4,50"], ["Tansy", "", "3,00"],
        ["Mother Carey", "Lamb", "1,50"], ["Heron", "Weir", "2,00"],
    ]),
    "heading": (HEADING, {"edges": "heading", "heading": "first"}, ["Boat", "feeds on", "Toll"], [
        ["Tansy", "coal", "4,50"], ["Heron Wake", "slate dust", "3,00"],
        ["Wren", "coal", "1,00"], ["Rook", "hay", "9,75"],
    ]),
    "spanned": (SPANNED, {"edges": "rule", "heading": 2},
        ["Boat", "2031 Tons", "2031 Toll", "2032 Tons", "2032 Toll"],
        [["Tansy", "12", "4,50", "3", "1,00"], ["Heron", "", "3,00", "11", ""]],
    ),
    "spanned, delimited": (",2031,,2032,\nBoat,Tons,Toll,Tons,Toll\nTansy,1,2,3,4\n",
        {"delimiter": ",", "heading": 2},
        ["Boat", "2031 Tons", "2031 Toll", "2032 Tons", "2032 Toll"], [["Tansy", "1", "2", "3", "4"]],
    ),
    "cells": (CELLS, {"per_record": 3, "cell_shapes": ("words", "date", "number"), "heading": "none"},
        ["field-1", "field-2", "field-3"], [
        ["Tansy", "2031-06-01", "12"], ["Heron", "2031-06-02", None], ["Wren", "2031-06-02", "140"],
        ["Rook", "2031-06-03", "x"], ["Coot", "2031-06-04", "9"], ["Teal", "2031-06-05", "8"],
        ["Mew", "2031-06-05", "8"],
    ]),
    "panels": ("Code  Boat    Code  Boat\nA     Tansy   C     Wren\nB     Heron\n\fCode  Boat    Code  Boat\nE     Rook    F     Teal\n",
        {"delimiter": "gap", "panels": 2, "heading": "first"}, ["Code", "Boat"],
        [["A", "Tansy"], ["B", "Heron"], ["C", "Wren"], ["E", "Rook"], ["F", "Teal"]],
    ),
    "outline": ("Works\n\n1.  Halden\nA word.\n1.1. Lock\nTwo gates\n  2 beams\n1.2 Weir\n\n2. Mill\n2.1. Sill\n7.5 yards\n",
        {"records_at": "heading:2"}, ["number 1", "title 1", "number 2", "title 2", "text"], [
        [None, None, None, None, "Works"], ["1", "Halden", None, None, "A word."],
        ["1", "Halden", "1.1", "Lock", "Two gates 2 beams"], ["1", "Halden", "1.2", "Weir", ""],
        ["2", "Mill", "2.1", "Sill", "7.5 yards"],
    ]),
    "outline without stops": ("1 Halden\n1.1 Lock\nTwo gates and\n2 beams\n2 Mill\n2.1 Sill\nYards:\n3 or\n\n4\n3 Weir\n\n3.1 Foot\n4 yards\n",
        {"records_at": "heading:2"}, ["number 1", "title 1", "number 2", "title 2", "text"], [
        ["1", "Halden", "1.1", "Lock", "Two gates and 2 beams"], ["2", "Mill", "2.1", "Sill", "Yards: 3 or 4"],
        ["3", "Weir", "3.1", "Foot", ""], ["4", "yards", None, None, ""],
    ]),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
@settings(max_examples=25, deadline=None)
@given(size=st.integers(1, 200))
def test_a_layout_is_read_the_same_whatever_the_chunks(name: str, size: int) -> None:
    text, options, names, rows = CASES[name]
    whole, whole_report = (
        run(Split(**options), blocks_of(text, 10_000))
        if "outline" not in name
        else run_outline(text, 10_000)
    )
    tables = [piece.table for piece in whole if piece.table is not None]
    assert list(tables[0].names) == names
    assert [row[: len(names)] for row in rows_of(whole)] == rows
    parts, report = (
        run(Split(**options), blocks_of(text, size))
        if "outline" not in name
        else run_outline(text, size)
    )
    assert rows_of(parts) == rows_of(whole)
    assert snags_of(parts) == snags_of(whole)
    if "outline" not in name:  # where a title is told again depends on what is in hand
        assert report.ledger == whole_report.ledger
    assert report.lines == whole_report.lines


def run_outline(text: str, size: int):
    """Run an outline; a cell that is told again has no place of its own to be traced to."""
    from wetcomb.combs.memory import count_output
    from wetcomb.core.report import Report

    report = Report()
    pieces = list(run_comb(Comb((Split(records_at="heading:2"),)), blocks_of(text, size), report))
    tables = [piece.table for piece in pieces if piece.table is not None]
    report.ledger.output = sum(map(len, tables[0].names)) + sum(
        count_output(table) - sum(map(len, table.names)) for table in tables
    )
    report.ledger.check_source()
    report.ledger.check_output()
    return pieces, report


def test_missing_and_surplus_cells_are_told_and_move_nothing() -> None:
    pieces, _ = run(
        Split(per_record=3, cell_shapes=("words", "date", "number"), heading="none"),
        blocks_of(CELLS, 10_000),
    )
    assert [(row, SNAGS[code].name) for row, code in snags_of(pieces)] == [
        (1, "cell-missing"), (3, "cell-too-many"),
    ]  # fmt: skip
    assert rows_of(pieces)[3][-1] == "3"


def test_a_missing_last_cell_is_told_once() -> None:
    text = "Tansy\n2031-06-01\n12\nWren\n2031-06-02\n140\nHeron\n7\n"
    for shapes in (("words", "date", "number"), ("any",) * 3):
        split = Split(per_record=3, cell_shapes=shapes, heading="none")
        pieces, _ = run(split, blocks_of(text, 100))
        assert [(row, SNAGS[code].name) for row, code in snags_of(pieces)] == [(2, "short")]


def test_a_short_end_is_told_whatever_was_told_before() -> None:
    text = "Tansy\n2031-06-01\n12\nHeron\n7\nWren\n2031-06-02\n140\nRook\n2031-06-03\n3\nCoot\n2031-06-04\n"
    split = Split(per_record=3, cell_shapes=("words", "date", "number"), heading="none")
    pieces, _ = run(split, blocks_of(text, 100))
    told = [(row, SNAGS[code].name) for row, code in snags_of(pieces)]
    assert told == [(1, "cell-missing"), (4, "short")]


def test_an_outline_of_one_level_has_plain_names() -> None:
    table = Comb((Split(records_at="heading:1"),)).run("1. Halden\nA word.\n2. Mill\n")
    assert table.names == ("number", "title", "text")
    assert list(table.rows()) == [["1", "Halden", "A word."], ["2", "Mill", ""]]


def test_an_outline_begins_its_sections_at_nought_or_one() -> None:
    text = (
        "1. Halden\n1.0. Sill\n1.1. Lock\n1.3. yards\n2. Mill\n2.2. gates\n2.1. Weir\n3.0. feet\n"
    )
    pieces, _ = run_outline(text, 100)
    assert [row[:5] for row in rows_of(pieces)] == [
        ["1", "Halden", "1.0", "Sill", ""],
        ["1", "Halden", "1.1", "Lock", "1.3. yards"],
        ["2", "Mill", None, None, "2.2. gates"],
        ["2", "Mill", "2.1", "Weir", "3.0. feet"],
    ]


def test_an_edge_of_the_heading_stands_behind_the_last_blank_column() -> None:
    text = "Boat      Toll\nTansy old 4,50\nHeron new 3,00\n"
    pieces, _ = run(Split(edges="heading", heading="first"), blocks_of(text, 100))
    assert [row[:2] for row in rows_of(pieces)] == [["Tansy old", "4,50"], ["Heron new", "3,00"]]


SNAGGED = [
    ("ab\tcd\n", {"edges": (4,)}, "edge-torn"),
    ("漢字\n", {"edges": (1,)}, "edge-torn"),
    ("abcd\n", {"edges": (2,)}, "edge-in-word"),
    ("a,(b,c\n", {"delimiter": ",", "protect": "()", "fields": 3}, "bracket-unpaired"),
    ("a,b)(,c\n", {"delimiter": ",", "protect": "()", "fields": 3}, "bracket-unpaired"),
]


@pytest.mark.parametrize(("text", "options", "name"), SNAGGED, ids=lambda value: str(value)[:20])
def test_what_is_cut_oddly_is_a_snag(text: str, options: dict[str, object], name: str) -> None:
    pieces, _ = run(Split(heading="none", quote="none", **options), blocks_of(text, 100))
    assert [(row, SNAGS[code].name) for row, code in snags_of(pieces)] == [(0, name)]


def test_no_character_is_torn() -> None:
    text = "e\u0301e\u0301x\nمرحبا بك\n👩\u200d🚀 ok\n"
    for edge in range(1, 9):
        pieces, report = run(
            Split(edges=(edge,), heading="none", touching=True), blocks_of(text, 100)
        )
        check(pieces, report)
        joined = ["".join(cell or "" for cell in row) for row in rows_of(pieces)]
        assert [value.replace(" ", "") for value in joined] == text.replace(" ", "").splitlines()
        assert not any(
            cell and cell[0] in "\u0301\u200d" for row in rows_of(pieces) for cell in row
        )


@pytest.mark.parametrize(
    "option", [{"edges": (4,)}, {"take": (1,)}, {"delimiter": ","}, {"heading": "first"}]
)
def test_an_outline_takes_no_other_cuts(option: dict[str, object]) -> None:
    with pytest.raises(UsageError, match="--records-at heading"):
        Split(records_at="heading", **option)


lists = st.lists(st.sampled_from(["x", " y ", "7", "z z"]), min_size=1, max_size=4)


@settings(max_examples=60, deadline=None)
@given(st.lists(lists, min_size=1, max_size=6), st.integers(1, 40), st.sampled_from(["\n", "\r\n"]))
def test_columns_one_after_another_stand_side_by_side(
    columns: list[list[str]], size: int, end: str
) -> None:
    width = 2 if len(columns) % 2 == 0 else len(columns)
    text = (end * 2).join(end.join(values) for values in columns) + end
    split = Split(column_by_column=True, heading="none", names=[f"c{k}" for k in range(width)])
    pieces, _ = run(split, blocks_of(text, size))
    wanted = [
        [value.strip() if value else None for value in row]
        for begin in range(0, len(columns), width)
        for row in zip_longest(*columns[begin : begin + width])
    ]
    assert [row[:width] for row in rows_of(pieces)] == wanted


def test_sets_of_columns_say_what_does_not_fit() -> None:
    def rows(text: str, **options: Any) -> list[list[str | None]]:
        comb = Comb((Split(column_by_column=True, **{"heading": "first", **options}),))
        return comb.run(text).rows()

    text = "No\n1\n2\n\nBoat\nTansy\n\nNo\n3\n\nBoat\nWren\n"
    assert rows(text) == [["1", "Tansy"], ["2", None], ["3", "Wren"]]
    assert rows(text, names=("k", "boat"), heading="none")[0] == ["No", "Boat"]
    for wrong, said in (
        ("No\n1\n\nBoat\nx\n\nNo\n2\n", "set that begins here has 1 columns, the first has 2"),
        ("No\n1\n\nBoat\nx\n\nNo\n2\n\nQuay\ny\n", "has a column 'Quay'"),
        ("No\n1\n2\n", "nothing parts its columns"),
    ):
        with pytest.raises(InputError, match=said):
            rows(wrong)
    with pytest.raises(UsageError, match="--names gives 3 names for 2 columns"):
        rows(text, names=("a", "b", "c"))
