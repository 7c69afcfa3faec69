"""pull: labelled fields out of blocks of text, a record a block.

It decides for every line whether it begins with a label: one of the texts that were given, with a
mark behind it (`:`, `=`, `|`, dots, a tab, wide spacing) or nothing but its value on the next line.
A value ends at the line's end, at the next label, at a blank line where it may have several lines.
Afterwards each block is a record with a column for each label; what no label claims is charged as
that and told, or kept in a column. It is known to be wrong where a line of text begins with the
very words of a label and a mark.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Annotated, ClassVar, Literal, NamedTuple

from msgspec.structs import force_setattr

from wetcomb.core.errors import UsageError
from wetcomb.match.letter_case import fold_case
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.step import AUTO, Auto, Step, option

__all__ = ["BLOCK_WORDS", "LabelSpec", "Pull", "read_label"]

_LABELS, _OTHERS = "which labels", "what no label marks"
_BLOCKS, _REST = "where records begin", "what is over, what is told"
#: Where blocks begin, beside a pattern.
BLOCK_WORDS = ("first-label", "blank-line", "rule", "rising", "mail", "line", "file")
_NTH = re.compile(r"(.*\S)#([1-9]\d?)")


class LabelSpec(NamedTuple):
    """A label that is asked for: how it may read, its column, the how manyth in a block it is."""

    texts: tuple[str, ...]
    name: str
    nth: int = 1


def read_label(text: str) -> LabelSpec:
    """Return a label as it is asked for: `A|B as name`, `Date#2 as paid`."""
    written, _, name = text.rpartition(" as ") if " as " in text else (text, "", "")
    found = _NTH.fullmatch(written.strip())
    nth = int(found[2]) if found else 1
    texts = tuple(" ".join(one.split()) for one in (found[1] if found else written).split("|"))
    made_up = texts[0] if nth == 1 else f"{texts[0]} {nth}"
    return LabelSpec(texts, name.strip() or made_up, nth)


def read_anchor(text: str) -> tuple[str, str]:
    """Return a pattern and the name of its column: `TEXT as NAME`."""
    pattern, is_named, name = text.rpartition(" as ")
    if not is_named or "}" in name:
        return text, text
    return pattern.strip(), name.strip()


class Pull(Step, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Options of pull. A single text may stand for a list of one.

    Raises
    ------
    UsageError : a label is empty or stands twice, or an option names a label that is none
    """

    name: ClassVar[str] = "pull"
    takes_tables: ClassVar[bool] = True
    summary: ClassVar[str] = "pull labelled fields out of blocks of text into a table"
    usage: ClassVar[str] = """\
Pull labelled fields into a table: forms, permits, tickets, mails as text, key=value lists. Each
block is a record, each label a column. Left out, the labels are worked out from the text and told.

  wetcomb pull permits.txt --label 'Permit no' --label Holder --label 'Boat|Vessel as boat' -o permits.csv
  wetcomb pull forms.txt --blocks rule --label Name --label Remark --multiline Remark -o forms.csv
  wetcomb pull pile.mbox --blocks mail --label mail.date --label 'Permit no' -o permits.csv
  wetcomb pull prices.txt --pattern '{words as goods} {money as price}' -o prices.csv
"""

    label: Annotated[
        tuple[str, ...] | str | Auto,
        option(
            "a label, as it reads; other ways to read it after |, and what to call it; Date#2 is the second of several in a block, mail.date one in the head of a mail",
            group=_LABELS,
            example="'Boat|Vessel as boat'",
        ),
    ] = AUTO
    label_mark: Annotated[
        tuple[str, ...] | str,
        option(
            "what stands behind a label, where that is another text than : = | dots or spacing",
            group=_LABELS,
            example="'->'",
        ),
    ] = ()
    labels_anywhere: Annotated[
        bool,
        option("a label counts within any line, never within a word", group=_LABELS, example=""),
    ] = False
    multiline: Annotated[
        tuple[str, ...] | str,
        option(
            "columns whose values go on over lines, up to a label or a blank line; parted by commas",
            group=_LABELS,
            example="Remark",
        ),
    ] = ()
    until: Annotated[
        tuple[str, ...] | str,
        option(
            "a text that ends the value of a column, blank lines or not; * stands for all columns",
            group=_LABELS,
            example="'Remark=Signed'",
        ),
    ] = ()
    glue: Annotated[
        str, option("what joins the lines of a value", group=_LABELS, example="', '")
    ] = " "
    between: Annotated[
        tuple[tuple[str, str, str], ...],
        option(
            "what stands between two texts, over lines too, as a column of that name",
            group=_OTHERS,
            example="'(ref' ')' ref",
            parts=("START", "END", "NAME"),
        ),
    ] = ()
    above: Annotated[
        tuple[str, ...] | str,
        option(
            "the lines of a block above the one in which a text stands, as far as no label claims them",
            group=_OTHERS,
            example="'Dear keeper as sender'",
        ),
    ] = ()
    left_of: Annotated[
        tuple[str, ...] | str,
        option(
            "what stands before a text in its line",
            group=_OTHERS,
            example="'marks paid as fee'",
        ),
    ] = ()
    pattern: Annotated[
        tuple[str, ...] | str,
        option(
            "a pattern whose named fields are columns, found anywhere in a line that no label claims",
            group=_OTHERS,
            example="'{words as goods} {money as price}'",
        ),
    ] = ()
    each: Annotated[
        tuple[str, ...] | str,
        option(
            "the same, and every match is a record; what else its block has stands in each of them",
            group=_OTHERS,
            example="'{words as boat} ({number as tons} t)'",
        ),
    ] = ()
    blocks: Annotated[
        str,
        option(
            "where a block begins: first-label, blank-line, rule, rising (a number one higher), mail, line, file, or a pattern for a line's start; first-label, or line where there are no labels",
            group=_BLOCKS,
            example="rule",
        ),
    ] = ""
    again: Annotated[
        Literal["", "first", "last", "join", "rows"],
        option(
            "what becomes of a label that stands in a block again; else it is a snag. rows: its second value begins another record, which shares what stands once before them",
            group=_BLOCKS,
            example="join",
        ),
    ] = ""
    unclaimed: Annotated[
        Literal["drop", "column"],
        option("what becomes of what no label claims", group=_REST, example="column"),
    ] = "drop"
    label_counts: Annotated[
        bool,
        option(
            "tell of each label how many blocks have it, its shortest, longest and rarest value, and how values end",
            group=_REST,
            example="",
        ),
    ] = False
    column: Annotated[
        str,
        option(
            "pull from the values of this column of a table: each is a block, its labels are columns in its place",
            group=_REST,
            example="Remark",
        ),
    ] = ""

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.label is AUTO and (
            self.pattern or self.each or self.between or self.above or self.left_of
        ):
            force_setattr(self, "label", ())  # what is asked for is said
        if not self.blocks:
            words = "first-label" if self.label is AUTO or self.label else "line"
            force_setattr(self, "blocks", "file" if self.column else words)
        if self.blocks not in BLOCK_WORDS:
            compile_pattern(self.blocks)
        if self.column and self.label is AUTO:
            raise UsageError("--column needs the labels that stand in its values: --label")
        if self.label is not AUTO:
            self._check_labels()
            self._check_names()

    def _check_labels(self) -> None:
        for text in (*self.pattern, *self.each):
            if not compile_pattern(text).fields:
                raise UsageError(f"pattern {text!r} names no field; write {{words as goods}}")
        if not self.names:
            raise UsageError("no label is given; leave the option out to have them worked out")
        if self.blocks == "first-label" and not self.label:
            raise UsageError(
                "--blocks first-label needs a --label; or say --blocks line or another"
            )
        specs = self.specs
        keys = [(fold_case(text), spec.nth) for spec in specs for text in spec.texts]
        if any(not text for text, _ in keys):
            raise UsageError("a label is empty; give the text that stands before the values")
        twice = next((text for text, nth in keys if keys.count((text, nth)) > 1), None)
        if twice is not None:
            raise UsageError(f"--label gives {twice!r} twice")
        self._check_ways(specs)
        names = [spec.name for spec in specs]
        ended = [text.partition("=") for text in self.until]
        for flag, given in (("--multiline", self.multiline), ("--until", [n for n, *_ in ended])):
            odd = next((one for one in given if one not in (*names, "*")), None)
            if odd is not None:
                raise UsageError(
                    f"{flag}: there is no label {odd!r}; there are: {', '.join(names)}"
                )
        if any(not text for _, _, text in ended):
            raise UsageError("--until takes a column and a text, as in 'Remark=Signed'")

    @staticmethod
    def _check_ways(specs: Sequence[LabelSpec]) -> None:
        """Raise UsageError where a text reads as two labels."""
        owners: dict[str, tuple[str, ...]] = {}
        for spec in specs:
            for text in spec.texts:
                known = owners.setdefault(fold_case(text), spec.texts)
                if [*map(fold_case, known)] != [*map(fold_case, spec.texts)]:
                    raise UsageError(
                        f"{text!r} is one of the ways to read two labels ({'|'.join(known)} and {'|'.join(spec.texts)}); give it to one of them"
                    )

    def _check_names(self) -> None:
        names = self.names
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            raise UsageError(
                f"two columns are called {twice!r}; call one of them otherwise: ... as NAME"
            )
        if "" in names:
            raise UsageError("a column has an empty name")
        if self.column and self.blocks != "file":
            raise UsageError("--column makes a block of each value; leave --blocks out")

    @property
    def specs(self) -> list[LabelSpec]:
        """Each label that is asked for."""
        return [read_label(text) for text in self.label] if isinstance(self.label, tuple) else []

    @property
    def above_specs(self) -> list[tuple[str, str]]:
        """Each text that ends what stands above it, and the column of that."""
        return [read_anchor(text) for text in self.above]

    @property
    def left_specs(self) -> list[tuple[str, str]]:
        """Each text that ends what stands before it in its line, and the column of that."""
        return [read_anchor(text) for text in self.left_of]

    @property
    def names(self) -> list[str]:
        """The columns, in order: what blocks begin with, labels, then the others; not `unclaimed`."""
        blocks = compile_pattern(self.blocks).fields if self.blocks not in BLOCK_WORDS else ()
        fields = [
            name for text in (*self.pattern, *self.each) for name in compile_pattern(text).fields
        ]
        return [
            *blocks,
            *(spec.name for spec in self.specs),
            *(name for _, name in (*self.above_specs, *self.left_specs)),
            *(name for *_, name in self.between),
            *dict.fromkeys(fields),
        ]

    @property
    def reads(self) -> str:
        return "table" if self.column else "text"

    @property
    def may_cut_column(self) -> bool:
        return True

    @property
    def is_column_cut(self) -> bool:
        return bool(self.column)

    @property
    def held_whole(self) -> str:
        return (
            "a block is longer than {}; say where blocks begin (--blocks), or allow more (--memory)"
        )

    @property
    def reach(self) -> str:
        if self.column:
            return "record"
        return "state" if self.blocks in ("file", "rising") else "next"
