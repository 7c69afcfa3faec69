"""Hyphens at a line's end, where the line is joined with the next one: which of them go."""

from __future__ import annotations

import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints
from wetcomb.match.characters import SMALL, find_kinds, read_code_points

__all__ = ["find_hyphens", "find_small"]

_HYPHEN = 0x2D


def find_hyphens(data: Bytes, starts: Ints, ends: Ints) -> Bools:
    """Return which pieces end in a hyphen and hold more."""
    return (ends - starts > 1) & (data.take(ends - 1, mode="clip") == _HYPHEN)


def find_small(data: Bytes, starts: Ints) -> Bools:
    """Return which of some places a small letter stands at."""
    found = np.zeros(starts.size, np.bool_)
    for place, start in enumerate(starts.tolist()):
        letter = data[start : start + 4].tobytes().decode("utf-8", "ignore")[:1]
        points, _ = read_code_points(np.frombuffer(letter.encode(), np.uint8))
        found[place] = points.size > 0 and int(find_kinds(points)[0]) == SMALL
    return found
