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

from collections.abc import Mapping
from typing import ClassVar

from msgspec.structs import force_setattr

from wetcomb.match.marks import LINE_WORD, NO_DELIMITER
from wetcomb.steps.split.checks import check_split
from wetcomb.steps.split.derived import SplitDerived
from wetcomb.steps.step import AUTO

__all__ = ["Split"]


class Split(SplitDerived, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Options of split. A single text may stand for a list of one.

    Raises
    ------
    UsageError : options that contradict each other, or values that mean nothing
    """

    name: ClassVar[str] = "split"
    takes_tables: ClassVar[bool] = True
    traces: ClassVar[Mapping[str, str]] = {
        "continues": "continues-mark",
        "group": "group-line",
        "totals": "total-line",
        "missing": "missing-word",
        "drop_pieces": "dropped-piece",
    }
    summary: ClassVar[str] = "cut text into fields by whatever divides it, quotes honoured"
    usage: ClassVar[str] = """\
Cut text into fields by whatever divides it: delimiters (quotes honoured), display columns,
changes of kind, patterns. Left open, the delimiter, the heading and the number of fields
are worked out from the text and told; all else is as the help says.

  wetcomb split prices.txt -d semicolon -o prices.csv
  wetcomb split report.txt --edges 12,30,41 --heading 2 -o report.csv
  wetcomb split list.txt -d semicolon + split --column 2 --boundary '9|a' -o list.csv
  wetcomb split list.txt -d semicolon + split --column size --example '12 t => 12 | t' -o list.csv
"""

    def __post_init__(self) -> None:
        super().__post_init__()
        force_setattr(self, "take", self.taken)
        self._fill_in()
        check_split(self)

    def unsettled(self) -> list[str]:
        return [*super().unsettled(), *(["example"] if self.example else [])]

    def _fill_in(self) -> None:
        """State what follows from the other options."""
        other_cuts = self.edges or self.boundary or self.before or self.after
        if self.outline_level and self.heading is AUTO:
            force_setattr(self, "heading", "none")
        if self.delimiter is AUTO and (self.outline_level or self.column_by_column):
            force_setattr(self, "delimiter", (NO_DELIMITER,))
        if self.delimiter is AUTO and (other_cuts or self.per_record or self.each_a_record):
            force_setattr(self, "delimiter", (NO_DELIMITER,))
        if self.cell_shapes is AUTO and not self.per_record:
            force_setattr(self, "cell_shapes", ())
        if self.per_record and self.records_at == "newline" and self.delimiter == (LINE_WORD,):
            force_setattr(self, "delimiter", (NO_DELIMITER,))  # lines end cells anyway
        if self.shapes == ("any",):  # no check, however many there are
            force_setattr(self, "cell_shapes", self.shapes * max(1, self.per_record))
        if self.column and self.heading is AUTO:
            force_setattr(self, "heading", "none")
        if self.heading == 1:
            force_setattr(self, "heading", "first")
