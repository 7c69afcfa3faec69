"""Records as they were cut: those the scanner read, put among those cut in NumPy."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from wetcomb.core.cutting.ragged import Ragged
from wetcomb.core.cutting.records import OddPlaces
from wetcomb.core.cutting.scanner import Record

__all__ = ["Cut", "assemble_scanned", "interleave"]


class Cut(msgspec.Struct, frozen=True, eq=False):
    """Records cut from a chunk.

    Attributes
    ----------
    ragged : the records, dropped lines still among them
    odd : quote marks that are not as they should be
    used : bytes of the chunk that were read; the next chunk begins there
    """

    ragged: Ragged
    odd: OddPlaces
    used: int


def assemble_scanned(records: Sequence[Record]) -> Cut:
    """Return records that the scanner read."""
    cells = [
        (cell.start, cell.end, cell.outer_start, cell.outer_end, cell.doubled)
        for record in records
        for cell in record.fields
    ]
    columns = np.array(cells, np.int64).reshape(-1, 5).T
    counts = np.array([len(record.fields) for record in records], np.int64)
    stops = np.array([record.stop for record in records], np.int64)
    ragged = Ragged(
        columns[0],
        columns[1],
        columns[2],
        columns[3],
        columns[4].astype(np.bool_),
        np.concatenate([[0], np.cumsum(counts)]),
        stops,
    )
    snags = sorted(snag for record in records for snag in record.snags)
    names = sorted({name for name, _ in snags})
    places = [np.array([at for name, at in snags if name == one], np.int64) for one in names]
    odd = [OddPlaces.of(name, at) for name, at in zip(names, places, strict=True)]
    return Cut(ragged, OddPlaces.join(odd), int(stops[-1]) if stops.size else 0)


def interleave(clean: Ragged, odd: Cut, used: int) -> Cut:
    """Return clean and scanned records in the order of the text."""
    both = Ragged.join([clean, odd.ragged])
    lasts = np.zeros(both.starts.size, np.bool_)
    lasts[both.offsets[1:] - 1] = True
    order = np.argsort(both.outer_starts, kind="stable")
    ragged = Ragged(
        both.starts[order],
        both.ends[order],
        both.outer_starts[order],
        both.outer_ends[order],
        both.doubled[order],
        np.concatenate([[0], np.flatnonzero(lasts[order]) + 1]),
        np.sort(both.stops),
    )
    return Cut(ragged, odd.odd, used)
