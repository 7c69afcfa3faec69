"""The ledger: every character of the source has one home.

    S = K + A + sum D_r          O = K + A' + sum P_p + sum R_q

S is counted by the reader, O at the writer's door. What lies between is summed from one book,
the charges and the cells that came through all steps (`bookkeeping`); no step counts anything.
A ledger is a sum of integer changes, so it adds up over chunks and machines. It proves that
nothing was lost, not that everything stands in the right place.
"""

from __future__ import annotations

from collections import Counter
from typing import NamedTuple

import msgspec

from wetcomb.core.arrays import Bools, Ints
from wetcomb.core.errors import BrokenPromise

__all__ = ["DROPS", "LINE_DROPS", "PUT_IN", "REPEATED", "Charge", "Ledger"]

#: Why a character of the source may be missing from the output. There is no reason "other".
DROPS = {
    "delimiter": "what parts the fields",
    "line-end": "what ends a line",
    "record-end": "what ends a record, where that is no line end",
    "quote-mark": "marks around a quoted field",
    "doubled-mark": "second of two marks that stand for one",
    "spacing": "blanks and tabs around a field",
    "blank-line": "lines with nothing on them",
    "rule": "lines of nothing but rule marks",
    "page-mark": "form feeds on a line of their own",
    "empty-record": "records with every field empty",
    "heading-again": "the heading, repeated further down",
    "heading-replaced": "the heading, replaced by the names given",
    "repeated-label": "row labels of further blocks (--stacked)",
    "block-mark": "a mark that says that more blocks follow",
    "continues-mark": "marks that say that a cell goes on (--continues)",
    "not-taken": "fields of columns not taken",
    "label": "labels, and what marks them (pull)",
    "label-again": "values of a label that stands in its block again (--again)",
    "unclaimed": "text in blocks that no label claims",
    "group-line": "lines that name what follows (--group)",
    "total-line": "lines that sum up (--totals)",
    "dropped-line": "lines that a pattern names (--drop-lines, --keep-lines)",
    "page-head": "lines at a page's top (--page-head)",
    "page-foot": "lines at a page's foot (--page-foot)",
    "zero-width": "characters of no width",
    "direction-mark": "marks that say which way what follows is read",
    "soft-hyphen": "hyphens that are seen only at a line's end",
    "control": "control characters",
    "wrong-decoding": "signs that stood for one letter, decoded wrongly once (wash)",
    "special-space": "special spaces that became plain blanks (--plain-spaces)",
    "reply-mark": "marks before a quoted stretch of a mail",
    "hyphen": "hyphens that parted a word at a line's end",
    "outline-mark": "the stop behind a section's number",
    "dropped-piece": "pieces that a pattern names (--drop-pieces)",
    "taken-out": "signs taken off values, or out of them (--strip, --take-out, --replace)",
    "repeat": "records that say what another says (--drop-repeats)",
    "dropped-record": "records that were dropped by hand or by a pattern (--drop-records, --drop-matching)",
    "outside": "lines outside the part that was asked for",
    "missing-word": "words that stand for a missing value",
    "byte-order-mark": "the mark some programs put before a text",
}

#: Those of them that take whole lines away, and so are told with an example.
LINE_DROPS = (
    "blank-line",
    "rule",
    "page-mark",
    "empty-record",
    "heading-again",
    "dropped-line",
    "group-line",
    "total-line",
    "unclaimed",
    "page-head",
    "page-foot",
)

#: What the tool puts into the output's cells that stands nowhere in the source.
PUT_IN = {
    "names": "headings",
    "glue": "what joins lines or replaces signs",
    "source-file": "names of the sources",
    "source-lines": "line numbers",
    "snag-column": "names of the snags",
    "missing-as": "text for missing values",
    "guard": "apostrophes before what a spreadsheet could take for a formula (--guard-formulas)",
}

#: What the tool writes more than once, because it was asked to.
REPEATED = {
    "spread-heading": "headings over several columns",
    "original": "values that stand beside what they were cut into",
    "groups": "what group lines name, in each of their records",
    "outer-levels": "numbers and titles of outer sections",
    "other-columns": "values of a record that became several",
    "carried": "values that hold for records below (--carry)",
}


class Charge(NamedTuple):
    """Spans of a text's body that a step dropped for one reason (a key of `DROPS`)."""

    reason: str
    starts: Ints
    ends: Ints
    step: str = ""

    def select(self, kept: Bools) -> Charge:
        """Return it with some of its spans only."""
        return self._replace(starts=self.starts[kept], ends=self.ends[kept])


class Ledger(msgspec.Struct):
    """Counts of characters; the sum of two ledgers is a ledger.

    Attributes
    ----------
    source : S, characters of the source
    kept : K, characters that stand in a cell of the output as they stood in the source
    altered, altered_to : A and A', characters changed in form, before and after
    dropped : D_r by reason (a key of `DROPS`)
    put_in : P_p by what it is (a key of `PUT_IN`)
    repeated : R_q, characters that stand in the output more than once on purpose
    output : O, characters in the output's cells
    """

    source: int = 0
    kept: int = 0
    altered: int = 0
    altered_to: int = 0
    dropped: Counter[str] = msgspec.field(default_factory=Counter)
    put_in: Counter[str] = msgspec.field(default_factory=Counter)
    repeated: Counter[str] = msgspec.field(default_factory=Counter)
    output: int = 0

    @property
    def in_cells(self) -> int:
        """Characters of the source that came into a cell, as they stood or in another form."""
        return self.kept + self.altered

    def add(self, other: Ledger) -> None:
        """Add the counts of another ledger to these."""
        for name in ("source", "kept", "altered", "altered_to", "output"):
            setattr(self, name, getattr(self, name) + getattr(other, name))
        self.dropped.update(other.dropped)
        self.put_in.update(other.put_in)
        self.repeated.update(other.repeated)

    def check_source(self) -> None:
        """Raise BrokenPromise unless every source character has exactly one home."""
        homes = self.kept + self.altered + sum(self.dropped.values())
        if self.source != homes:
            raise BrokenPromise(
                f"the ledger does not close: {self.source} characters came in, {homes} are accounted for"
            )
        unknown = [reason for reason in self.dropped if reason not in DROPS]
        if unknown:
            raise BrokenPromise(f"characters were dropped for a reason without a name: {unknown}")

    def check_output(self) -> None:
        """Raise BrokenPromise unless the cells written hold exactly what was kept and put in."""
        due = self.kept + self.altered_to + sum(self.put_in.values()) + sum(self.repeated.values())
        if self.output != due:
            raise BrokenPromise(
                f"the ledger does not close: {due} characters were due in the output, {self.output} were written"
            )
