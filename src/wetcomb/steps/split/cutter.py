"""A text cut into records: the one way for the lines of a text, the values of a column, and drafts."""

from __future__ import annotations

from collections import Counter

import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints
from wetcomb.core.cutting.layout import drop_lines, strip_page_marks
from wetcomb.core.cutting.ragged import LineDrops, Ragged
from wetcomb.core.cutting.reading import cut_records
from wetcomb.core.cutting.records import OddPlaces, Records
from wetcomb.core.cutting.scanned import Cut
from wetcomb.core.cutting.scanner import Scanner
from wetcomb.core.cutting.specials import CutRules, Specials
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.split.leaving import find_dropped, find_frame
from wetcomb.steps.split.options import Split
from wetcomb.steps.split.places import Places

__all__ = ["Cutter", "Surroundings"]


class Surroundings:
    """What is known of a text around its records: here nothing but the edges that were given.

    A run knows more: where pages begin, which lines name groups, which edges hold where.
    """

    def __init__(self, edges: Ints) -> None:
        self._edges = edges

    def take_whole(self, data: Bytes, cut: Cut) -> Cut | None:
        """Return the records of which enough is in hand; None if more of the text is needed."""
        return cut

    def find_named(self, data: Bytes, ragged: Ragged) -> tuple[Bools, LineDrops]:
        """Return which lines are told apart by what they say, and these as lines that leave."""
        return np.zeros(ragged.stops.size, np.bool_), LineDrops.none()

    def find_edges(self, data: Bytes, ragged: Ragged, named: Bools) -> Ints:
        """Return the edges of every line: one list for all, or a list each, -1 where there are fewer."""
        return self._edges


class Cutter:
    """Cuts text by the options of one `Split`.

    Parameters
    ----------
    rules : what cuts and quotes, where that is other than the options say
    """

    def __init__(self, options: Split, rules: CutRules | None = None) -> None:
        self._options = options
        self.rules = rules or options.rules()
        self._places = Places(options, self.rules)
        self._missing = [word.encode() for word in options.missing]
        self._lines_are_cells = (
            options.per_record > 0 and not options.literals and not options.blanks
        )
        self._dropped = [
            compile_pattern(text, ignore_case=options.ignore_case) for text in options.drop_pieces
        ]

    @property
    def cuts_further(self) -> bool:
        """Whether more than delimiters cut, so that these do not tell how many fields a line has."""
        return self._places.changes_fields

    @property
    def hits(self) -> Counter[str]:
        """How often each option that cuts beside delimiters found something."""
        return self._places.hits

    @property
    def has_leaving(self) -> bool:
        """Whether fields may leave their records."""
        return self._options.frame or bool(self._dropped)

    def cut(
        self,
        specials: Specials,
        around: Surroundings,
        *,
        start: int = 0,
        n_fields: int | None = None,
        heading: tuple[bytes, ...] = (),
        is_table: bool = True,
    ) -> Records | None:
        """Return the records from a place on; None if more of the text is needed.

        Parameters
        ----------
        n_fields : how many fields a line of the table has; None if not known, or if lines are
            no records
        heading : what the heading says, to know it when it comes again
        is_table : lines that are no record leave; else all that is cut is a record
        """
        data = specials.data
        expected = None if self.cuts_further else n_fields
        scanner = Scanner(specials, self.rules)
        cut = around.take_whole(data, cut_records(specials, self.rules, start, expected, scanner))
        if cut is None:
            return None
        named, drops = around.find_named(data, cut.ragged)
        edges = around.find_edges(data, cut.ragged, named)
        edges = edges[~named] if edges.ndim == 2 else edges
        ragged, odd = self._places.recut(data, cut.ragged.select(~named), edges)
        if is_table:
            ragged = strip_page_marks(data, ragged, self.rules.marks)
            width = 1 if self._lines_are_cells else n_fields
            ragged, others, _ = drop_lines(data, ragged, width, heading, self._missing)
            drops = LineDrops.join([others, drops])
        bare = np.zeros(ragged.starts.size, np.uint8)
        records = Records(ragged, bare, drops, OddPlaces.join([cut.odd, odd]), cut.used)
        gone = self._find_leaving(data, ragged)
        return records.let_go(gone, "dropped-piece") if gone.size else records

    def _find_leaving(self, data: Bytes, ragged: Ragged) -> Ints:
        gone = np.zeros(ragged.starts.size, np.bool_)
        if self._options.frame:
            gone |= find_frame(ragged)
        if self._dropped:
            gone |= find_dropped(data, ragged, self._dropped)
        return np.flatnonzero(gone)

    def drops_all(self, value: bytes) -> bool:
        """Return whether a value is nothing but a piece that leaves."""
        return any(pattern.covers(value) for pattern in self._dropped)
