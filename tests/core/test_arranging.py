"""Fields laid out as records in other ways than a line each: snags and headings stay with their own."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from laws import blocks_of, rows_of, run, run_comb, snags_of
from wetcomb import Comb, Split, WetCombError, draft
from wetcomb.core.report import Report
from wetcomb.core.snags import SNAGS

ODD_QUOTES = 'A;"Tansy" x;C;Wren\nB;Heron;D;"Rook" y\n' * 3
ODD_TABS = "a\tb c d\ne f g\th\n" * 2
HEADING_WORDS = "Lock,Toll,Lock,Toll\nA,Toll,B,2\nLock,8,C,3\nLock,Toll,Lock,Toll\nD,4,Lock,5\n"

#: Text, options, the records, and the snags by the number of their record.
LAID_OUT = {
    "panels keep their quote snags": (
        ODD_QUOTES,
        {"delimiter": ";", "panels": 2, "fields": 2, "heading": "none"},
        [*[["A", '"Tansy" x'], ["B", "Heron"]] * 3, *[["C", "Wren"], ["D", '"Rook" y']] * 3],
        [(k, "text-after-quote") for k in (0, 2, 4, 7, 9, 11)],
    ),
    "cells keep their quote snags": (
        ODD_QUOTES,
        {"delimiter": ";", "per_record": 2, "cell_shapes": (), "heading": "none"},
        [["A", '"Tansy" x'], ["C", "Wren"], ["B", "Heron"], ["D", '"Rook" y']] * 3,
        [(k, "text-after-quote") for k in (0, 3, 4, 7, 8, 11)],
    ),
    "each piece keeps its own": (
        ODD_QUOTES,
        {"delimiter": ";", "each_a_record": True, "heading": "none"},
        [[v] for v in ("A", '"Tansy" x', "C", "Wren", "B", "Heron", "D", '"Rook" y') * 3],
        [(k, "text-after-quote") for k in (1, 7, 9, 15, 17, 23)],
    ),
    "pieces left out move no snag": (
        'A;;"Tansy" x\n;"Rook" y;;B\n' * 3,
        {"delimiter": ";", "each_a_record": True, "heading": "none", "drop_pieces": ("empty",)},
        [[v] for v in ("A", '"Tansy" x', '"Rook" y', "B") * 3],
        [(k, "text-after-quote") for k in (1, 2, 5, 6, 9, 10)],
    ),
    "panels keep their edge snags": (
        ODD_TABS,
        {"edges": (4, 8, 10), "panels": 2, "heading": "none", "quote": "none"},
        [*[["a", ""], ["e f", "g"]] * 2, *[["b", "c d"], ["h", ""]] * 2],
        [(0, "edge-torn"), (2, "edge-torn")],
    ),
    "a heading is one of all panels, not a field that reads like it": (
        HEADING_WORDS,
        {"delimiter": ",", "panels": 2, "heading": "first"},
        [["A", "Toll"], ["Lock", "8"], ["B", "2"], ["C", "3"], ["D", "4"], ["Lock", "5"]],
        [],
    ),
    "a heading is one of all cells of a record, not a cell that reads like it": (
        "Boat\nTons\nTansy\nTons\nBoat\n7\nBoat\nTons\nWren\n3\n",
        {"per_record": 2, "cell_shapes": (), "heading": "first"},
        [["Tansy", "Tons"], ["Boat", "7"], ["Wren", "3"]],
        [],
    ),
    "records and headings over the ends of lines": (
        "a b\nc 1\n2 3 4 5\n6 7 8 9\na b c 1 2 3\n4 5\n6\na b\nc 7\n8 9\n",
        {"delimiter": "space", "per_record": 3, "cell_shapes": (), "heading": "first"},
        [["1", "2", "3"], ["4", "5", "6"], ["7", "8", "9"]] * 2,
        [],
    ),
    "what stands behind the heading in its line is a record": (
        "a b 1 2\n3 4 5 6\n",
        {"delimiter": "space", "per_record": 2, "cell_shapes": (), "heading": "first"},
        [["1", "2"], ["3", "4"], ["5", "6"]],
        [],
    ),
    "a heading comes again within a line, at a record's place": (
        "a,b,a,b\n1,2,a,b\n3,4,5,6\na,b,7,a\nb,8,b,a\n",
        {"delimiter": ",", "per_record": 2, "cell_shapes": (), "heading": "first"},
        [["1", "2"], ["3", "4"], ["5", "6"], ["7", "a"], ["b", "8"], ["b", "a"]],
        [],
    ),
    "a heading within a line closes the record before it": (
        "a,n,7\nx,1,a,n,y\n2,z,a,n,w,3,v,4,u,5,t,6,s,7\n",
        {"delimiter": ",", "per_record": 2, "cell_shapes": ("word", "digits"), "heading": "first"},
        [["7", None], ["x", "1"], ["y", "2"], ["z", None],
         ["w", "3"], ["v", "4"], ["u", "5"], ["t", "6"], ["s", "7"]],
        [(0, "cell-missing"), (3, "cell-missing")],
    ),
    "two headings share no cell": (
        "x\nx\nx\nx\nx\n7\n8\n9\n",
        {"per_record": 2, "cell_shapes": (), "heading": "first"},
        [["x", "7"], ["8", "9"]],
        [],
    ),
    "a heading parts a record that runs over a page": (
        "k\nm\n1\nk\nm\n2\n3\n4\nk\nm\n5\nk\nm\n6\nk\n7\n",
        {"per_record": 2, "cell_shapes": (), "heading": "first"},
        [["1", "2"], ["3", "4"], ["5", "6"], ["k", "7"]],
        [],
    ),
    "the last record is short": (
        "1,2,3,4\n5,6,7\n",
        {"delimiter": ",", "per_record": 4, "cell_shapes": (), "heading": "none"},
        [["1", "2", "3", "4"], ["5", "6", "7", None]],
        [(1, "short")],
    ),
    "the last record is told once": (
        "a,1\nb,2\nc,3\nd,4\n5,6\n7\n",
        {"delimiter": ",", "per_record": 2, "cell_shapes": ("word", "digits"), "heading": "none"},
        [["a", "1"], ["b", "2"], ["c", "3"], ["d", "4"], ["5", "6"], ["7", None]],
        [(4, "wrong-shape"), (5, "short")],
    ),
    "a piece with no cell above it is no piece": (
        "a;b;c\nx;y+\n;z;w\nu;v+;t\n;+;\n",
        {"delimiter": ";", "continues": "+", "heading": "first", "fields": 0},
        [["x", "y+", None], ["", "z", "w"], ["u", "v", "t"]],
        [(0, "goes-on-nowhere"), (0, "short")],
    ),
    "records that end in mid-line wait for the line's end": (
        "a b 1 2 3\n4 5 6\n7 8\n9\n10 11 12 13\n14 15 16\n17 18\n",
        {"delimiter": "space", "per_record": 2, "cell_shapes": (), "heading": "first"},
        [[str(k), str(k + 1)] for k in range(1, 18, 2)],
        [],
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", LAID_OUT)
@settings(max_examples=15, deadline=None)
@given(size=st.integers(1, 200))
def test_snags_and_headings_stay_with_their_record(name: str, size: int) -> None:
    text, options, rows, snags = LAID_OUT[name]
    split = Split(**options)
    pieces = (
        list(run_comb(Comb((split,)), blocks_of(text, size), Report()))
        if split.continues  # what is joined stands in several places
        else run(split, blocks_of(text, size))[0]
    )
    assert [row[:-1] for row in rows_of(pieces)] == rows
    assert sorted((row, SNAGS[code].name) for row, code in snags_of(pieces)) == snags


@pytest.mark.parametrize(
    "way", [{}, {"panels": 2}, {"per_record": 2, "cell_shapes": ("any", "any")}]
)
def test_edges_that_cut_words_stop_every_way_of_laying_out(way: dict[str, int]) -> None:
    with pytest.raises(WetCombError, match="the edges cut through words"):
        Comb((Split(edges=(3, 6, 9), heading="none", **way),)).run("Heronwren123\n" * 9)


def test_a_draft_of_cells_one_a_line_reads_its_own_heading() -> None:
    boats = [
        "Tansy",
        "Heron",
        "Wren",
        "Rook",
        "Coot",
        "Teal",
        "Plover",
        "Dunlin",
        "Avocet",
        "Gannet",
        "Petrel",
        "Siskin",
    ]
    lines = ["Boat", "Seen on", "Tons"]
    for k, boat in enumerate(boats):
        lines += [boat, f"2031-06-{k + 1:02}", *([] if k == 4 else [str(7 * k + 3)])]
    text = "\n".join(lines) + "\n"
    shapes = ("words", "date", "number")
    table = draft(text, per_record=3, cell_shapes=shapes).run(text)
    assert table.names == ("Boat", "Seen on", "Tons")
    assert list(table.rows()) == [
        [boat, f"2031-06-{k + 1:02}", None if k == 4 else str(7 * k + 3)]
        for k, boat in enumerate(boats)
    ]


def join_plainly(rows: list[tuple[str, str]]) -> tuple[list[list[str]], set[int]]:
    """Return the records of lines with cells that go on, and those with a mark that nothing follows."""
    lines = [[v.strip('"').replace('""', '"') for v in row] for row in rows]
    records: list[list[str]] = []
    open_cells, odd = [False, False], set()
    for line in filter(any, lines):
        under = [bool(value) and is_open for value, is_open in zip(line, open_cells, strict=True)]
        goes_on = [len(value) > 1 and value.endswith("+") for value in line]
        if any(under) and under == list(map(bool, line)):
            for k, value in enumerate(line):
                before = records[-1][k][: -1 if open_cells[k] else None]
                is_marked = value.startswith("+") and len(value) >= 1 + goes_on[k]
                records[-1][k] = before + value[is_marked:]
        else:
            odd |= {len(records) - 1} if any(open_cells) else set()
            records.append(line)
        open_cells = goes_on
    return records, odd | ({len(records) - 1} if any(open_cells) else set())


@settings(max_examples=200, deadline=None)
@given(
    st.lists(
        st.tuples(*[st.sampled_from(["", "x", "x+", "+y", "+", '"q""+"', '"+r"', "+z+"])] * 2),
        min_size=1,
        max_size=8,
    ),
    st.integers(1, 60),
)
def test_cells_that_go_on_are_joined_as_a_plain_reading_does(
    rows: list[tuple[str, str]], size: int
) -> None:
    text = "a;b\n" + "".join(f"{left};{right}\n" for left, right in rows)
    split = Split(delimiter=";", heading="first", fields=0, continues="+")
    records, odd = join_plainly(rows)
    made = list(run_comb(Comb((split,)), blocks_of(text, size), Report()))
    assert [[value or "" for value in row[:2]] for row in rows_of(made)] == records
    assert {row for row, code in snags_of(made) if SNAGS[code].name == "goes-on-nowhere"} == odd
