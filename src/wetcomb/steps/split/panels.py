"""A list that runs down side-by-side panels, page by page."""

from __future__ import annotations

import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints
from wetcomb.core.cutting.ragged import Ragged
from wetcomb.core.cutting.records import Records
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.steps.split.lines import Arranged, Lines
from wetcomb.steps.split.page_starts import PageStarts

__all__ = ["Panels"]


class Panels(Lines):
    """A record is what one panel has of a line."""

    def arrange(self, records: Records, data: Bytes, n_fields: int) -> Arranged:
        """Return the panels of each page one under another."""
        fitted = self._fit(data, records.staying, n_fields * self._options.panels)
        again = records.drops.starts[records.drops.has("heading-again")]
        begins = PageStarts(self._options).find(data, records.ragged)
        pages = np.sort(np.concatenate([begins, again]))
        ragged = _stack_panels(fitted.ragged, self._options.panels, n_fields, pages)
        snags = [(np.flatnonzero(ragged.counts > n_fields), SNAG_CODES["long"])]
        if not self._options.has_edges_only:
            snags.append((np.flatnonzero(ragged.counts < n_fields), SNAG_CODES["short"]))
        return Arranged(ragged, SnagRows.gather(snags), fitted.merged)


def _stack_panels(ragged: Ragged, n_panels: int, width: int, page_starts: Ints) -> Ragged:
    """Return the list that runs down side-by-side panels, page by page.

    Parameters
    ----------
    ragged : R lines of at most one field more than all panels have
    width : fields of a panel; what a line has beyond them goes with its last panel
    page_starts : rising, where pages begin in the text
    """
    n_lines = ragged.stops.size
    pages = np.searchsorted(page_starts, ragged.record_starts, "right")
    rows = np.tile(np.arange(n_lines), n_panels)
    panels = np.repeat(np.arange(n_panels), n_lines)
    order = np.lexsort((rows, panels, pages[rows]))
    rows, panels = rows[order], panels[order]
    fields = ragged.offsets[rows][:, None] + panels[:, None] * width + np.arange(width + 1)
    there = fields < ragged.offsets[rows + 1][:, None]
    there[:, width] &= panels == n_panels - 1
    filled = np.zeros(fields.shape, np.bool_)
    filled[there] = ragged.ends[fields[there]] > ragged.starts[fields[there]]
    is_record: Bools = np.logical_or.reduce(
        filled, axis=1
    )  # a panel that a short row does not reach makes no record
    there &= is_record[:, None]
    counts = there.sum(axis=1)[is_record]
    offsets = np.concatenate([[0], np.cumsum(counts)])
    return ragged.pick(fields[there], offsets, ragged.stops[rows[is_record]])
