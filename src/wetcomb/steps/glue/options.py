"""glue: the way back: several columns as one, each record as a line, a column as one line.

It decides nothing: what stands between the values is stated. Afterwards `split` reads the same values
back, cut at the same text; a value that holds it is refused, or written in quote marks where that is
asked for. It is known to lose one thing: a missing value among others comes back as an empty one.
"""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from wetcomb.core.errors import UsageError
from wetcomb.steps.step import Step, option

__all__ = ["Glue"]

_WHAT, _HOW = "what is put together", "how"


class Glue(Step, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Options of glue. A single text may stand for a list of one.

    Raises
    ------
    UsageError : the options contradict each other, or what stands between values holds a line end
    """

    name: ClassVar[str] = "glue"
    takes_tables: ClassVar[bool] = True
    summary: ClassVar[str] = "put columns or records together, so that split reads them back"
    usage: ClassVar[str] = """\
The way back. Several columns become one, every record a line of text, or a column one line. What
stands between the values is what split cuts at again; a value that holds it stops the run, with one
that is free, unless --quote double writes such values in quote marks. It reads a table (--read), or
text that it cuts as split would.

  wetcomb glue clean.csv --read comma --columns Boat,Lock --with ', ' --as Berth -o berths.csv
  wetcomb glue clean.csv --read comma --each-a-line --with ' | ' -o clean.txt
  wetcomb split list.txt -d semicolon + glue --one-line --columns Boat --with '; ' -o boats.txt
"""

    columns: Annotated[
        tuple[str, ...] | str,
        option(
            "which columns, in this order; all, where none is named; parted by commas",
            group=_WHAT,
            example="Boat,Lock",
        ),
    ] = ()
    each_a_line: Annotated[
        bool,
        option("make a line of text of each record, the heading first", group=_WHAT, example=""),
    ] = False
    one_line: Annotated[
        bool, option("make one line of all values of a column", group=_WHAT, example="")
    ] = False
    with_: Annotated[str, option("what stands between two values", group=_HOW, example="' | '")] = (
        ", "
    )
    as_: Annotated[
        str,
        option(
            "what the new column is called; else as those it is made of",
            group=_HOW,
            example="Berth",
        ),
    ] = ""
    skip_empty: Annotated[
        bool,
        option("leave out values that are empty or missing", group=_HOW, example=""),
    ] = False
    quote: Annotated[
        Literal["none", "double", "loose"],
        option(
            "how a value is written that split would not read back as it is: in double quote marks, or none: one that holds what stands between is refused; loose: as it stands, not to be cut again",
            group=_HOW,
            example="double",
        ),
    ] = "none"

    def __post_init__(self) -> None:
        super().__post_init__()
        if not self.with_:
            raise UsageError("--with: nothing is no text to cut at again; state what is to stand between")  # fmt: skip
        if set(self.with_) & set("\r\n"):
            raise UsageError("--with: a line end ends a record; take a text without one")
        if '"' in self.with_ and self.quote == "double":
            raise UsageError("--with: it holds the quote mark that --quote double writes; take another")  # fmt: skip
        if self.each_a_line and self.one_line:
            raise UsageError(
                "--each-a-line makes a line of each record, --one-line of a column; state one"
            )
        if self.one_line and len(self.columns) != 1:
            raise UsageError("--one-line takes one column; name it: --columns NAME")
        if not self.each_a_line and len(self.columns) == 1 and not self.one_line:
            raise UsageError(
                f"--columns {self.columns[0]}: one column alone is nothing to put together; --one-line makes one line of it"
            )
        if self.quote == "loose" and (self.each_a_line or self.one_line):
            raise UsageError("--quote loose: lines are there to be read again; it is for columns put together")  # fmt: skip
        twice = next((name for name in self.columns if self.columns.count(name) > 1), None)
        if twice is not None:
            raise UsageError(f"--columns: {twice!r} is named twice")

    @property
    def reads(self) -> str:
        return "table"

    @property
    def reach(self) -> str:
        return "whole" if self.one_line else "state"

    @property
    def makes_lines(self) -> bool:
        """Whether its one column is text whose first line is the heading."""
        return self.each_a_line
