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
from wetcomb.combs.part import Stretch, part_blocks
from wetcomb.core.arrays import Ints
from wetcomb.core.blocks import Block
from wetcomb.core.errors import BrokenPromise, InputError
from wetcomb.core.ledger import Charge, Ledger
from wetcomb.core.piece import Piece, TableRun, TextPiece
from wetcomb.core.report import Report
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.table import Table
from wetcomb.core.text import Text, count_line_ends
from wetcomb.steps.step import Step

__all__ = [
    "EDGE_SHARE",
    "MANY_EDGES",
    "MAX_RECORD",
    "CombRun",
    "check_edges",
    "count_output",
    "rewrite_sample",
    "run_blocks",
    "run_text",
]

MAX_TEXT = 512 * 1024 * 1024  # characters; spans are kept in 32 bits
_MIB = 1024 * 1024
MANY_EDGES, EDGE_SHARE = 5, 0.2  # records with a cut word, and their share, that stop a run
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


def rewrite_sample(steps: Iterable[Step], sample: bytes) -> bytes:
    """Return what the steps that make text would make of a sample."""
    text = Text.of(sample)
    for step in steps:
        if step.makes == "text":
            text = step.begin_text().rewrite(text, is_last=True).result
    return text.data[: text.body_size].tobytes()


def count_output(table: Table) -> int:
    """Return O for a table in memory: the characters of its cells, headings and rests."""
    starts = np.append(table.starts, table.rest_starts).astype(np.int64)
    ends = np.append(table.ends, table.rest_ends).astype(np.int64)
    there = starts >= 0
    return table.text.count(starts[there], ends[there]) + sum(map(len, table.names))


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
    run = CombRun(comb, report, source=source, is_continued=is_continued)
    for stretch in part_blocks(comb.part, blocks):
        yield from run.take(stretch)
    run.tell(report)
    run.finish()
    check_edges(comb, report, source)


class CombRun:
    """A comb at work on one text: stretches in, pieces out, in order.

    The parameters are those of `run_blocks`, and

    Parameters
    ----------
    max_record : bytes of text that may be held at once, instead of `MAX_RECORD`
    """

    def __init__(
        self,
        comb: Comb,
        report: Report,
        *,
        source: str = "",
        is_continued: bool = False,
        max_record: int | None = None,
    ) -> None:
        self.comb, self.source = comb, source
        self._is_continued, self._max_record = is_continued, max_record or MAX_RECORD
        self.begin_again()
        self._restart(report)

    def begin_again(self) -> None:
        """Forget all that was read."""
        self._stages, self._later = _begin(self.comb, self._max_record)

    def _restart(self, report: Report) -> None:
        self.report, self._counted = report, Ledger()
        self._n_lines, self._is_open = 0, False  # whether the last line outside has no line end

    @property
    def can_share(self) -> bool:
        """Whether stretches that begin at records can be run apart, once the heading is read."""
        first, *others = self.comb.steps
        is_local = first.reach in ("record", "next") and first.reads == "text"
        return (
            is_local and self.comb.part.is_whole and all(step.reach == "record" for step in others)
        )

    @property
    def needs_next(self) -> bool:
        """Whether only the record behind tells where one ends."""
        return self.comb.steps[0].reach == "next"

    @property
    def state(self) -> tuple[bool, ...]:
        """What is carried on from one stretch to the next where `can_share` holds."""
        return self._stages[0].state

    def take(self, stretch: Stretch) -> Iterator[Piece]:
        """Yield the pieces that a stretch of the text completes."""
        block, report = stretch.block, self.report
        self._counted.source += block.characters
        report.undecodable += len(block.undecodable)
        if not stretch.is_inside:
            piece = _charge_outside(block, self._n_lines + 1)
            if block.data:
                self._is_open = not block.data.endswith((b"\n", b"\r"))
            self._n_lines += piece.n_lines
            report.outside_lines += piece.n_lines
            self._stages[0].start_at(self._n_lines + 1)
            self._counted.add(piece.ledger)
            yield piece
            return
        text = _read(block)
        passed = _pass_on(self._stages, 0, text, is_last=stretch.is_end, source=self.source)
        for depth, piece in passed:
            self._n_lines += piece.n_lines if depth == 0 else 0
            if self._is_continued and piece.heading is not None:
                piece = _drop_heading(piece)
            yield from self._pass_later(piece, 0)
        if stretch.is_end:
            for depth, run in enumerate(self._later):
                for piece in run.finish():
                    yield from self._pass_later(piece, depth + 1)

    def _pass_later(self, piece: Piece, depth: int) -> Iterator[Piece]:
        """Yield what the steps on tables make of a piece, from one of them on."""
        if depth == len(self._later):
            _report_piece(self.report, self._counted, piece)
            yield piece
            return
        for made in self._later[depth].take(piece):
            yield from self._pass_later(made, depth + 1)

    def tell(self, report: Report) -> None:
        """Report what is told of all that was taken, once there is no more."""
        for run in self._later:
            report.add_told(run.tell())

    def take_met(self) -> list[object]:
        """Return what the steps on tables have met that they will tell of, and let them forget it."""
        return [run.leave() for run in self._later]

    def go_on_with(self, met: list[object]) -> None:
        """Let the steps on tables take over what others have met, behind what they have themselves."""
        for run, part in zip(self._later, met, strict=True):
            run.go_on(part)

    def finish(self) -> None:
        """Close the source side of the ledger of all that was taken."""
        self.report.lines += self._n_lines + self._is_open
        self.report.outside_lines += self._is_open
        self._counted.check_source()
        self.report.ledger.add(self._counted)

    def leave(self) -> int | None:
        """Give back what is in hand, as if it had never come; return how many source bytes it is.

        None if a later step has some text in hand. Only where `can_share` holds.
        """
        text, *others = [stage.clear() for stage in self._stages]
        n_odd = text.doubts.size
        self._counted.source -= text.count(np.array([0]), np.array([text.body_size]))
        self.report.undecodable -= n_odd
        if any(other.body_size for other in others):
            return None
        return text.body_size - n_odd * (len(r"\xNN") - 1)

    def go_on_at(self, line: int, report: Report, state: tuple[bool, ...]) -> None:
        """Go on elsewhere in the text, where a record begins; what comes is told in `report`."""
        self._restart(report)
        for stage in self._stages:
            stage.clear()
        self._stages[0].start_at(line)
        self._stages[0].state = state


