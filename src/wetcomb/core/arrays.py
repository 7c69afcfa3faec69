"""The number types of the core, and the few array idioms that recur everywhere.

Positions are byte offsets into a text, `int64` while they are being worked on
(the type NumPy indexes with) and `int32` where they are kept.
"""

from __future__ import annotations

from typing import Any, TypeVar

import numpy as np

__all__ = [
    "Array",
    "Bools",
    "Bytes",
    "Ints",
    "Spans",
    "count_before",
    "cut_out",
    "find_text",
    "index_spans",
    "is_among",
    "is_any_of",
    "is_blank",
    "leave_out",
    "list_positions",
    "measure_runs",
    "skip_runs",
    "sort_unique",
    "spread",
    "stands_at",
]

Number = TypeVar("Number", bound=np.generic)
#: An array of one type of number: what `numpy.typing` calls so, without the time it takes to load.
Array = np.ndarray[Any, np.dtype[Number]]
Bytes = Array[np.uint8]
Ints = Array[np.int64]
Spans = Array[np.int32]
Bools = Array[np.bool_]

BLANK, TAB = 0x20, 0x09


def is_blank(data: Bytes) -> Bools:
    """Return which bytes are spacing (blank or tab). Other spaces are text: they keep their class."""
    return (data == BLANK) | (data == TAB)


def is_any_of(data: Bytes, wanted: bytes) -> Bools:
    """Return which bytes are one of those wanted."""
    if len(wanted) > 8:  # a table look-up costs about as much as eight comparisons (measured)
        table = np.zeros(256, np.bool_)
        table[list(wanted)] = True
        return table[data]
    found = data == wanted[0]
    for byte in wanted[1:]:
        found |= data == byte
    return found


_SPARSE = 8  # times as many bytes as are wanted; more are not gone through as a whole


def count_before(mask: Bools) -> Spans:
    """Return how many are set before each place: N + 1 numbers, the last of them for the end.

    In 32 bits: the sum of a mask into 64 takes four times as long (measured).
    """
    before = np.zeros(mask.size + 1, np.int32)
    np.cumsum(mask, out=before[1:])
    return before


def find_text(data: Bytes, text: bytes) -> Ints:
    """Return the start of every occurrence of `text`, overlapping ones included, in order."""
    hits = np.flatnonzero(data[: max(0, data.size - len(text) + 1)] == text[0])
    for ahead, byte in enumerate(text[1:], 1):
        hits = hits[data[hits + ahead] == byte]
    return hits


def stands_at(data: Bytes, positions: Ints, text: bytes) -> Bools:
    """Return at which positions `text` stands; at none outside the data."""
    found = (positions >= 0) & (positions + len(text) <= data.size)
    for ahead, byte in enumerate(text):
        found &= data.take(positions + ahead, mode="clip") == byte
    return found


#: The longest run that `measure_runs` tells apart from longer ones.
LONGEST_RUN = 16


def measure_runs(mask: Bools) -> Bytes:
    """Return how many places in a row are set from each place on, up to `LONGEST_RUN`.

    By doubling: a run of k that is full goes on with the run k places further on. A handful of
    passes over bytes is several times faster than one over positions (measured).
    """
    runs = mask.view(np.uint8).copy()
    length = 1
    while length < min(LONGEST_RUN, mask.size):
        more = (runs[:-length] == length).view(np.uint8)
        more *= runs[length:]
        runs[:-length] += more
        length *= 2
    return runs


def skip_runs(runs: Bytes, places: Ints, limits: Ints) -> Ints:
    """Return the first place at or after each that is not set, at most its limit."""
    padded = np.append(runs, np.uint8(0))
    moved = np.minimum(places + padded[places], limits)
    far = np.flatnonzero(padded[places] == LONGEST_RUN)
    while far.size:
        steps = padded[moved[far]]
        moved[far] = np.minimum(moved[far] + steps, limits[far])
        far = far[(steps == LONGEST_RUN) & (moved[far] < limits[far])]
    return moved


def sort_unique(values: Ints) -> Ints:
    """Return values in order, each once; the library's own goes by hashes, twenty times slower here."""
    values = np.sort(values)
    fresh = np.ones(values.size, np.bool_)
    fresh[1:] = values[1:] != values[:-1]
    return values[fresh]


def is_among(values: Array[Any], wanted: Array[Any]) -> Bools:
    """Return which values are among some others (NumPy's own loads masked arrays for it)."""
    if not wanted.size:
        return np.zeros(values.shape, np.bool_)
    known = np.sort(wanted)
    at = np.searchsorted(known, values)
    found: Bools = known.take(at, mode="clip") == values
    return found


def leave_out(values: Ints, gone: Ints) -> Ints:
    """Return the values that are not among some others."""
    return values[~is_among(values, gone)]


def spread(lengths: Ints) -> tuple[Ints, Ints]:
    """Return, for consecutive runs of these lengths, each item's run and its place in that run."""
    runs = np.repeat(np.arange(lengths.size), lengths)
    firsts = np.cumsum(lengths) - lengths
    return runs, np.arange(runs.size) - firsts[runs]


def index_spans(starts: Ints, ends: Ints) -> tuple[Ints, Ints]:
    """Return every position inside the spans, in order, and the number of the span it is in."""
    return list_positions(starts, ends), np.repeat(np.arange(starts.size), ends - starts)


def cut_out(data: Bytes, starts: Ints, ends: Ints) -> Bytes:
    """Return the bytes of spans, one behind another.

    Where they stand in order and make up much of what they stand in, that is gone through as a
    whole: half the time of naming each byte by its position.
    """
    if not starts.size:
        return np.empty(0, np.uint8)
    first, last = int(starts[0]), int(ends[-1])
    is_ordered = bool((starts[1:] >= ends[:-1]).all()) and bool((ends > starts).all())
    if not is_ordered or last - first > _SPARSE * int((ends - starts).sum()):
        return data[list_positions(starts, ends)]
    steps = np.zeros(last - first + 1, np.int8)
    steps[starts - first] = 1
    steps[ends - first] -= 1
    return data[first:last][np.cumsum(steps[:-1], dtype=np.int8).view(np.bool_)]


def list_positions(starts: Ints, ends: Ints) -> Ints:
    """Return every position inside the spans, in order."""
    lengths = ends - starts
    stops = np.cumsum(lengths)
    positions = np.repeat(ends - stops, lengths)
    positions += np.arange(positions.size)
    return positions
