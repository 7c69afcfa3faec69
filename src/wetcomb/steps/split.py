"""split: cut text into fields by whatever divides it.

It decides where each record and each field begins and ends: at delimiters (quotes
honoured), at display columns, where the kind of character changes, at patterns; one record
a line, or as `records_at`, `per_record` and `panels` say. Afterwards every value is a span
of the text, each record has the table's number of columns (what is over stands in `rest`,
what is missing is missing), and every record that does not fit is a snag. It is known to be
wrong where a text quotes in a way that no rule tells (`--quote-ends delimiter` helps with
marks that were never doubled) and where a stray value moves what follows in `per_record`
without changing its shapes; the first are snags, the second are not.
"""

from __future__ import annotations

import re
from itertools import pairwise
from typing import TYPE_CHECKING, Annotated, ClassVar, Literal

from msgspec.structs import force_setattr

from wetcomb.core.errors import UsageError, find_nearest
from wetcomb.match.marks import (
    BLANK_WORDS,
    CURLY,
    LINE_WORD,
    NO_DELIMITER,
    parse_delimiter,
    parse_quote,
)
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.step import AUTO, Auto, Step, list_options, option

if TYPE_CHECKING:
    from wetcomb.core.piece import StepRun, TableRun
    from wetcomb.core.specials import CutRules

__all__ = ["BOUNDARY_SIGNS", "EDGE_WORDS", "RECORD_WORDS", "Split"]

_NO_LITERALS = (*BLANK_WORDS, NO_DELIMITER, LINE_WORD)
_CUT, _RECORDS, _HEADING, _PIECES = "what to cut on", "which records", "heading", "pieces"

#: Where edges can be taken from, instead of numbers.
EDGE_WORDS = ("heading", "rule", "blanks")
#: What can end a record, beside a text.
RECORD_WORDS = ("newline", "blank-line")
_OUTLINE = re.compile(r"heading(?::([1-9]))?")
#: Kinds of character in a boundary; `*` is anything that the other side is not.
BOUNDARY_SIGNS = "aA9_.*"

_COUNT = re.compile(r"(first|last):(\d+)")