def _begin(comb: Comb, max_record: int) -> tuple[list[_Stage], list[TableRun]]:
    """Return the steps that read text, up to the one that makes the table, and those behind it."""
    stages, later = [], []
    for step in comb.steps:
        if step.reads == "table":
            later.append(step.begin_table())
        else:
            stages.append(_Stage(step, max_record))
    return stages, later


def _read(block: Block) -> Text:
    """Return a block as text; bytes that could not be read are doubts."""
    text = Text.of(block.data)
    if not block.undecodable:
        return text
    places = np.array(block.undecodable, np.int64)
    codes = np.full(places.size, SNAG_CODES["undecodable"], np.int64)
    return replace(text, doubts=places, doubt_codes=codes)


class _Stage:
    """A step that reads text, with the text it has not taken yet."""

    def __init__(self, step: Step, max_record: int) -> None:
        self.step, self._max_record = step, max_record
        self._makes_text = step.makes == "text"
        self._rewriter = step.begin_text() if self._makes_text else None
        self._run = None if self._makes_text else step.begin()
        self._pending, self._enough = Text.of(b""), 1

    @property
    def state(self) -> tuple[bool, ...]:
        """What the step carries on from one chunk to the next, if it tells."""
        return getattr(self._rewriter, "state", ())

    @state.setter
    def state(self, state: tuple[bool, ...]) -> None:
        if state and self._rewriter is not None:
            self._rewriter.state = state  # type: ignore[attr-defined]

    def clear(self) -> Text:
        """Return the text in hand, and have none."""
        text, self._pending, self._enough = self._pending, Text.of(b""), 1
        return text

    def start_at(self, line: int) -> None:
        """Say on which source line the text goes on, where some of it was left out."""
        if not self._pending.body_size:
            self._pending = Text.of(b"", line)

    def take(self, text: Text, *, is_last: bool, source: str) -> Piece | TextPiece | None:
        """Return what the step makes of what it has in hand; None if it needs more."""
        chunk = self._pending = self._pending.join(text)
        if chunk.body_size < self._enough and not is_last:
            return None
        made: Piece | TextPiece
        if self._rewriter is not None:
            made = self._rewriter.rewrite(chunk, is_last=is_last)
            used, n_lines = made.piece.used, made.piece.n_lines
        else:
            assert self._run is not None
            made = _settle(self._run.feed(chunk, is_last=is_last), chunk)
            used, n_lines = made.used, made.n_lines
        left = chunk.body_size - used
        if is_last and left:
            raise BrokenPromise(f"{left} bytes at the end were not read")
        if left > self._max_record:
            why = _tell_too_long(self.step, self._max_record)
            raise InputError(why, source=source, line=chunk.first_line)
        self._pending = chunk.rest(used, n_lines)
        # what a long record has in hand is doubled before it is looked at again
        self._enough = 1 if used else min(2 * left, self._max_record + 1)
        return made


