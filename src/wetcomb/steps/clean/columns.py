"""Columns called otherwise, left out, put in another order."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from wetcomb.core.batch import NameSource
from wetcomb.core.cell_charges import charge_cells
from wetcomb.core.errors import UsageError
from wetcomb.core.ledger import Charge
from wetcomb.core.table import Table
from wetcomb.steps.clean.converting import Find
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.clean.written import read_named

__all__ = ["Columns"]


class Columns:
    """Arranges the columns of a table as a `Clean` says: names first, then which, then their order."""

    def __init__(self, options: Clean) -> None:
        self._options = options
        self.renamed = [
            (names[0], new.strip())
            for names, new in (read_named("--rename", text) for text in options.rename)
        ]

    def arrange(
        self, table: Table, sources: Sequence[NameSource], find: Find
    ) -> tuple[Table, list[Charge], list[NameSource]]:
        """Return the table arranged, what was left out, where its names are from.

        Raises
        ------
        UsageError : there is no such column, or two would be called the same
        """
        options, charges, named = self._options, list[Charge](), list(sources)
        names = list(table.names)
        for old, new in self.renamed:
            place = find(table, "--rename", old)
            names[place] = new
            if named:
                charges += named[place].charge("heading-replaced")
                named[place] = NameSource()
        twice = next((name for name in names if names.count(name) > 1 and name), None)
        if twice is not None and self.renamed:
            raise UsageError(f"--rename: two columns would be called {twice!r}")
        table = replace(table, names=tuple(names))
        kept = list(range(len(names)))
        if options.only:
            kept = [self._find(table, "--only", name, find) for name in options.only]
        gone = {self._find(table, "--without", name, find) for name in options.without}
        first = [self._find(table, "--column-order", name, find) for name in options.column_order]
        kept = [place for place in kept if place not in gone]
        kept = [*dict.fromkeys([*first, *kept])]
        if kept == list(range(len(names))):
            return table, charges, named
        left = [place for place in range(len(names)) if place not in kept]
        if left:
            charges += charge_cells(table, np.arange(table.n_records), left, "not-taken")
            if named:
                charges += [one for place in left for one in named[place].charge("not-taken")]
        if not kept:
            raise UsageError("--without leaves no column")
        return table.take(kept), charges, [named[place] for place in kept] if named else named

    def _find(self, table: Table, flag: str, name: str, find: Find) -> int:
        """Return the place of a column; one that was called otherwise is told by its new name."""
        new = dict(self.renamed).get(name)
        if name not in table.names and new is not None:
            raise UsageError(f"{flag}: {name!r} is called {new!r} by --rename; name it so")
        return find(table, flag, name)
