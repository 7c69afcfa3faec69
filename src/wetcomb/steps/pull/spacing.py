"""What stands around values and labels, charged as spacing, and proved to be that."""

from __future__ import annotations

import numpy as np

from wetcomb.core.arrays import Ints, list_positions
from wetcomb.core.errors import BrokenPromise
from wetcomb.core.text import Text
from wetcomb.steps.pull.reading import Gone

__all__ = ["charge_spacing"]


def charge_spacing(chunk: Text, held: tuple[Ints, Ints], gone: Gone, stop: int) -> None:
    """Charge what stands between all spans that have a home: it must be spacing.

    Raises
    ------
    BrokenPromise : it is anything else
    """
    none = np.zeros(0, np.int64)
    known = [held, *(span for spans in gone.spans.values() for span in spans)]
    starts = np.concatenate([none, *(part for part, _ in known)])
    ends = np.concatenate([none, *(part for _, part in known)])
    real = ends > starts
    starts, ends = np.append(starts[real], stop), np.append(ends[real], stop)
    order = np.argsort(starts, kind="stable")  # of runs that are in order each
    before = np.append(0, ends[order][:-1])
    gaps = starts[order] > before
    begins, stops = before[gaps], starts[order][gaps]
    places = list_positions(begins, stops)
    signs = chunk.data[places]
    feeds = places[signs == 0x0C]
    if not ((signs == 0x20) | (signs == 0x09) | (signs == 0x0C)).all():
        raise BrokenPromise("a cut cannot be proved: what is charged as spacing is none")
    if feeds.size:  # they part the spacing around them
        gone.add("page-mark", feeds, feeds + 1)
        begins, stops = np.sort(np.append(begins, feeds + 1)), np.sort(np.append(stops, feeds))
    gone.add("spacing", begins, stops)
