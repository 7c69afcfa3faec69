"""What a run found, gathered while it goes: enough to tell a person, bounded in size."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.batch import Batch, LabelCount, Told, TotalSeen
from wetcomb.core.cutting.ragged import LineDrops
from wetcomb.core.doubts import Doubt
from wetcomb.core.ledger import LINE_DROPS, Ledger
from wetcomb.core.moves import Move, Moves
from wetcomb.core.snags import SNAGS
from wetcomb.core.table import Table
from wetcomb.core.text import Text

__all__ = ["Example", "Report"]

_EXAMPLES = 3
_EXCERPT = 200  # characters of a line that are kept to be shown


class Example(msgspec.Struct, frozen=True):
    """One place in the source: its lines (from 1) and how it begins."""

    first_line: int
    last_line: int
    text: str
    source: str = ""


class Report(msgspec.Struct):
    """Counts and a few examples of everything that is told after a run.

    Attributes
    ----------
    lines : lines of the source
    outside_lines : those of them outside the part that was asked for
    records : records of the table
    names : the table's columns, without `rest`
    rests : records with more than the columns could take
    ledger : the sum of all ledgers
    dropped_lines : how often each kind of line left the records, by reason
    drop_examples, snag_examples : a few places by name
    snags : records by name of the snag
    snagged_records : records with at least one snag
    renamed : headings that were made up or made unlike another (as it stood, as it is now)
    totals : how many figures of total lines agree, and how many do not
    total_examples : total lines of which some figure does not agree, and else the last one
    moved : records whose cells were put under other columns
    moves, unread : what became of them, up to `keep_moves`, and a few that could not be read
    doubts : what speaks against the whole
    notes : what options did not do
    advice : options that would settle snags, with the records they would settle and change
    remembered : texts that options go with
    label_counts : what is to be looked over of each label (`--label-counts`)
    broken : what had to hold and does not (`--must`)
    undecodable : bytes of the source that were no text
    source : name of the source that is being read
    """

    lines: int = 0
    outside_lines: int = 0
    records: int = 0
    names: tuple[str, ...] = ()
    rests: int = 0
    ledger: Ledger = msgspec.field(default_factory=Ledger)
    dropped_lines: Counter[str] = msgspec.field(default_factory=Counter)
    drop_examples: dict[str, list[Example]] = msgspec.field(default_factory=dict)
    snags: Counter[str] = msgspec.field(default_factory=Counter)
    snag_examples: dict[str, list[Example]] = msgspec.field(default_factory=dict)
    snagged_records: int = 0
    renamed: tuple[tuple[str, str], ...] = ()
    totals: tuple[int, int] = (0, 0)
    total_examples: list[TotalSeen] = msgspec.field(default_factory=list)
    moved: int = 0
    moves: list[Move] = msgspec.field(default_factory=list)
    unread: list[Move] = msgspec.field(default_factory=list)
    doubts: tuple[Doubt, ...] = ()
    keep_moves: int = _EXAMPLES
    notes: tuple[str, ...] = ()
    advice: dict[tuple[str, str], tuple[int, int]] = msgspec.field(default_factory=dict)
    remembered: dict[str, str] = msgspec.field(default_factory=dict)
    label_counts: tuple[LabelCount, ...] = ()
    broken: tuple[str, ...] = ()
    undecodable: int = 0
    source: str = ""

    def add(self, other: Report) -> None:
        """Add what was found further down in the same source."""
        for name in ("lines", "outside_lines", "records", "rests", "snagged_records"):
            setattr(self, name, getattr(self, name) + getattr(other, name))
        self.undecodable += other.undecodable
        self.names = other.names or self.names
        self.renamed += other.renamed
        self.ledger.add(other.ledger)
        self.dropped_lines.update(other.dropped_lines)
        self.snags.update(other.snags)
        for mine, new in (
            (self.drop_examples, other.drop_examples),
            (self.snag_examples, other.snag_examples),
        ):
            for name, examples in new.items():
                kept = mine.setdefault(name, [])
                kept += examples[: _EXAMPLES - len(kept)]
        self.totals = self.totals[0] + other.totals[0], self.totals[1] + other.totals[1]
        self.total_examples += other.total_examples[: _EXAMPLES - len(self.total_examples)]
        self.moved += other.moved
        self.moves += other.moves[: self.keep_moves - len(self.moves)]
        self.unread += other.unread[: _EXAMPLES - len(self.unread)]
        self.notes += other.notes
        self.label_counts += other.label_counts
        self.broken += other.broken
        self.doubts += other.doubts
        for key, (settled, changed) in other.advice.items():
            self._add_advice(key, settled, changed)

    def _add_advice(self, key: tuple[str, str], settled: int, changed: int) -> None:
        before = self.advice.get(key, (0, 0))
        self.advice[key] = before[0] + settled, before[1] + changed

    @property
    def is_text(self) -> bool:
        """Whether lines of text were written as they are, and no table."""
        return self.names == ("",)

    def list_doubts(self, drafted: Sequence[Doubt]) -> tuple[Doubt, ...]:
        """Return what speaks against the whole: what was found before the run, and in it."""
        found = [*drafted, *self.doubts]
        odd = [
            (seen.line, f"{name} printed {printed}, the records give {summed}")
            for seen in self.total_examples
            for name, printed, summed, agrees in seen.figures
            if not agrees
        ]
        if odd and not any(doubt.name == "total-off" for doubt in found):
            lines = tuple((line, line) for line, _ in odd)
            found.append(Doubt("total-off", odd[0][1], lines))
        return tuple(sorted(found, key=lambda doubt: doubt.place))

    def add_moves(self, moves: Moves) -> None:
        """Count the records that were put under other columns, and keep some of them."""
        changed = moves.changed
        self.moved += changed.size
        for kept, places, limit in (
            (self.moves, changed, self.keep_moves),
            (self.unread, moves.doubtful, _EXAMPLES),
        ):
            for place in places[: max(0, limit - len(kept))].tolist():
                kept.append(replace(moves.tell(place), source=self.source))

    def add_batch(self, batch: Batch) -> None:
        """Take over what is to be told of a batch that came through all steps."""
        if batch.drops is not None:
            self.add_drops(batch.text, batch.drops)
        if batch.table is not None:
            self.add_table(batch.table)
        if batch.moves is not None:
            self.add_moves(batch.moves)
        self.renamed += batch.renamed
        self.add_totals(batch.totals)

    def add_told(self, told: Told) -> None:
        """Take over what a step on tables has to tell at its end."""
        self.notes += told.notes
        self.remembered.update(told.remembered)
        self.label_counts += told.label_counts
        self.broken += told.broken
        self.doubts += told.doubts
        for each in told.advice:
            self._add_advice((each.snag, each.option), each.settled, each.changed)

    def add_table(self, table: Table) -> None:
        """Count the records of a table and its snags."""
        self.records += table.n_records
        self.names = table.names
        self.rests += int((table.rest_starts >= 0).sum())
        self.snags.update(table.snags.counts())
        self.snagged_records += table.snags.n_records
        for code in np.flatnonzero(np.bincount(table.snags.kinds)).tolist():
            examples = self.snag_examples.setdefault(SNAGS[code].name, [])
            rows = table.snags.records[table.snags.kinds == code][: _EXAMPLES - len(examples)]
            firsts, lasts = table.line_numbers(rows)
            for row, first, last in zip(rows, firsts, lasts, strict=True):
                text = table.record_text(int(row))[:_EXCERPT]
                examples.append(Example(int(first), int(last), text, self.source))

    def add_totals(self, totals: Sequence[TotalSeen]) -> None:
        """Count the figures that agree, and keep the lines that do not."""
        for seen in totals:
            agreeing = sum(agrees for *_, agrees in seen.figures)
            odd = len(seen.figures) - agreeing
            self.totals = self.totals[0] + agreeing, self.totals[1] + odd
            if odd and len(self.total_examples) < _EXAMPLES:
                self.total_examples.append(seen)

    def add_drops(self, text: Text, drops: LineDrops) -> None:
        """Count the lines that were no records."""
        for code in np.flatnonzero(np.bincount(drops.reasons)).tolist():
            mine = np.flatnonzero(drops.reasons == code)
            name = LINE_DROPS[code]
            self.dropped_lines[name] += mine.size
            examples = self.drop_examples.setdefault(name, [])
            for place in mine[: _EXAMPLES - len(examples)]:
                start, end = int(drops.starts[place]), int(drops.ends[place])
                edges = np.array([start, max(start, end - 1)])
                first, last = text.line_numbers(edges).tolist()
                excerpt = text.value(start, end).rstrip("\r\n")[:_EXCERPT]
                examples.append(Example(first, last, excerpt, self.source))
