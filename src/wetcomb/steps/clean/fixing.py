"""Cells that are mended by hand: only where still stands what stood there."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from wetcomb.core.errors import InputError, UsageError, find_nearest
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.table import Table
from wetcomb.steps.clean.written import Fix

__all__ = ["Fixer"]


class Fixer:
    """Mends cells, each once.

    Attributes
    ----------
    remembered : what stood in each, by the option as it was typed
    """

    def __init__(self, fixes: Sequence[Fix]) -> None:
        self._waiting = list(fixes)
        self.remembered: dict[str, str] = {}

    def fix(self, table: Table) -> Table:
        """Return the table with the cells mended that stand in it.

        Raises
        ------
        UsageError : there is no such column
        """
        if not self._waiting or not table.n_records:
            return table
        firsts, lasts = table.line_numbers(np.arange(table.n_records))
        for fix in list(self._waiting):
            rows = np.flatnonzero((firsts <= fix.line) & (fix.line <= lasts))
            if not rows.size:
                continue
            self._waiting.remove(fix)
            if fix.column not in table.names:
                near = find_nearest(fix.column, table.names)
                raise UsageError(f"--fix: there is no column {fix.column!r}{near}")
            table = self._mend(table, int(rows[0]), table.names.index(fix.column), fix)
        return table

    def check(self) -> None:
        """Raise InputError if a cell was to be mended where there is no record."""
        if self._waiting:
            line = self._waiting[0].line
            raise InputError(
                f"--fix {line}:{self._waiting[0].column}: no record stands there; --with-source shows the lines of records"
            )

    def _mend(self, table: Table, row: int, column: int, fix: Fix) -> Table:
        stood = table.value(row, column) or ""
        if fix.was is not None and fix.was != stood:
            odd = SnagRows.gather([(np.array([row]), SNAG_CODES["stale"])])
            return replace(table, snags=SnagRows.join([table.snags, odd]))
        if fix.was is None:
            self.remembered[_tell(fix)] = stood
        old = (
            table.starts[[row], column].astype(np.int64),
            table.ends[[row], column].astype(np.int64),
        )
        old = np.maximum(old[0], 0), np.maximum(old[1], 0)
        starts, ends = table.starts.copy(), table.ends.copy()
        new = fix.value.encode()
        if not new:
            raise UsageError(
                f"--fix {_tell(fix)}: to leave a cell blank, say which word is missing (--missing)"
            )
        laid = np.frombuffer(new, np.uint8)
        text, begins, stops = table.text.alter(*old, laid, np.array([len(new)]))
        starts[row, column], ends[row, column] = begins[0], stops[0]
        return replace(table, text=text, starts=starts, ends=ends, surplus=None)


def _tell(fix: Fix) -> str:
    name = f'"{fix.column}"' if set(fix.column) & set(',= "') else fix.column
    return f"{fix.line}:{name}={fix.value}"
