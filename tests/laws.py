"""What every result must keep, and the texts to try it on."""

from __future__ import annotations

import numpy as np
from hypothesis import strategies as st

from wetcomb import Comb, Split
from wetcomb.combs.run import count_output, run_blocks
from wetcomb.core.blocks import Block
from wetcomb.core.piece import Piece
from wetcomb.core.report import Report

#: Texts made of little but what matters, so that odd neighbours meet often.
texts = st.lists(
    st.sampled_from(
        [
            "a",
            "b1",
            "é",
            "漢",
            "·",
            "··",
            ",",
            ",",
            ";",
            "|",
            '"',
            '"',
            '""',
            '","',
            "'",
            " ",
            "  ",
            "\t",
            "\n",
            "\n",
            "\r\n",
            "\r",
            "-",
            "---",
            "\f",
            " - ",
            "~|~",
            "x,y",
            '"q"',
            '"q\nr"',
        ]
    ),
    max_size=40,
).map("".join)


def blocks_of(text: str, size: int) -> list[Block]:
    """Cut a text every so many characters."""
    return [Block.of(text[k : k + size]) for k in range(0, len(text), size)]


def run(split: Split, blocks: list[Block]) -> tuple[list[Piece], Report]:
    """Run a split over blocks, and check what every run must keep."""
    report = Report()
    pieces = list(run_blocks(Comb((split,)), blocks, report))
    check(pieces, report, is_together=not split.stacked)
    return pieces, report


def run_unchecked(split: Split, text: str) -> tuple[list[Piece], Report]:
    """Run a split over a long text, with the tool's own proof but not the slow checks."""
    report = Report()
    return list(run_blocks(Comb((split,)), blocks_of(text, 1 << 20), report)), report


def check(pieces: list[Piece], report: Report, *, is_together: bool = True) -> None:
    """The one checker of a result; `is_together` says that a record is one stretch of lines."""
    ledger = report.ledger
    ledger.check_source()
    listed: dict[str, int] = {}
    for piece in pieces:
        for reason, starts, ends in piece.charges:
            assert (starts <= ends).all() and (ends <= piece.used).all()
            listed[reason] = listed.get(reason, 0) + piece.text.count(starts, ends)
        if piece.drops is not None:
            assert (piece.drops.starts < piece.drops.ends).all()
        check_table(piece, is_together=is_together)
    assert {reason: n for reason, n in listed.items() if n} == {
        r: n for r, n in ledger.dropped.items() if n
    }
    tables = [piece.table for piece in pieces if piece.table is not None]
    written = sum(count_output(table) - sum(map(len, table.names)) for table in tables)
    ledger.output = written + sum(map(len, tables[0].names)) if tables else 0
    ledger.check_output()


def check_table(piece: Piece, *, is_together: bool = True) -> None:
    """Spans are ordered and inside the text, arrays agree, every cell traces to its source."""
    table = piece.table
    if table is None:
        return
    assert table.starts.shape == table.ends.shape == (table.n_records, len(table.names))
    assert (table.record_starts <= table.record_ends).all()
    assert np.unique(table.record_starts).size == table.n_records
    there = table.starts >= 0
    assert (there == (table.ends >= 0)).all() and (table.starts <= table.ends).all()
    rows, columns = np.nonzero(there)
    starts, ends = (
        table.starts[rows, columns].astype(np.int64),
        table.ends[rows, columns].astype(np.int64),
    )
    origin_starts, origin_ends = table.text.origins(starts, ends)
    if is_together:
        assert (origin_starts >= table.record_starts[rows]).all()
        assert (origin_ends <= table.record_ends[rows]).all()
    for row, column, start, end in zip(rows, columns, origin_starts, origin_ends, strict=True):
        source, value = table.text.value(start, end), table.value(row, column)
        assert value is not None
        undoubled = [source.replace(mark * 2, mark) for mark in "\"'·"]
        assert value in (source, *undoubled)


def rows_of(pieces: list[Piece]) -> list[list[str | None]]:
    """All records, what no column could take at their end."""
    return [
        [*row, piece.table.rest(number)]
        for piece in pieces
        if piece.table is not None
        for number, row in enumerate(piece.table.rows())
    ]


def snags_of(pieces: list[Piece]) -> list[tuple[int, int]]:
    """Snags as (record of the whole text, kind)."""
    found, before = [], 0
    for piece in pieces:
        if piece.table is not None:
            rows = piece.table.snags.records + before
            found += list(zip(rows.tolist(), piece.table.snags.kinds.tolist(), strict=True))
            before += piece.table.n_records
    return found
