"""The options of split, as they are declared: their types, words, limits and help."""

from typing import Annotated, Literal

from wetcomb.steps.step import AUTO, Auto, Step, option

__all__ = ["EDGE_WORDS", "SplitFields"]

_CUT, _RECORDS, _HEADING, _PIECES = "what to cut on", "which records", "heading", "pieces"
_EXAMPLE = "by example"

#: Where edges can be taken from, instead of numbers.
EDGE_WORDS = ("heading", "rule", "blanks")


class SplitFields(Step, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """The options of split without what follows from them."""

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
            "the shape of each column, or a pattern, to find a missing cell; any for no check; parted by commas",
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
    continues: Annotated[
        str,
        option(
            "a cell that ends in this mark goes on in its column of the next line; the mark leaves",
            group=_RECORDS,
            example="'+'",
        ),
    ] = ""
    key: Annotated[
        str,
        option(
            "the column that every record begins in, by name or number",
            group=_RECORDS,
            example="Boat",
        ),
    ] = "1"
    parted_by: Annotated[
        Literal["", "blank-line", "rule"],
        option(
            "what parts the records, where their cells stand on any of the lines",
            group=_RECORDS,
            example="blank-line",
        ),
    ] = ""
    glue: Annotated[
        str,
        option("what joins the pieces of a cell", group=_RECORDS, example="', '"),
    ] = " "
    hyphens: Annotated[
        Literal["", "keep", "mend", "drop"],
        option(
            "at a hyphen where a piece of a cell ends, join without glue: keep the hyphen, mend the word before a small letter, or drop every one",
            group=_RECORDS,
            example="mend",
        ),
    ] = ""
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
    column_by_column: Annotated[
        bool,
        option(
            "all of one column, then all of the next, a cell a line; blank lines or page breaks part them",
            group=_RECORDS,
            example="",
        ),
    ] = False
    page_start: Annotated[
        tuple[str, ...] | str,
        option(
            "a page begins at a line that begins so, as at a form feed; with --panels or --edges heading",
            group=_RECORDS,
            example="'Page {digits}'",
        ),
    ] = ()
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
        tuple[int | str, ...] | int | str,
        option(
            "which columns to keep, in this order: by name, or counted from 1, from the end with a minus; parted by commas",
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
        bool, option("keep the column that is cut", group=_PIECES, example="")
    ] = False

    example: Annotated[
        tuple[str, ...] | str,
        option(
            "what a record is to become, @LINE before it where it is not clear which; ? is left open, NAME=VALUE says some columns; with --column 'VALUE => part | part'",
            group=_EXAMPLE,
            example="'@4 = Ada Marsh | 12 Mill Lane | ?'",
        ),
    ] = ()
    example_mark: Annotated[
        str,
        option("what parts the cells of an example", group=_EXAMPLE, example="' / '"),
    ] = " | "
