"""Fields that leave their records: a frame of marks around them, pieces that a pattern names."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from wetcomb.core.arrays import Bools, Bytes, count_before
from wetcomb.core.cutting.ragged import Ragged
from wetcomb.match.patterns import Pattern

__all__ = ["find_dropped", "find_frame"]


def find_frame(ragged: Ragged) -> Bools:
    """Return the empty fields at the start and end of records that have both."""
    firsts, lasts = ragged.offsets[:-1], ragged.offsets[1:] - 1
    framed = (ragged.counts > 2) & (ragged.ends[firsts] == ragged.starts[firsts])
    framed &= ragged.ends[lasts] == ragged.starts[lasts]
    gone = np.zeros(ragged.starts.size, np.bool_)
    gone[firsts[framed]] = gone[lasts[framed]] = True
    return gone


def find_dropped(data: Bytes, ragged: Ragged, patterns: Sequence[Pattern]) -> Bools:
    """Return the fields whose whole value one of the patterns covers; a record keeps at least one."""
    gone = np.zeros(ragged.starts.size, np.bool_)
    spans = zip(ragged.starts.tolist(), ragged.ends.tolist(), strict=True)
    known: dict[bytes, bool] = {}
    for place, (start, end) in enumerate(spans):
        if start == end:
            continue
        value = data[start:end].tobytes()
        if value not in known:
            if len(known) > 10_000:
                known.clear()
            known[value] = any(pattern.covers(value) for pattern in patterns)
        gone[place] = known[value]
    kept = count_before(~gone)
    firsts = ragged.offsets[:-1]
    bare = kept[ragged.offsets[1:]] - kept[firsts] == 0
    gone[firsts[np.flatnonzero(bare)]] = False
    return gone
