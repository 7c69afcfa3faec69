"""What steps hand on: a stretch of text, the table or the text made of it, and what left it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Ints
from wetcomb.core.cutting.ragged import LineDrops
from wetcomb.core.doubts import Doubt
from wetcomb.core.ledger import Charge
from wetcomb.core.moves import Moves
from wetcomb.core.table import Table
from wetcomb.core.text import Text

__all__ = ["Advice", "Batch", "LabelCount", "NameSource", "StepRun", "Told", "TotalSeen"]

Span = tuple[int, int]


class NameSource(msgspec.Struct, frozen=True):
    """Where a column's name came from: spans it has to itself, and spans told in others too."""

    spans: tuple[Span, ...] = ()
    again: tuple[Span, ...] = ()

    @property
    def is_found(self) -> bool:
        """Whether the text says any of it."""
        return bool(self.spans or self.again)

    def charge(self, reason: str) -> list[Charge]:
        """Return the spans it has to itself as dropped: the column leaves, or is called otherwise."""
        spans = np.array(self.spans, np.int64).reshape(-1, 2)
        return [Charge(reason, spans[:, 0], spans[:, 1])] if self.spans else []


class TotalSeen(msgspec.Struct, frozen=True):
    """A line that sums up, checked: each figure as (column, as printed, as summed, whether they agree)."""

    line: int
    text: str
    figures: tuple[tuple[str, str, str, bool], ...]


class Batch(msgspec.Struct, frozen=True, eq=False):
    """Some text on its way through the steps.

    Attributes
    ----------
    text : what the spans below point into
    used : bytes of its body that were taken; 0 asks for a longer one
    n_lines : lines among them
    table : the records made of these bytes; None where a step makes text
    result, kept : the text made of them, and the spans that were kept for it; None where a step
        makes a table
    kept_at : where in the result each of these spans stands
    charges : every span of them that was dropped
    drops : the lines among them that are no record
    name_sources : where the name of each of the table's columns came from, in the batch whose
        names are written; empty in all others
    renamed : headings that were made up or made unlike another (as it stood, as it is now)
    totals : lines that sum up, checked
    moves : the records of the table that were read anew, where a step does that
    """

    text: Text
    used: int = 0
    n_lines: int = 0
    table: Table | None = None
    result: Text | None = None
    kept: tuple[Ints, Ints] | None = None
    kept_at: Ints | None = None
    charges: Sequence[Charge] = ()
    drops: LineDrops | None = None
    name_sources: tuple[NameSource, ...] = ()
    renamed: tuple[tuple[str, str], ...] = ()
    totals: tuple[TotalSeen, ...] = ()
    moves: Moves | None = None

    def sign(self, step: str) -> Batch:
        """Return it with the charges that no step has signed signed by this one."""
        if all(charge.step for charge in self.charges):
            return self
        signed = [c if c.step else c._replace(step=step) for c in self.charges]
        return replace(self, charges=signed)

    def without_names(self) -> Batch:
        """Return it with names that are known already: what the text says of them is told again."""
        gone = [c for source in self.name_sources for c in source.charge("heading-again")]
        return replace(self, charges=[*self.charges, *gone], name_sources=(), renamed=())


class Advice(msgspec.Struct, frozen=True):
    """An option that would settle snags of one kind, as it was tried on some records.

    Attributes
    ----------
    snag : name of the kind
    option : the option as it is typed
    settled, changed : records that it would settle, and others that would come out differently
    """

    snag: str
    option: str
    settled: int
    changed: int


class LabelCount(msgspec.Struct, frozen=True):
    """A label as its values are looked over by hand.

    Attributes
    ----------
    name : of its column
    n_blocks, of_blocks : how many blocks have it, and how many there are
    lines : the source lines in which blocks without it begin, the first few
    shortest, longest : characters of a value, and how it begins
    rarest : how the rarest value begins, how often it stands, how many are as rare, how many differ
        (-1: too many to know)
    endings : how values ended, and how often, the commonest first
    """

    name: str
    n_blocks: int
    of_blocks: int
    lines: tuple[int, ...]
    shortest: tuple[int, str]
    longest: tuple[int, str]
    rarest: tuple[str, int, int, int]
    endings: tuple[tuple[str, int], ...]


class Told(msgspec.Struct, frozen=True):
    """What a step has to tell when all is done.

    Attributes
    ----------
    notes : what an option did not do
    advice : options that would settle snags
    remembered : texts that options go with, by the option's value as it was typed
    label_counts : what is to be looked over of each label
    broken : what had to hold and does not
    doubts : what speaks against the whole
    """

    notes: tuple[str, ...] = ()
    advice: tuple[Advice, ...] = ()
    remembered: Mapping[str, str] = {}
    label_counts: tuple[LabelCount, ...] = ()
    broken: tuple[str, ...] = ()
    doubts: tuple[Doubt, ...] = ()


class StepRun:
    """A step at work on one text: batches in, batches out, in order.

    A step that reads text is given a batch that begins at a record, without a table; it makes
    one batch of it and says how many bytes it used. What it leaves comes again with more text
    behind it, and where the text is cut never changes a record. A step that reads a table is
    given what another made, and may hold batches back until it has seen more.

    Attributes
    ----------
    state : what is carried from one batch to the next, where that is little
    """

    state: tuple[bool, ...] = ()

    def feed(self, batch: Batch, *, is_last: bool) -> Iterable[Batch]:
        """Yield what is made of a batch; `is_last` if no other comes behind it."""
        raise NotImplementedError

    def tell(self) -> Told:
        """Return what there is to tell, when all batches have been fed."""
        return Told()

    def give_counts(self) -> object:
        """Return what was counted so far for what will be told, and begin to count anew."""
        return None

    def add_counts(self, counts: object) -> None:
        """Add what another run of the step has counted behind what this one has."""
