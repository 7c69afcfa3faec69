"""How two tables differ: the counts, the columns, and a few of the differences."""

from __future__ import annotations

from collections import Counter

import msgspec

__all__ = ["Comparison", "Difference"]


class Difference(msgspec.Struct, frozen=True):
    """One difference.

    Attributes
    ----------
    what : changed, spacing, gone or new
    old_line, new_line : where the records stand; 0 where there is none
    column, old, new : the cell, as it was and as it is; nothing of a whole record
    key : the values of its key; of a whole record all of them
    """

    what: str
    old_line: int
    new_line: int
    column: str = ""
    old: str = ""
    new: str = ""
    key: str = ""


class Comparison(msgspec.Struct):
    """What came of it.

    Attributes
    ----------
    old, new : what the tables are called
    n_old, n_new : records of each
    same, changed, spacing : records in both: equal, with other cells, with other spacing only
    gone, added : records of the old table alone, and of the new one
    elsewhere : equal records that stand before one that they stood behind
    columns_gone, columns_added, renamed, swapped : columns of one table, the same under another
        name, two whose values changed places
    is_moved : columns of both stand in another order
    cells : how many cells differ, by column
    examples : the first few of each kind
    by : the columns of the key
    """

    old: str
    new: str
    n_old: int = 0
    n_new: int = 0
    same: int = 0
    changed: int = 0
    spacing: int = 0
    gone: int = 0
    added: int = 0
    elsewhere: int = 0
    columns_gone: tuple[str, ...] = ()
    columns_added: tuple[str, ...] = ()
    renamed: tuple[tuple[str, str], ...] = ()
    swapped: tuple[tuple[str, str], ...] = ()
    is_moved: bool = False
    cells: Counter[str] = msgspec.field(default_factory=Counter)
    examples: list[Difference] = msgspec.field(default_factory=list)
    by: tuple[str, ...] = ()

    @property
    def is_alike(self) -> bool:
        """Whether both say the same; with a key whatever the order of the records."""
        odd = self.changed or self.spacing or self.gone or self.added
        columns = self.columns_gone or self.columns_added or self.renamed or self.is_moved
        return not (odd or columns or self.swapped or (self.elsewhere and not self.by))
