"""Stacked blocks: what is printed in blocks comes back as one table."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from laws import blocks_of, run
from wetcomb import InputError, Split, UsageError
from wetcomb.core.snags import SNAGS

cells = st.sampled_from(["4", "12.5", "malt", "Teal Eye", "", "dry"])


@st.composite
def tables(draw: st.DrawFn) -> tuple[list[list[str]], list[int], str, int]:
    """Rows of a table with a heading, where its blocks begin, the mark between them, and a width."""
    n_columns = draw(st.integers(2, 7))
    n_rows = draw(st.integers(1, 6))
    head = ["boat", *[f"c{k} no" for k in range(1, n_columns)]]
    labels = draw(
        st.lists(
            st.sampled_from(["Tansy", "Sallow", "Old Plover"]), min_size=n_rows, max_size=n_rows
        )
    )
    rows = [
        [label, *draw(st.lists(cells, min_size=n_columns - 1, max_size=n_columns - 1))]
        for label in labels
    ]
    cuts = sorted(draw(st.sets(st.integers(2, n_columns - 1), max_size=3))) if n_columns > 2 else []
    return [head, *rows], [1, *cuts], draw(st.sampled_from(["", "\\", ">>"])), draw(st.integers(0, 2))  # fmt: skip


def print_blocks(
    table: list[list[str]], firsts: list[int], mark: str, more: int
) -> tuple[str, str]:
    """Return the text of a table printed in blocks, and the edges that cut it again."""
    width = max(len(cell) for row in table for cell in row) + 2 + more
    blocks, edges = [], []
    for first, stop in zip(firsts, [*firsts[1:], len(table[0])], strict=True):
        lines = [
            row[0].ljust(width) + "".join(cell.rjust(width) for cell in row[first:stop])
            for row in table
        ]
        lines[0] += f"  {mark}" if mark and stop < len(table[0]) else ""
        blocks.append("\n".join(lines) + "\n")
        edges.append(",".join(str(width * k) for k in range(1, stop - first + 1)))
    return "\n".join(blocks), "/".join(edges)


@settings(deadline=None)
@given(made=tables(), size=st.integers(1, 200), again=st.integers(1, 3))
def test_printed_blocks_come_back(
    made: tuple[list[list[str]], list[int], str, int], size: int, again: int
) -> None:
    text, edges = print_blocks(*made)
    read = edges if "/" in edges else tuple(map(int, edges.split(",")))
    split = Split(edges=read, heading="first", stacked=True)
    pieces, report = run(split, blocks_of("\n".join([text] * again), size))
    rows = [row for piece in pieces if piece.table is not None for row in piece.table.rows()]
    head, *true_rows = made[0]
    assert (list(report.names), rows) == (head, true_rows * again)
    assert not report.snags


HEAD, BODY = "            Halden\n", "boat       in  out\nTansy       1    2\nSallow     10   20\n"


@pytest.mark.parametrize(
    ("between", "names"),
    [
        ("\n" + HEAD.replace("Halden", "Orrin"), "Orrin in|Orrin out"),
        ("\n\n", "Reach in-2|Reach out-2"),  # an upper line with nothing on it
    ],
)
def test_headings_of_two_lines(between: str, names: str) -> None:
    text = HEAD + BODY + "\n" + HEAD.replace("Halden", "Reach") + BODY + between + BODY
    pieces, report = run(Split(edges="blanks", heading=2, stacked=True), blocks_of(text, 9))
    wanted = ["boat", "Halden in", "Halden out", "Reach in", "Reach out"]
    assert list(report.names) == [*wanted, *names.split("|")]
    table = pieces[-1].table
    assert table is not None
    assert table.rows() == [["Tansy", *["1", "2"] * 3], ["Sallow", *["10", "20"] * 3]]


@pytest.mark.parametrize(
    ("last", "rows", "snags"),
    [
        ("Tansy  3\nSallow 4\n", ["Tansy|1|3", "Sallow|2|4"], ""),
        ("Sallow 4\nTansy  3\n", ["Tansy|1|3", "Sallow|2|4"], ""),
        ("Tansy  3\n", ["Tansy|1|3", "Sallow|2|None"], "label-missing"),
        ("Tansy  3\nPlover 5\nSallow 4\n", ["Tansy|1|3", "Sallow|2|4", "Plover|None|5"], "label-new"),
        ("Tansy  3\nSalow  4\n", ["Tansy|1|3", "Sallow|2|None", "Salow|None|4"], "label-missing label-new label-almost"),
    ],
)  # fmt: skip
def test_rows_are_matched_by_label(last: str, rows: list[str], snags: str) -> None:
    text = f"boat   a\nTansy  1\nSallow 2\n\nboat   b\n{last}"
    pieces, _ = run(Split(edges=(7,), heading="first", stacked=True), blocks_of(text, 50))
    table = pieces[-1].table
    assert table is not None
    assert ["|".join(map(str, row)) for row in table.rows()] == rows
    kinds = {SNAGS[kind].name for kind in table.snags.kinds.tolist()}
    assert kinds == set(snags.split())


@pytest.mark.parametrize(
    ("options", "text", "said"),
    [
        ({}, "", "--stacked needs --edges"),
        ({"edges": "3/5", "stacked": False}, "", "add --stacked"),
        ({"edges": "3/x"}, "", "unknown value '3/x'"),
        ({"edges": "3,2/4"}, "", "must rise"),
        ({"edges": (3,), "take": (1,)}, "", "--take means nothing with --stacked"),
        ({"edges": (3,), "panels": 2}, "", "contradict each other"),
        ({"edges": "heading", "names": ("a", "b")}, "", "--names cannot be had"),
        ({"edges": "3/4/5"}, "a  b\n1  2\n\na  c\n1  3\n", "edges for 3 blocks, but there are 2"),
        ({"edges": (3,), "names": ("a", "b")}, "a  b\n1  2\n\na  c\n1  3\n", "--names gives"),
        ({"edges": (3,), "names": tuple("abcd")}, "a  b\n1  2\n\na  c\n1  3\n", "--names gives 4 names for 3"),
        ({"edges": "blanks"}, "ab\n12\n\nac\n13\n", "no display column is blank"),
        ({"edges": (2,)}, "a b\n1 2\n\na c\n1 3\n\na b\n1 2\n", "have 2 columns, those before 3"),
    ],
)  # fmt: skip
def test_what_cannot_be_stacked(options: dict[str, object], text: str, said: str) -> None:
    with pytest.raises((UsageError, InputError), match=said):
        run(Split(**{"heading": "first", "stacked": True, **options}), blocks_of(text, 99))  # type: ignore[arg-type]
