"""pull: labelled fields out of blocks of text, a record a block.

It decides for every line whether it begins with a label: one of the texts that were given, with a
mark behind it (`:`, `=`, `|`, dots, a tab, wide spacing) or nothing but its value on the next line.
A value ends at the line's end, at the next label, at a blank line where it may have several lines.
Afterwards each block is a record with a column for each label; what no label claims is charged as
that and told, or kept in a column. It is known to be wrong where a line of text begins with the
very words of a label and a mark.
"""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from wetcomb.core.errors import UsageError
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.step import AUTO, Auto, Step, option

__all__ = ["BLOCK_WORDS", "Pull", "read_label"]

_LABELS, _BLOCKS, _REST = "which labels", "where records begin", "what is over"
#: Where blocks begin, beside a pattern.
BLOCK_WORDS = ("first-label", "blank-line", "rule", "file")


def read_label(text: str) -> tuple[tuple[str, ...], str]:
    """Return the texts that a label may read as, and the name of its column: `A|B as name`."""
    written, _, name = text.rpartition(" as ") if " as " in text else (text, "", "")
    texts = tuple(" ".join(one.split()) for one in written.split("|"))
    return texts, name.strip() or texts[0]


class Pull(Step, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Options of pull. A single text may stand for a list of one.

    Raises
    ------
    UsageError : a label is empty or stands twice, or an option names a label that is none
    """

    name: ClassVar[str] = "pull"
    summary: ClassVar[str] = "pull labelled fields out of blocks of text into a table"
    usage: ClassVar[str] = """\
Pull labelled fields into a table: forms, permits, tickets, mails as text, key=value lists. Each
block is a record, each label a column. Left out, the labels are worked out from the text and told.

  wetcomb pull permits.txt --label 'Permit no' --label Holder --label 'Boat|Vessel as boat' -o permits.csv
  wetcomb pull forms.txt --blocks rule --label Name --label Remark --multiline Remark -o forms.csv
"""

    label: Annotated[
        tuple[str, ...] | str | Auto,
        option(
            "a label, as it reads; other ways to read it after |, and what to call it",
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
    blocks: Annotated[
        str,
        option(
            "where a block begins: first-label, blank-line, rule, file, or a pattern for a line's start",
            group=_BLOCKS,
            example="rule",
        ),
    ] = "first-label"
    again: Annotated[
        Literal["", "first", "last", "join"],
        option(
            "what becomes of a label that stands in a block again; else it is a snag",
            group=_BLOCKS,
            example="join",
        ),
    ] = ""
    unclaimed: Annotated[
        Literal["drop", "column"],
        option("what becomes of what no label claims", group=_REST, example="column"),
    ] = "drop"

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.blocks not in BLOCK_WORDS:
            compile_pattern(self.blocks)
        if self.label is not AUTO:
            self._check_labels()

    def _check_labels(self) -> None:
        if not self.specs:
            raise UsageError("no label is given; leave the option out to have them worked out")
        names = [name for _, name in self.specs]
        texts = [text.casefold() for read, _ in self.specs for text in read]
        if "" in texts:
            raise UsageError("a label is empty; give the text that stands before the values")
        for what in (names, texts):
            twice = next((one for one in what if what.count(one) > 1), None)
            if twice is not None:
                raise UsageError(f"--label gives {twice!r} twice")
        ended = [text.partition("=") for text in self.until]
        for flag, given in (("--multiline", self.multiline), ("--until", [n for n, *_ in ended])):
            odd = next((one for one in given if one not in (*names, "*")), None)
            if odd is not None:
                raise UsageError(
                    f"{flag}: there is no label {odd!r}; there are: {', '.join(names)}"
                )
        if any(not text for _, _, text in ended):
            raise UsageError("--until takes a column and a text, as in 'Remark=Signed'")

    @property
    def specs(self) -> list[tuple[tuple[str, ...], str]]:
        """Each label: how it may read, and the name of its column."""
        return [read_label(text) for text in self.label] if isinstance(self.label, tuple) else []

    @property
    def held_whole(self) -> str:
        return (
            "a block is longer than {}; say where blocks begin (--blocks), or allow more (--memory)"
        )

    @property
    def reach(self) -> str:
        return "state"
