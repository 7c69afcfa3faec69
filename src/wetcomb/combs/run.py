"""Run a comb over a text in chunks, in bounded memory, with the ledger closed.

A step is given bytes that begin at a record and says how many it took; what it left
comes again, in front of the next block. So a record may be as long as it likes up to
`MAX_RECORD`, and where the input happens to be cut never changes a cell.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np
from msgspec.structs import replace

from wetcomb.combs.comb import Comb
from wetcomb.combs.part import part_blocks
from wetcomb.core.arrays import Ints
from wetcomb.core.blocks import Block
from wetcomb.core.errors import BrokenPromise, InputError
from wetcomb.core.ledger import Charge, Ledger
from wetcomb.core.piece import Piece
from wetcomb.core.report import Report
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.table import Table
from wetcomb.core.text import Text, count_line_ends
from wetcomb.steps.step import Step

__all__ = ["MAX_RECORD", "count_output", "run_blocks", "run_text"]

MAX_TEXT = 512 * 1024 * 1024  # characters; spans are kept in 32 bits
_MANY_EDGES, _EDGE_SHARE = 5, 0.2  # records with a cut word, and their share, that stop a run
MAX_RECORD = 64 * 1024 * 1024  # bytes; a longer record is a text that was cut on the wrong thing


def run_text(comb: Comb, text: str | bytes) -> Table:
    """Return the table a comb makes of a text in memory."""
    report = Report()
    whole = text if isinstance(text, str) else text.decode()
    if len(whole) > MAX_TEXT:
        raise InputError(
            f"a text in memory may have {MAX_TEXT // 2**20} Mi characters; run longer ones from a file"
        )
    tables = [
        piece.table
        for piece in run_blocks(comb, [Block.of(whole)], report)
        if piece.table is not None
    ]
    if len(tables) != 1:
        raise BrokenPromise("one block of text made other than one table")
    ledger = report.ledger
    ledger.output = count_output(tables[0])
    ledger.check_output()
    return tables[0]


def count_output(table: Table) -> int:
    """Return O for a table in memory: the characters of its cells, headings and rests."""
    cells = sum(len(value) for row in table.rows() for value in row if value is not None)
    rests = sum(len(table.rest(row) or "") for row in range(table.n_records))
    return cells + rests + sum(map(len, table.names))


def run_blocks(
    comb: Comb,
    blocks: Iterable[Block],
    report: Report,
    *,
    source: str = "",
    is_continued: bool = False,
) -> Iterator[Piece]:
    """Yield what the comb makes of a text, piece by piece; sum up what happens in `report`.

    When the last piece has been taken the source side of the ledger is checked.

    Parameters
    ----------
    source : what messages call the text
    is_continued : the text goes on with a table whose names are known from another, so its
        own heading is the heading again

    Raises
    ------
    InputError : there are no records, or one is longer than `MAX_RECORD`
    BrokenPromise : a character has no home
    """
    first, *others = comb.steps
    step, later = first.begin(), [other.begin_table() for other in others]
    counted = Ledger()
    pending, bad, line, enough = b"", np.zeros(0, np.int64), 1, 1
    is_open = False  # the last line outside has no line end
    for stretch in part_blocks(comb.part, blocks):
        block, is_last = stretch.block, stretch.is_end
        counted.source += block.characters
        report.undecodable += len(block.undecodable)
        if not stretch.is_inside:
            piece = _charge_outside(block, line)
            is_open = not block.data.endswith((b"\n", b"\r")) if block.data else is_open
            line += piece.n_lines
            report.outside_lines += piece.n_lines
            counted.add(piece.ledger)
            yield piece
            continue
        bad = np.concatenate([bad, np.array(block.undecodable, np.int64) + len(pending)])
        pending = pending + block.data if pending else block.data
        if len(pending) < enough and not is_last:
            continue
        text = Text.of(pending, line)
        piece = step.feed(text, is_last=is_last)
        if is_last and piece.used != len(pending):
            raise BrokenPromise(f"{len(pending) - piece.used} bytes at the end were not read")
        if len(pending) - piece.used > MAX_RECORD:
            raise InputError(_tell_too_long(first), source=source, line=line)
        piece = _add_undecodable(piece, bad[bad < piece.used])
        if is_continued and piece.heading is not None:
            piece = _drop_heading(piece)
        for run in later:
            piece = run.apply(piece)
        _report_piece(report, counted, piece)
        yield piece
        line += piece.n_lines
        pending, bad = pending[piece.used :], bad[bad >= piece.used] - piece.used
        # what a long record has in hand is doubled before it is looked at again
        enough = 1 if piece.used else min(2 * len(pending), MAX_RECORD + 1)
    report.lines += line - 1 + is_open
    report.outside_lines += is_open
    counted.check_source()
    _check_edges(report, source)
    report.ledger.add(counted)


def _charge_outside(block: Block, line: int) -> Piece:
    """Return text outside the part that was asked for as a piece without a table."""
    text = Text.of(block.data, line)
    size, n_lines = len(block.data), count_line_ends(block.data)
    ledger = Ledger()
    ledger.dropped["outside"] = block.characters
    charge = Charge("outside", np.array([0]), np.array([size]))
    return Piece(text, "part", None, size, n_lines, ledger, [charge])


def _tell_too_long(step: Step) -> str:
    size = f"{MAX_RECORD // 2**20} MiB"
    if getattr(step, "reach", "record") != "record":
        return f"a page is longer than {size}, and it must be seen whole; give the edges as numbers, or mark the pages (form feeds)"
    return f"a record is longer than {size}; do its lines end at all, or is a quote mark never closed (--quote-lines, --quote none)?"


def _check_edges(report: Report, source: str) -> None:
    """Stop a run whose edges cut through words all over the text."""
    number = report.snags["edge-in-word"]
    if number < _MANY_EDGES or number < _EDGE_SHARE * report.records:
        return
    example = report.snag_examples["edge-in-word"][0]
    raise InputError(
        f"the edges cut through words in {number} of {report.records} records ({example.text.strip()[:60]!r}); give other --edges, or --touching if fields stand without a gap",
        source=source,
        line=example.first_line,
    )


def _drop_heading(piece: Piece) -> Piece:
    """Charge a heading that says only what is known."""
    assert piece.heading is not None
    piece.ledger.drop_kept(
        "heading-again", piece.text.count(piece.heading.starts, piece.heading.ends)
    )
    piece.ledger.put_in["names"] = 0
    return replace(piece, charges=[*piece.charges, piece.heading], renamed=())


def _report_piece(report: Report, counted: Ledger, piece: Piece) -> None:
    counted.add(replace(piece.ledger, source=0))
    if piece.drops is not None:
        report.add_drops(piece.text, piece.drops)
    if piece.table is not None:
        report.add_table(piece.table)
    report.renamed += piece.renamed


def _add_undecodable(piece: Piece, positions: Ints) -> Piece:
    """Make snags of the records in which bytes could not be read as text."""
    if piece.table is None or not positions.size or not piece.table.n_records:
        return piece
    table = piece.table
    rows = np.searchsorted(table.record_starts, positions, "right") - 1
    rows = np.unique(rows[(rows >= 0) & (positions < table.record_ends[rows])])
    old = [
        (table.snags.records[table.snags.kinds == code], code)
        for code in np.flatnonzero(np.bincount(table.snags.kinds)).tolist()
    ]
    snags = SnagRows.gather([*old, (rows, SNAG_CODES["undecodable"])])
    return replace(piece, table=replace(table, snags=snags))