def _pass_on(
    stages: list[_Stage], depth: int, text: Text, *, is_last: bool, source: str
) -> Iterator[tuple[int, Piece]]:
    """Yield what all steps make of some text, with how many steps it has come through."""
    made = stages[depth].take(text, is_last=is_last, source=source)
    if isinstance(made, TextPiece):
        yield depth, made.piece
        yield from _pass_on(stages, depth + 1, made.result, is_last=is_last, source=source)
    elif made is not None:
        yield depth, made


def _settle(piece: Piece, chunk: Text) -> Piece:
    """Take what earlier steps put in out of the charges, and make snags of their doubts."""
    if chunk.puts.size:
        ledger = piece.ledger
        total = chunk.count_puts(np.array([0]), np.array([piece.used]))
        gone = 0
        for reason, starts, ends in piece.charges:
            number = chunk.count_puts(starts, ends)
            ledger.dropped[reason] -= number
            gone += number
        ledger.put_in["glue"] += total - gone
        ledger.kept -= total - gone
        ledger.source -= total
    inside = chunk.doubts < piece.used
    for code in sorted(set(chunk.doubt_codes[inside].tolist())):
        piece = _add_snags(piece, chunk.doubts[inside & (chunk.doubt_codes == code)], code)
    return piece


def _charge_outside(block: Block, line: int) -> Piece:
    """Return text outside the part that was asked for as a piece without a table."""
    text = Text.of(block.data, line)
    size, n_lines = len(block.data), count_line_ends(block.data)
    ledger = Ledger()
    ledger.dropped["outside"] = block.characters
    charge = Charge("outside", np.array([0]), np.array([size]))
    return Piece(text, "part", None, size, n_lines, ledger, [charge])


def _tell_too_long(step: Step, most: int) -> str:
    size = f"{most // _MIB} MiB"
    if getattr(step, "stacked", False):
        return f"a set of stacked blocks is longer than {size}, and it must be seen whole; hand in a part at a time (--lines), or allow more (--memory)"
    if getattr(step, "sees_pages", False):
        return f"a page is longer than {size}, and it must be seen whole; give the edges as numbers, mark the pages (form feeds), or allow more (--memory)"
    return f"a record is longer than {size}; do its lines end at all, or is a quote mark never closed (--quote-lines, --quote none)? If it is that long, allow more (--memory)"


def check_edges(comb: Comb, report: Report, source: str) -> None:
    """Stop a run whose edges cut through words all over the text.

    The text's own rule is believed: what crosses it is no record of the table.
    """
    number = report.snags["edge-in-word"]
    if any(getattr(step, "edges", "") == "rule" for step in comb.steps):
        return
    if number < MANY_EDGES or number < EDGE_SHARE * report.records:
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
    if piece.moves is not None:
        report.add_moves(piece.moves)
    report.renamed += piece.renamed
    report.add_totals(piece.totals)


def _add_snags(piece: Piece, positions: Ints, code: int) -> Piece:
    """Make snags of the records that hold some positions."""
    if piece.table is None or not positions.size or not piece.table.n_records:
        return piece
    table = piece.table
    rows = np.searchsorted(table.record_starts, positions, "right") - 1
    rows = np.unique(rows[(rows >= 0) & (positions < table.record_ends[rows])])
    old = [
        (table.snags.records[table.snags.kinds == kind], kind)
        for kind in np.flatnonzero(np.bincount(table.snags.kinds)).tolist()
    ]
    snags = SnagRows.gather([*old, (rows, code)])
    return replace(piece, table=replace(table, snags=snags))
