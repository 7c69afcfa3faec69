"""Values of a table laid one behind another, so that what reads lines can read them too."""

from __future__ import annotations

import numpy as np

from wetcomb.core.arrays import Bytes, Ints, index_spans
from wetcomb.core.text import Text

__all__ = ["lay_behind", "tell_spans"]


def lay_behind(data: Bytes, starts: Ints, ends: Ints, sign: bytes) -> tuple[Bytes, Ints]:
    """Return all values, each followed by the sign, and where each begins."""
    sizes = ends - starts + len(sign)
    begins = np.cumsum(sizes) - sizes
    buffer = np.tile(np.frombuffer(sign, np.uint8), int(sizes.sum()) // len(sign) + 1)[
        : int(sizes.sum())
    ].copy()
    for ahead, byte in enumerate(sign):
        buffer[begins + sizes - len(sign) + ahead] = byte
    sources, owners = index_spans(starts, ends)
    buffer[begins[owners] + sources - starts[owners]] = data[sources]
    return buffer, begins


def tell_spans(
    text: Text, starts: Ints, ends: Ints, bounds: Ints, moves: Ints
) -> tuple[Ints, Ints]:
    """Return spans of the buffer as those of the text's body that they came from; empty ones left out.

    Parameters
    ----------
    bounds : where each value begins in the buffer, and its end
    moves : what is added to a place in each value for its place in the text
    """
    real = ends > starts
    starts, ends = starts[real], ends[real]
    rows = np.searchsorted(bounds, starts, "right") - 1
    found = text.find_origins(starts + moves[rows], ends + moves[rows])
    return found.starts, found.ends
