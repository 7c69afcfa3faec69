"""What follows from the options of split."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from msgspec.structs import replace

from wetcomb.core.errors import UsageError
from wetcomb.match.marks import (
    BLANK_WORDS,
    CURLY,
    LINE_WORD,
    NO_DELIMITER,
    parse_delimiter,
    parse_quote,
)
from wetcomb.steps.split.declared import SplitFields
from wetcomb.steps.split.ways import WAYS, find_way_words
from wetcomb.steps.step import AUTO, Step

if TYPE_CHECKING:
    from wetcomb.core.cutting.specials import CutRules

__all__ = ["RECORD_WORDS", "SplitDerived"]

_NO_LITERALS = (*BLANK_WORDS, NO_DELIMITER, LINE_WORD)
#: What can end a record, beside a text.
RECORD_WORDS = ("newline", "blank-line")
_OUTLINE = re.compile(r"heading(?::([1-9]))?")


class SplitDerived(SplitFields, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """The options of split with what follows from them."""

    @classmethod
    def tell_way(cls, option_name: str) -> str:
        return find_way_words(option_name)

    @property
    def reads(self) -> str:
        """A table, where a column of it is cut; else text."""
        return "table" if self.column else "text"

    @property
    def way(self) -> str:
        """The name of the way it makes records (`WAYS`)."""
        return next(way.name for way in WAYS if way.is_chosen(self))

    @property
    def may_cut_column(self) -> bool:
        return not self.column

    @property
    def is_column_cut(self) -> bool:
        return bool(self.column)

    @property
    def sees_pages(self) -> bool:
        """Whether a page must be in hand as a whole."""
        return self.panels > 1 or self.learns_edges or self.stacked

    @property
    def held_whole(self) -> str:
        if self.column_by_column:
            return "a text of columns one under another is longer than {}, and it must be seen whole; hand in a part at a time (--lines), or allow more (--memory)"
        if self.stacked:
            return "a set of stacked blocks is longer than {}, and it must be seen whole; hand in a part at a time (--lines), or allow more (--memory)"
        if self.sees_pages:
            return "a page is longer than {}, and it must be seen whole; give the edges as numbers, mark the pages (form feeds), or allow more (--memory)"
        return super().held_whole

    @property
    def may_cut_words(self) -> bool:
        """The text's own rule is believed: what crosses it is no record of the table."""
        return self.edges == "rule"

    @property
    def reach(self) -> str:
        if self.column_by_column:
            return "whole"
        carries = self.group or self.totals or self.parted_by or self.per_record
        is_local = not self.sees_pages and not carries and self.records_at == "newline"
        return "state" if not is_local else "next" if self.wrapped or self.continues else "record"

    @property
    def words(self) -> tuple[str, ...]:
        """What parts the fields, as it was given; nothing while it is not settled."""
        return self.delimiter if isinstance(self.delimiter, tuple) else ()

    @property
    def learns_edges(self) -> bool:
        """Whether edges are taken from the text."""
        return isinstance(self.edges, str)

    @property
    def edge_columns(self) -> tuple[int, ...]:
        """The display columns to cut at, where they are given as numbers for all of the text."""
        return self.edges if isinstance(self.edges, tuple) else ()

    @property
    def n_stated(self) -> int:
        """How many fields a record has, where that is stated; else 0."""
        return self.fields if isinstance(self.fields, int) else 0

    @property
    def shapes(self) -> tuple[str, ...]:
        """The shape of each counted cell; none where they are not settled or not stated."""
        return self.cell_shapes if isinstance(self.cell_shapes, tuple) else ()

    @property
    def has_cell_heading(self) -> bool:
        """Whether the heading is a record of counted cells, wherever its lines end."""
        return self.per_record > 0 and self.heading == "first"

    @property
    def literals(self) -> tuple[str, ...]:
        """The delimiters that are texts, as they stand in the source; none while not settled."""
        return tuple(parse_delimiter(word) for word in self.words if word not in _NO_LITERALS)

    @property
    def blanks(self) -> str:
        """The kind of spacing that is a delimiter: `space`, `gap` or nothing."""
        return next((word for word in self.words if word in BLANK_WORDS), "")

    @property
    def has_edges_only(self) -> bool:
        """Whether nothing but edges cuts, so that they say how many fields a record has."""
        others = self.boundary or self.before or self.after
        return bool(self.edges) and not others and self.delimiter == (NO_DELIMITER,)

    @property
    def needs_fields(self) -> bool:
        """Whether the number of fields must be stated, nothing else telling it."""
        if any(place < 0 for place in self.take_positions) and not self.has_edges_only:
            return self.heading == "none" and not self.per_record and self.fields in (AUTO, 0)
        told = (
            self.outline_level
            or self.names
            or self.per_record
            or self.column_by_column
            or self.each_a_record
            or self.has_edges_only
        )
        return self.heading == "none" and not told and self.fields in (AUTO, 0)

    @property
    def record_end(self) -> str:
        """The text that ends a record; nothing where a line end or a blank line does."""
        if self.records_at in RECORD_WORDS or self.outline_level:
            return ""
        return self.records_at if self.records_at.isspace() else parse_delimiter(self.records_at)

    @property
    def quote_pairs(self) -> tuple[tuple[str, str], ...]:
        """The quote marks, each with what closes it; none where nothing is quoted."""
        words = [
            w for word in self.quote for w in (("double", "single") if word == "both" else (word,))
        ]
        words = list(dict.fromkeys(words))
        if "none" in words:
            if len(words) > 1:
                raise UsageError("--quote none stands alone; leave the other --quote out")
            return ()
        is_uncut = self.delimiter == (NO_DELIMITER,)
        if is_uncut and (self.edges or self.boundary or self.before or self.after):
            return ()  # where no delimiter could stand in them, marks are text
        pairs: list[tuple[str, str]] = []
        for word in words:
            pairs += CURLY if word == "curly" else [(parse_quote(word), parse_quote(word))]
        return tuple(pairs)

    @property
    def outline_level(self) -> int:
        """The level of an outline whose sections are the records, 0 where it is no outline."""
        found = _OUTLINE.fullmatch(self.records_at)
        return int(found[1] or 1) if found else 0

    @property
    def taken(self) -> tuple[int | str, ...]:
        """The columns to keep: places and names."""
        given = self.take if isinstance(self.take, tuple) else (self.take,)
        return tuple(int(one) if re.fullmatch(r"-?\d+", str(one)) else one for one in given)

    @property
    def take_positions(self) -> tuple[int, ...]:
        """The places among the columns to keep."""
        return tuple(one for one in self.taken if isinstance(one, int))

    @property
    def n_heading(self) -> int:
        """How many printed lines the heading is."""
        if self.heading in ("none", AUTO) or self.has_cell_heading:
            return 0
        return 1 if self.heading == "first" else int(self.heading)

    @property
    def names_in_text(self) -> bool:
        return self.heading == "first" and not self.names

    def as_printed(self) -> Step:
        return replace(self, take=(), missing=())

    def unsettled(self) -> list[str]:
        names = [name for name in super().unsettled() if name != "fields" or self.needs_fields]
        if self.edges == "blanks" and not self.stacked:
            names.append("edges")
        return names

    def rules(self) -> CutRules:
        """Return what cuts by delimiters, in bytes."""
        from wetcomb.core.cutting.specials import CutRules

        return CutRules(
            delimiters=tuple(text.encode() for text in self.literals),
            blanks=self.blanks,
            cut_runs_once=self.cut_runs_once,
            marks=tuple(opening.encode() for opening, _ in self.quote_pairs),
            closers=tuple(closing.encode() for _, closing in self.quote_pairs),
            quote_lines=self.quote_lines,
            quote_ends=self.quote_ends,
            record_end=self.record_end.encode(),
            paragraphs=self.records_at == "blank-line",
            lines_part=LINE_WORD in self.words,
        )