class Split(Step, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Options of split. A single text may stand for a list of one.

    Raises
    ------
    UsageError : options that contradict each other, or values that mean nothing
    """

    name: ClassVar[str] = "split"
    summary: ClassVar[str] = "cut text into fields by whatever divides it, quotes honoured"

    delimiter: Annotated[
        tuple[str, ...] | str | Auto,
        option(
            "what parts the fields: a text of any length, or comma tab semicolon pipe colon dollar nbsp newline space gap none",
            group=_CUT,
            example="semicolon",
            short="-d",
        ),
    ] = AUTO
    cut_runs_once: Annotated[
        bool, option("delimiters that touch part only once", group=_CUT, example="")
    ] = False
    frame: Annotated[
        bool,
        option(
            "a delimiter at a line's start and end parts nothing (| a | b |)",
            group=_CUT,
            example="",
        ),
    ] = False
    quote: Annotated[
        tuple[str, ...] | str,
        option(
            "the mark around fields that hold the delimiter: double, single, both, curly, none or any character",
            group=_CUT,
            example="single",
        ),
    ] = ("double",)
    quote_ends: Annotated[
        Literal["mark", "delimiter"],
        option(
            "what ends a quoted field: its mark, or only a mark before a delimiter or line end (for inner marks that were never doubled)",
            group=_CUT,
            example="delimiter",
        ),
    ] = "mark"
    quote_lines: Annotated[
        int,
        option(
            "line ends a quoted field may hold; a mark not closed by then is text",
            group=_CUT,
            example="0",
            ge=0,
            le=100_000,
        ),
    ] = 1000
    protect: Annotated[
        tuple[str, ...] | str,
        option("brackets whose text is never cut, as a pair", group=_CUT, example="'()'"),
    ] = ()
    edges: Annotated[
        tuple[int, ...] | int | str,
        option(
            "display columns to cut at, as how many stand left of the cut (32,46/31,43 for stacked blocks); or where to take them from",
            group=_CUT,
            example="12,30,41",
            words=EDGE_WORDS,
            ge=1,
            le=100_000,
        ),
    ] = ()
    touching: Annotated[
        bool,
        option("fields between edges may stand without a gap", group=_CUT, example=""),
    ] = False
    tab_width: Annotated[
        int,
        option("columns from one tab stop to the next", group=_CUT, example="4", ge=1, le=100),
    ] = 8
    boundary: Annotated[
        tuple[str, ...] | str,
        option(
            "cut where the kind of character changes, by example: a small letter, A capital, 9 digit, _ space, . mark, * any other",
            group=_CUT,
            example="'9|a'",
        ),
    ] = ()
    before: Annotated[
        tuple[str, ...] | str,
        option("cut before a pattern", group=_CUT, example="'LK-{digits}'"),
    ] = ()
    after: Annotated[
        tuple[str, ...] | str,
        option("cut after a pattern", group=_CUT, example="'{time}'"),
    ] = ()
    ignore_case: Annotated[
        bool, option("capitals do not count in patterns", group=_CUT, example="")
    ] = False
    cuts: Annotated[
        str,
        option(
            "which cuts of a record count: all, first:N or last:N", group=_CUT, example="first:2"
        ),
    ] = "all"

    records_at: Annotated[
        str,
        option(
            "what ends a record: newline, blank-line, a text, or heading:LEVEL for the sections of an outline",
            group=_RECORDS,
            example="blank-line",
        ),
    ] = "newline"
    per_record: Annotated[
        int,
        option(
            "so many fields make a record, wherever the lines end; 0: a line does",
            group=_RECORDS,
            example="5",
            ge=0,
            le=10_000,
        ),
    ] = 0
    cell_shapes: Annotated[
        tuple[str, ...] | str | Auto,
        option(
            "with --per-record: the shape of each column, to find a missing cell; any for no check; parted by commas",
            group=_RECORDS,
            example="'date,words,number'",
        ),
    ] = AUTO
    wrapped: Annotated[
        bool,
        option(
            "cells are wrapped under their column: a line whose key is blank goes on with the one above",
            group=_RECORDS,
            example="",
        ),
    ] = False
    key: Annotated[
        str,
        option(
            "with --wrapped: the column that every record begins in, by name or number",
            group=_RECORDS,
            example="Boat",
        ),
    ] = "1"
    parted_by: Annotated[
        Literal["", "blank-line", "rule"],
        option(
            "with --wrapped: what parts the records, where their cells stand on any of the lines",
            group=_RECORDS,
            example="blank-line",
        ),
    ] = ""
    glue: Annotated[
        str,
        option("with --wrapped: what joins the pieces of a cell", group=_RECORDS, example="', '"),
    ] = " "
    group: Annotated[
        tuple[str, ...] | str,
        option(
            "a line above its records that becomes a column, as a pattern for the whole line; outer to inner",
            group=_RECORDS,
            example="'Reach: {words as Reach}'",
        ),
    ] = ()
    totals: Annotated[
        tuple[str, ...] | str,
        option(
            "a line that sums up: it leaves, and its figures are checked against the columns they name; inner to outer",
            group=_RECORDS,
            example="'Sub-total {words} {money as Toll}'",
        ),
    ] = ()
    panels: Annotated[
        int,
        option(
            "the list runs down so many panels side by side, page by page",
            group=_RECORDS,
            example="3",
            ge=1,
            le=1000,
        ),
    ] = 1
    stacked: Annotated[
        bool,
        option(
            "blocks of columns one under another, parted by blank lines: put side by side by row label (the first column)",
            group=_RECORDS,
            example="",
        ),
    ] = False
    each_a_record: Annotated[
        bool, option("every piece is a record of its own", group=_RECORDS, example="")
    ] = False

    heading: Annotated[
        Literal["first", "none"] | int | Auto,
        option(
            "where the column names are: in the first record, in N printed lines, or nowhere",
            group=_HEADING,
            example="2",
            words=("first", "none"),
            ge=1,
            le=20,
        ),
    ] = AUTO
    names: Annotated[
        tuple[str, ...] | str,
        option(
            "the column names, instead of those in the text; parted by commas",
            group=_HEADING,
            example="'boat,lock,toll'",
        ),
    ] = ()
    fields: Annotated[
        int | Auto,
        option(
            "how many fields a record has; 0 for as many as the heading",
            group=_HEADING,
            example="6",
            ge=0,
            le=1_000_000,
        ),
    ] = AUTO

    take: Annotated[
        tuple[int, ...] | int,
        option(
            "which columns to keep, in this order; counted from 1, or from the end with a minus",
            group=_PIECES,
            example="1,3,-1",
        ),
    ] = ()
    drop_pieces: Annotated[
        tuple[str, ...] | str,
        option(
            "pieces that leave a record before its columns are counted, as a pattern",
            group=_PIECES,
            example="'text:(a)'",
        ),
    ] = ()
    missing: Annotated[
        tuple[str, ...] | str,
        option(
            "words that stand for a missing value; parted by commas",
            group=_PIECES,
            example="'nil,n/a,-'",
        ),
    ] = ()
    column: Annotated[
        tuple[str, ...] | str,
        option(
            "cut the values of this column of a table into new ones beside it; parted by commas for lists that run in step",
            group=_PIECES,
            example="size",
        ),
    ] = ()
    keep_original: Annotated[
        bool, option("with --column: keep the column that is cut", group=_PIECES, example="")
    ] = False

    def __post_init__(self) -> None:
        for entry in (
            "delimiter", "quote", "names", "missing", "take", "protect", "boundary", "before",
            "after", "drop_pieces", "cell_shapes", "column", "group", "totals",
        ):  # fmt: skip
            value = getattr(self, entry)
            if isinstance(value, str | int):
                force_setattr(self, entry, (value,))
        if isinstance(self.edges, int):
            force_setattr(self, "edges", (self.edges,))
        self._fill_in()
        self._check_marks()
        self._check_places()
        self._check_records()
        self._check_names()

    def _fill_in(self) -> None:
        """State what follows from the other options."""
        other_cuts = self.edges or self.boundary or self.before or self.after
        if self.outline_level and self.heading is AUTO:
            force_setattr(self, "heading", "none")
        if self.delimiter is AUTO and self.outline_level:
            force_setattr(self, "delimiter", (NO_DELIMITER,))
        if self.delimiter is AUTO and (other_cuts or self.per_record or self.each_a_record):
            force_setattr(self, "delimiter", (NO_DELIMITER,))
        if self.cell_shapes is AUTO and not self.per_record:
            force_setattr(self, "cell_shapes", ())
        if self.column and self.heading is AUTO:
            force_setattr(self, "heading", "none")
        if self.heading == 1:
            force_setattr(self, "heading", "first")

    def _check_marks(self) -> None:
        marks = [sign for pair in self.quote_pairs for sign in pair]
        words = self.delimiter if isinstance(self.delimiter, tuple) else ()
        for text in self.literals:
            if any(mark in text for mark in marks):
                raise UsageError(
                    f"delimiter {text!r} holds a quote mark; give --quote none, or another --quote"
                )
        if isinstance(self.delimiter, tuple) and not self.delimiter:
            raise UsageError("no delimiter is given; leave the option out to have it worked out")
        if NO_DELIMITER in words and len(words) > 1:
            raise UsageError("-d none stands alone; leave the other -d out")
        if len(set(BLANK_WORDS) & set(words)) > 1:
            raise UsageError("space and gap contradict each other; a gap is cut by space too")
        if LINE_WORD in words and self.records_at == "newline":
            raise UsageError(
                "-d newline: records end there already; say what else ends them, as --records-at blank-line or --per-record N"
            )
        for pair in self.protect:
            if (
                len(pair) != 2
                or pair[0] == pair[1]
                or any(c.isalnum() or c.isspace() for c in pair)
            ):
                raise UsageError(
                    f"--protect takes an opening and a closing bracket, found {pair!r}; for example --protect '()'"
                )

    def _check_places(self) -> None:
        blocks: tuple[tuple[int, ...], ...] = ()
        if isinstance(self.edges, tuple):
            blocks = (self.edges,)
        elif isinstance(self.edges, str) and self.edges not in EDGE_WORDS:
            blocks = _read_block_edges(self.edges)
            if not self.stacked:
                raise UsageError("--edges with / gives the edges of stacked blocks; add --stacked")
        for edges in blocks:
            if any(b <= a for a, b in pairwise(edges)):
                raise UsageError(
                    f"--edges must rise from left to right, found {','.join(map(str, edges))}"
                )
        for example in self.boundary:
            _check_boundary(example)
        for pattern in (
            *self.before, *self.after, *self.drop_pieces, *self.group, *self.totals,
        ):  # fmt: skip
            compile_pattern(pattern)
        if self.cuts != "all" and not ((found := _COUNT.fullmatch(self.cuts)) and int(found[2])):
            raise UsageError(f"--cuts is all, first:N or last:N, found {self.cuts!r}")

    def _check_records(self) -> None:
        if not self.records_at:
            raise UsageError("--records-at is empty; give newline, blank-line or a text")
        end = self.record_end
        if end and any(sign in end for pair in self.quote_pairs for sign in pair):
            raise UsageError(f"--records-at {end!r} holds a quote mark; give --quote none")
        if end and end in self.literals:
            raise UsageError(f"{end!r} cannot end a field and a record both")
        ways = [
            flag
            for flag, is_on in (
                ("--per-record", self.per_record),
                ("--panels", self.panels > 1),
                ("--each-a-record", self.each_a_record),
                ("--wrapped", self.wrapped),
                ("--stacked", self.stacked),
            )
            if is_on
        ]
        if len(ways) > 1:
            raise UsageError(f"{ways[0]} and {ways[1]} contradict each other")
        if (self.group or self.totals) and (ways[:1] not in ([], ["--wrapped"]) or self.column):
            raise UsageError("--group and --totals need a record a line, or --wrapped ones")
        if not self.wrapped and (self.parted_by or self.key != "1" or self.glue != " "):
            raise UsageError("--key, --parted-by and --glue go with --wrapped")
        shapes = self.cell_shapes if isinstance(self.cell_shapes, tuple) else ()
        if shapes and len(shapes) != self.per_record:
            raise UsageError(
                f"--cell-shapes gives {len(shapes)} shapes for {self.per_record} fields a record"
            )
        for shape in shapes:
            compile_pattern(f"{{{shape}}}")
        if self.stacked:
            self._check_stacked()
        if self.outline_level:
            self._check_outline()
        if self.edges and self.records_at != "newline":
            raise UsageError("--edges cuts lines; --records-at contradicts it")
        if isinstance(self.edges, str) and self.per_record:
            raise UsageError(f"--edges {self.edges} needs a record a line")
        if self.column and (self.panels > 1 or self.per_record or self.edges):
            raise UsageError(
                "--column cuts single values; --edges, --panels and --per-record cut lines"
            )
        if self.keep_original and not self.column:
            raise UsageError("--keep-original goes with --column")
        if len(self.column) > 1 and not self.each_a_record:
            raise UsageError("several columns are cut in step only with --each-a-record")

    def _check_stacked(self) -> None:
        """Raise where an option means nothing for stacked blocks."""
        if not self.edges:
            raise UsageError(
                "--stacked needs --edges: numbers for each block (32,46/31,43), or blanks, rule or heading"
            )
        allowed = (
            "stacked edges touching tab_width heading names missing delimiter quote cell_shapes"
        )
        for entry in list_options(Split):
            value = getattr(self, entry.name)
            if entry.name not in allowed.split() and value not in (entry.default, AUTO):
                raise UsageError(f"{entry.flag} means nothing with --stacked")
        if self.delimiter != (NO_DELIMITER,):
            raise UsageError("--stacked cuts at --edges; -d contradicts it")
        if self.names and self.edges in ("heading", "rule"):
            raise UsageError(
                f"--names cannot be had with --stacked --edges {self.edges}; give the edges as numbers, or blanks"
            )

    def _check_outline(self) -> None:
        """Raise where an option means nothing for an outline."""
        allowed = ("records_at", "names", "heading", "delimiter", "quote", "cell_shapes")
        for entry in list_options(Split):
            value = getattr(self, entry.name)
            if entry.name not in allowed and value != entry.default and value is not AUTO:
                raise UsageError(f"{entry.flag} means nothing with --records-at {self.records_at}")
        if self.heading != "none" or self.delimiter != (NO_DELIMITER,):
            raise UsageError(
                f"--records-at {self.records_at} gives number, title and text; -d and --heading contradict it"
            )

    def _check_names(self) -> None:
        if 0 in self.take_positions:
            raise UsageError("--take counts columns from 1; there is no column 0")
        duplicates = sorted({name for name in self.names if self.names.count(name) > 1})
        if duplicates:
            raise UsageError(
                f"--names gives {duplicates[0]!r} twice; columns need names of their own"
            )
        if "" in self.missing:
            raise UsageError("--missing holds an empty word; an empty field is empty already")

    @property
    def reads(self) -> str:
        """A table, where a column of it is cut; else text."""
        return "table" if self.column else "text"

    @property
    def sees_pages(self) -> bool:
        """Whether a page must be in hand as a whole."""
        return self.panels > 1 or isinstance(self.edges, str) or self.stacked

    @property
    def reach(self) -> str:
        carries = self.group or self.totals or self.parted_by or self.per_record
        is_local = not self.sees_pages and not carries and self.records_at == "newline"
        return "state" if not is_local else "next" if self.wrapped else "record"

    @property
    def literals(self) -> tuple[str, ...]:
        """The delimiters that are texts, as they stand in the source; none while not settled."""
        words = self.delimiter if isinstance(self.delimiter, tuple) else ()
        return tuple(parse_delimiter(word) for word in words if word not in _NO_LITERALS)

    @property
    def blanks(self) -> str:
        """The kind of spacing that is a delimiter: `space`, `gap` or nothing."""
        words = self.delimiter if isinstance(self.delimiter, tuple) else ()
        return next((word for word in words if word in BLANK_WORDS), "")

    @property
    def has_edges_only(self) -> bool:
        """Whether nothing but edges cuts, so that they say how many fields a record has."""
        others = self.boundary or self.before or self.after
        return bool(self.edges) and not others and self.delimiter == (NO_DELIMITER,)

    @property
    def needs_fields(self) -> bool:
        """Whether the number of fields must be stated, nothing else telling it."""
        told = (
            self.outline_level
            or self.names
            or self.per_record
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
        return tuple(
            CURLY if word == "curly" else (parse_quote(word), parse_quote(word)) for word in words
        )

    @property
    def outline_level(self) -> int:
        """The level of an outline whose sections are the records, 0 where it is no outline."""
        found = _OUTLINE.fullmatch(self.records_at)
        return int(found[1] or 1) if found else 0

    @property
    def take_positions(self) -> tuple[int, ...]:
        """The columns to keep, as they were given."""
        return self.take if isinstance(self.take, tuple) else (self.take,)

    @property
    def n_heading(self) -> int:
        """How many records or printed lines the heading is."""
        return (
            0
            if self.heading in ("none", AUTO)
            else 1
            if self.heading == "first"
            else int(self.heading)
        )

    def rules(self) -> CutRules:
        """Return what cuts by delimiters, in bytes."""
        from wetcomb.core.specials import CutRules

        words = self.delimiter if isinstance(self.delimiter, tuple) else ()
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
            lines_part=LINE_WORD in words,
        )

    def begin(self) -> StepRun:
        """Return this step ready to run.

        Raises
        ------
        UsageError : an option is still to be worked out
        """
        if self.outline_level:
            from wetcomb.steps.outline import OutlineSplitter

            return OutlineSplitter(self)
        if self.stacked:
            from wetcomb.steps.stacked import StackedSplitter

            return StackedSplitter(self)
        from wetcomb.steps.splitter import Splitter

        return Splitter(self)

    def begin_table(self) -> TableRun:
        """Return this step ready to run over the column of a table.

        Raises
        ------
        UsageError : an option is still to be worked out
        """
        from wetcomb.steps.column_splitter import ColumnSplitter

        return ColumnSplitter(self)


def _read_block_edges(text: str) -> tuple[tuple[int, ...], ...]:
    """Return the edges of each stacked block, as they were written: 32,46/31,43."""
    if not re.fullmatch(r"[1-9]\d{0,5}(,[1-9]\d{0,5})*(/[1-9]\d{0,5}(,[1-9]\d{0,5})*)+", text):
        raise UsageError(
            f"--edges: unknown value {text!r}{find_nearest(text, EDGE_WORDS) or '; give whole numbers, block by block with / between (32,46/31,43), or one of: ' + ' '.join(EDGE_WORDS)}"
        )
    return tuple(tuple(map(int, part.split(","))) for part in text.split("/"))


def _check_boundary(example: str) -> None:
    """Raise unless an example of a change is two sides of known signs, not both open."""
    left, bar, right = example.partition("|")
    if not bar or not left or not right:
        raise UsageError(
            f"--boundary shows both sides of a cut with a bar between them, found {example!r}; for example 'a|A'"
        )
    odd = next((sign for sign in left + right if sign not in BOUNDARY_SIGNS), None)
    if odd is not None:
        raise UsageError(
            f"--boundary {example!r}: {odd!r} is no kind of character{find_nearest(odd, BOUNDARY_SIGNS)}; a small letter, A capital, 9 digit, _ space, . mark, * any other"
        )
    if left == right or (left == "*" and right == "*"):
        raise UsageError(f"--boundary {example!r}: both sides are the same; nothing changes there")
