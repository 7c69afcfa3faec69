"""unwrap: put the lines of a record together again.

It decides for every line whether it goes on with the record above: because no start of a
record stands at it, because it is indented, because no end stood at the line before, because
no blank line parts them, or because the record has not its number of fields yet. Afterwards a
record is a line; line ends within it, with the spacing around them, have become the glue, and
blank lines within it are gone. It is known to be wrong where a text line happens to look like
the start of a record.
"""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from wetcomb.core.errors import UsageError
from wetcomb.match.marks import BLANK_WORDS, parse_delimiter
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.step import Step, option

__all__ = ["Unwrap"]

_RULES, _JOINING = "which lines go on", "joining"


class Unwrap(Step, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Options of unwrap. A single text may stand for a list of one.

    Raises
    ------
    UsageError : no rule is given, or options contradict each other
    """

    name: ClassVar[str] = "unwrap"
    summary: ClassVar[str] = "put the lines of a record together again"
    usage: ClassVar[str] = """\
Put the lines of a record together again, one rule or several: where a record begins or ends,
indented lines, blank lines between records, a number of fields, a full line. It makes text;
a lone `+` hands it on to split.

  wetcomb unwrap jobs.txt --starts 'J{digits}' + split -d pipe -o jobs.csv
  wetcomb unwrap list.txt --indent --hyphens mend + split -d semicolon -o list.csv
"""

    starts: Annotated[
        tuple[str, ...] | str,
        option(
            "a record begins where a line begins so, as a pattern", group=_RULES, example="'{date}'"
        ),
    ] = ()
    ends: Annotated[
        tuple[str, ...] | str,
        option(
            "a record ends where a line ends so, as a pattern", group=_RULES, example="'text:;'"
        ),
    ] = ()
    indent: Annotated[
        bool, option("an indented line goes on with the one above", group=_RULES, example="")
    ] = False
    blank_lines: Annotated[
        bool, option("lines without a blank line between them are one", group=_RULES, example="")
    ] = False
    fields: Annotated[
        int,
        option(
            "a record goes on until it has so many fields; needs --delimiter",
            group=_RULES,
            example="8",
            ge=0,
            le=10_000,
        ),
    ] = 0
    delimiter: Annotated[
        str,
        option("what parts the fields that are counted", group=_RULES, example="pipe", short="-d"),
    ] = ""
    width: Annotated[
        int,
        option(
            "a line of so many characters or more goes on in the next",
            group=_RULES,
            example="72",
            ge=0,
            le=100_000,
        ),
    ] = 0
    quote: Annotated[
        Literal["none", "double", "single"],
        option(
            "a line end between such marks ends no record, and no record begins there",
            group=_RULES,
            example="double",
        ),
    ] = "none"
    record_lines: Annotated[
        int,
        option(
            "lines a record may have; a longer one is ended there, as a snag",
            group=_RULES,
            example="50",
            ge=1,
            le=1_000_000,
        ),
    ] = 100_000
    all: Annotated[bool, option("all lines are one record", group=_RULES, example="")] = False
    glue: Annotated[
        str,
        option(
            "what joins the lines; an empty one joins them as they stand",
            group=_JOINING,
            example="', '",
        ),
    ] = " "
    hyphens: Annotated[
        Literal["", "keep", "mend", "listed", "drop"],
        option(
            "at a hyphen at a line's end, join without glue: keep the hyphen, mend the word before a small letter, mend the words listed (others are snags), or drop every one",
            group=_JOINING,
            example="mend",
        ),
    ] = ""
    words: Annotated[
        tuple[str, ...] | str,
        option(
            "the words to mend with --hyphens listed, as they read whole; parted by commas",
            group=_JOINING,
            example="'canal,keeper'",
        ),
    ] = ()
    ignore_case: Annotated[
        bool, option("capitals do not count in patterns", group=_RULES, example="")
    ] = False

    def __post_init__(self) -> None:
        super().__post_init__()
        for pattern in (*self.starts, *self.ends):
            compile_pattern(pattern)
        rules = (
            self.starts, self.ends, self.indent, self.blank_lines, self.fields, self.width, self.all,
        )  # fmt: skip
        if not any(rules):
            raise UsageError(
                "unwrap needs a rule: --starts, --ends, --indent, --blank-lines, --fields, --width or --all"
            )
        if self.all and sum(map(bool, rules)) > 1:
            raise UsageError("--all stands alone; leave the other rules out")
        if bool(self.fields) != bool(self.delimiter):
            raise UsageError("--fields counts what a --delimiter parts; give both")
        if self.delimiter in BLANK_WORDS:
            raise UsageError("--fields cannot count blanks; name a delimiter that is a text")
        if bool(self.words) != (self.hyphens == "listed"):
            raise UsageError("--words lists what --hyphens listed mends; give both")
        if "\n" in self.glue or "\r" in self.glue:
            raise UsageError("--glue holds a line end; records would be parted there again")

    @property
    def makes(self) -> str:
        """It makes text of text."""
        return "text"

    @property
    def reach(self) -> str:
        return "next"

    @property
    def mark(self) -> bytes:
        """The delimiter in bytes; nothing where fields are not counted."""
        return parse_delimiter(self.delimiter).encode() if self.delimiter else b""
