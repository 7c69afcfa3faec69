"""Which texts are decimals as they are written out (`-12.50`), and how many digits they have; by whole arrays."""

from __future__ import annotations

import msgspec
import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints, list_positions
from wetcomb.core.plain_numbers import read_plain

__all__ = ["MOST_DIGITS", "Decimals", "measure_decimals", "read_decimals"]

MOST_DIGITS = 15  # of which any decimal comes back from a float as it was

_POINT, _MINUS, _ZERO = 0x2E, 0x2D, 0x30


class Decimals(msgspec.Struct, eq=False):
    """What was seen of V texts.

    Attributes
    ----------
    is_one : (V,) which are decimals
    whole, decimals : (V,) their digits before the point and behind it
    """

    is_one: Bools
    whole: Ints
    decimals: Ints


def measure_decimals(data: Bytes, starts: Ints, ends: Ints) -> Decimals:
    """Return which of some texts are decimals, none of them empty, and how many digits each has."""
    sizes = ends - starts
    stops = np.cumsum(sizes)
    signs = data.take(list_positions(starts, ends))
    places = np.flatnonzero((signs - np.uint8(_ZERO)) > 9)  # of signs that are no digits
    owners = np.searchsorted(stops, places, "right")
    kinds, begins = signs[places], (stops - sizes)[owners]
    is_point, is_minus = kinds == _POINT, (kinds == _MINUS) & (places == begins)
    n_points = np.bincount(owners[is_point], minlength=sizes.size)
    n_minus = np.bincount(owners[is_minus], minlength=sizes.size)
    decimals = np.zeros(sizes.size, np.int64)
    decimals[owners[is_point]] = stops[owners[is_point]] - places[is_point] - 1
    is_one = n_points < 2
    is_one[owners[~is_point & ~is_minus]] = False
    whole = sizes - n_minus - n_points - decimals
    is_one &= (whole > 0) & ((decimals > 0) | (n_points == 0))
    return Decimals(is_one, whole, decimals)


def read_decimals(data: Bytes, starts: Ints, ends: Ints) -> tuple[list[int] | list[float], Ints]:
    """Return the worth of texts that are decimals of at most fifteen digits, 0 for others; and which these are.

    A whole number and a power of ten that are both exact as floats give the nearest float by one
    division (IEEE 754): the same as a text is read as.
    """
    plain = read_plain(data, starts, ends, "", ".")
    if plain.ints is None or (np.abs(plain.ints) >= 10**MOST_DIGITS).any():
        return _read_long(data, starts, ends)
    rows = np.flatnonzero(plain.is_read)
    worth = np.zeros(starts.size, np.float64 if plain.scale else np.int64)
    worth[rows] = plain.ints / 10.0**plain.scale if plain.scale else plain.ints
    return worth.tolist(), np.flatnonzero(~plain.is_read)


def _read_long(data: Bytes, starts: Ints, ends: Ints) -> tuple[list[float], Ints]:
    """Return the same where the finest of a column and the longest have no room together: one by one."""
    found = measure_decimals(data, starts, ends)
    is_read = found.is_one & (found.whole + found.decimals <= MOST_DIGITS)
    spans = zip(starts.tolist(), ends.tolist(), is_read.tolist(), strict=True)
    worth = [float(data[start:end].tobytes()) if one else 0.0 for start, end, one in spans]
    return worth, np.flatnonzero(~is_read)
