"""split: cut lines into fields at a delimiter, quotes honoured.

It decides where each record and each field begins and ends, from the delimiter, the
quote marks and the line ends alone. Afterwards every value is a span of the text, each
record has the table's number of columns (what is over stands in `rest`, what is missing
is missing), and every record that does not fit is a snag. It is known to be wrong where
a text quotes in a way that no rule tells (`--quote-ends delimiter` helps with marks that
were never doubled); such records are snags, not guesses.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, ClassVar, Literal

from msgspec.structs import force_setattr

from wetcomb.core.errors import UsageError
from wetcomb.match.marks import BLANK_WORDS, NO_DELIMITER, parse_delimiter, parse_quote
from wetcomb.steps.step import AUTO, Auto, Step, option

if TYPE_CHECKING:
    from wetcomb.core.specials import CutRules
    from wetcomb.steps.splitter import Splitter

__all__ = ["Split"]

_NO_LITERALS = (*BLANK_WORDS, NO_DELIMITER)


class Split(Step, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Options of split. A single text may stand for a list of one.

    Raises
    ------
    UsageError : options that contradict each other, or values that mean nothing
    """

    name: ClassVar[str] = "split"
    reach: ClassVar[str] = "record"
    summary: ClassVar[str] = "cut lines into fields at a delimiter, quotes honoured"

    delimiter: Annotated[
        tuple[str, ...] | str | Auto,
        option(
            "what parts the fields: a text of any length, or comma tab semicolon pipe colon dollar nbsp space gap none",
            group="what to cut on",
            example="semicolon",
            short="-d",
        ),
    ] = AUTO
    runs_as_one: Annotated[
        bool,
        option("delimiters that touch part only once", group="what to cut on", example=""),
    ] = False
    quote: Annotated[
        tuple[str, ...] | str,
        option(
            "the mark around fields that hold the delimiter: double, single, both, none or any character",
            group="what to cut on",
            example="single",
        ),
    ] = ("double",)
    quote_ends: Annotated[
        Literal["mark", "delimiter"],
        option(
            "what ends a quoted field: its mark, or only a mark before a delimiter or line end (for inner marks that were never doubled)",
            group="what to cut on",
            example="delimiter",
        ),
    ] = "mark"
    quote_lines: Annotated[
        int,
        option(
            "line ends a quoted field may hold; a mark not closed by then is text",
            group="what to cut on",
            example="0",
            ge=0,
            le=100_000,
        ),
    ] = 1000
    header: Annotated[
        Literal["first", "none"] | Auto,
        option(
            "where the column names are: in the first record, or nowhere",
            group="heading",
            example="none",
        ),
    ] = AUTO
    names: Annotated[
        tuple[str, ...] | str,
        option(
            "the column names, instead of those in the text; parted by commas",
            group="heading",
            example="'boat,lock,toll'",
        ),
    ] = ()
    fields: Annotated[
        int | Auto,
        option(
            "how many fields a record has; 0 for as many as the heading",
            group="heading",
            example="6",
            ge=0,
            le=1_000_000,
        ),
    ] = AUTO
    take: Annotated[
        tuple[int, ...] | int,
        option(
            "which columns to keep, in this order; counted from 1, or from the end with a minus",
            group="pieces",
            example="1,3,-1",
        ),
    ] = ()
    missing: Annotated[
        tuple[str, ...] | str,
        option(
            "words that stand for a missing value; parted by commas",
            group="pieces",
            example="'nil,n/a,-'",
        ),
    ] = ()

    def __post_init__(self) -> None:
        for entry in ("delimiter", "quote", "names", "missing", "take"):
            value = getattr(self, entry)
            if isinstance(value, str | int):
                force_setattr(self, entry, (value,))
        self._check()

    def _check(self) -> None:
        marks = self.marks
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
    def marks(self) -> tuple[str, ...]:
        """The quote marks as characters; none where nothing is quoted."""
        words = tuple(dict.fromkeys(self.quote))
        if "both" in words:
            words = tuple(
                dict.fromkeys(
                    w
                    for word in words
                    for w in (("double", "single") if word == "both" else (word,))
                )
            )
        if "none" in words:
            if len(words) > 1:
                raise UsageError("--quote none stands alone; leave the other --quote out")
            return ()
        return tuple(parse_quote(word) for word in words)

    @property
    def take_positions(self) -> tuple[int, ...]:
        """The columns to keep, as they were given."""
        return self.take if isinstance(self.take, tuple) else (self.take,)

    def rules(self) -> CutRules:
        """Return what cuts, in bytes."""
        from wetcomb.core.specials import CutRules

        return CutRules(
            delimiters=tuple(text.encode() for text in self.literals),
            blanks=self.blanks,
            runs_as_one=self.runs_as_one,
            marks=tuple(mark.encode() for mark in self.marks),
            quote_lines=self.quote_lines,
            quote_ends=self.quote_ends,
        )

    def begin(self) -> Splitter:
        """Return this step ready to run.

        Raises
        ------
        UsageError : an option is still to be worked out
        """
        from wetcomb.steps.splitter import Splitter

        return Splitter(self)
