"""Cut fields further, or put them together again: records keep their places, nothing moves.

`refine` cuts unquoted fields at places found by other means than a delimiter (edges, changes
of kind, patterns); such a cut has no length. `merge` takes cuts back (text in brackets, or
more cuts than were asked for): the field then runs from its first piece to its last with all
that stands between them.
"""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import (
    Bools,
    Bytes,
    Ints,
    count_before,
    is_any_of,
    is_blank,
    measure_runs,
    skip_runs,
    stands_at,
)
from wetcomb.core.cutting.ragged import Ragged

__all__ = ["cut_grid", "find_quoted", "merge", "refine", "trim", "trim_line_ends"]

_STEPS = 4
_MANY = 32  # bytes to a span below which one pass over all bytes is faster (measured)


def find_quoted(ragged: Ragged, data: Bytes, marks: tuple[bytes, ...]) -> Bools:
    """Return which fields stand in quote marks."""
    quoted = np.zeros(ragged.starts.size, np.bool_)
    for mark in marks:
        before = ragged.starts - len(mark)
        quoted |= (before >= ragged.outer_starts) & stands_at(data, before, mark)
    return quoted


def trim(data: Bytes, outer_starts: Ints, outer_ends: Ints) -> tuple[Ints, Ints]:
    """Return spans without the blanks and tabs at their edges."""
    if _MANY * outer_starts.size > data.size:
        return _trim_many(data, outer_starts, outer_ends)
    starts = _leave_blanks(data, outer_starts, outer_ends, 1)
    return starts, _leave_blanks(data, outer_ends, starts, -1)


def _trim_many(data: Bytes, outer_starts: Ints, outer_ends: Ints) -> tuple[Ints, Ints]:
    """Do the same for so many spans that it pays to measure all runs of spacing first."""
    blank = is_blank(data)
    real = np.flatnonzero(outer_ends > outer_starts)
    firsts, lasts = outer_starts.take(real), outer_ends.take(real) - 1
    if not (blank.take(firsts).any() or blank.take(lasts).any()):  # as where kinds change
        return outer_starts.copy(), outer_ends.copy()
    starts = skip_runs(measure_runs(blank), outer_starts, outer_ends)
    back = measure_runs(blank[::-1])  # the same from behind
    behind = skip_runs(back, data.size - outer_ends, data.size - starts)
    return starts, data.size - behind


def _leave_blanks(data: Bytes, places: Ints, limits: Ints, step: int) -> Ints:
    places = places.copy()
    behind = 0 if step > 0 else -1
    inside = np.flatnonzero(places != limits)
    for _ in range(_STEPS):
        inside = inside[is_blank(data[places[inside] + behind])]
        if not inside.size:
            return places
        places[inside] += step
        inside = inside[places[inside] != limits[inside]]
    if inside.size:  # long runs of spacing: the next byte that is none is looked up
        solid = np.flatnonzero(~is_blank(data))
        if step > 0:
            found = np.append(solid, data.size)[np.searchsorted(solid, places[inside])]
            places[inside] = np.minimum(found, limits[inside])
        else:
            found = np.append(-1, solid)[np.searchsorted(solid, places[inside])] + 1
            places[inside] = np.maximum(found, limits[inside])
    return places


def cut_grid(ragged: Ragged, data: Bytes, places: Ints) -> Ragged:
    """Return records of one field each cut at as many places as there are columns.

    Parameters
    ----------
    places : (R, E) int64, rising along each record, within its outer edges
    """
    n_records, n_fields = places.shape[0], places.shape[1] + 1
    outer_starts = np.empty((n_records, n_fields), np.int64)
    outer_ends = np.empty((n_records, n_fields), np.int64)
    outer_starts[:, 0], outer_starts[:, 1:] = ragged.outer_starts, places
    outer_ends[:, -1], outer_ends[:, :-1] = ragged.outer_ends, places
    begins, stops = outer_starts.ravel(), outer_ends.ravel()
    starts, ends = trim(data, begins, stops)
    offsets = np.arange(0, begins.size + 1, n_fields)
    none = np.zeros(begins.size, np.bool_)
    return Ragged(starts, ends, begins, stops, none, offsets, ragged.stops)


def refine(ragged: Ragged, data: Bytes, cuts: Ints) -> Ragged:
    """Return the records with more fields, cut at places of no length.

    Parameters
    ----------
    cuts : (K,) int64, rising; each within the outer edges of an unquoted field, those edges
        included; several cuts at one place leave empty fields between them
    """
    if not cuts.size:
        return ragged
    firsts = np.searchsorted(cuts, ragged.outer_starts)  # one belongs to the last field before it
    per_field = np.diff(firsts, append=cuts.size)
    outer_starts = np.sort(np.concatenate([ragged.outer_starts, cuts]), kind="stable")
    outer_ends = np.sort(np.concatenate([ragged.outer_ends, cuts]), kind="stable")
    firsts = np.arange(ragged.starts.size) + np.cumsum(per_field) - per_field
    is_new = np.ones(outer_starts.size, np.bool_)
    whole = per_field == 0
    is_new[firsts[whole]] = False
    starts, ends = np.empty_like(outer_starts), np.empty_like(outer_ends)
    doubled = np.zeros(starts.size, np.bool_)
    starts[~is_new], ends[~is_new] = ragged.starts[whole], ragged.ends[whole]
    doubled[~is_new] = ragged.doubled[whole]
    starts[is_new], ends[is_new] = trim(data, outer_starts[is_new], outer_ends[is_new])
    added = np.concatenate([[0], np.cumsum(per_field)])
    return Ragged(
        starts,
        ends,
        outer_starts,
        outer_ends,
        doubled,
        ragged.offsets + added[ragged.offsets],
        ragged.stops,
    )


def merge(ragged: Ragged, data: Bytes, taken_back: Bools) -> Ragged:
    """Return the records with some fields put together with the one before.

    Parameters
    ----------
    taken_back : (C,) bool, fields whose cut before them is taken back; never a record's first
    """
    if not taken_back.any():
        return ragged
    heads = np.flatnonzero(~taken_back)
    lasts = np.append(heads[1:], taken_back.size) - 1
    several = lasts > heads
    starts, ends = ragged.starts[heads].copy(), ragged.ends[lasts].copy()
    outer_starts, outer_ends = ragged.outer_starts[heads], ragged.outer_ends[lasts]
    starts[several], ends[several] = trim(data, outer_starts[several], outer_ends[several])
    doubled = ragged.doubled[heads] & ~several
    gone = count_before(taken_back)
    offsets = ragged.offsets - gone[ragged.offsets]
    return replace(
        ragged,
        starts=starts,
        ends=ends,
        outer_starts=outer_starts,
        outer_ends=outer_ends,
        doubled=doubled,
        offsets=offsets.astype(np.int64),
    )


def trim_line_ends(data: Bytes, starts: Ints, ends: Ints) -> tuple[Ints, Ints]:
    """Return spans without the spacing and line ends at their edges, where these end no record."""
    solid = np.flatnonzero(~is_any_of(data, b" \t\r\n"))
    first = np.append(solid, data.size)[np.searchsorted(solid, starts)]
    begins = np.minimum(first, ends)
    last = np.append(-1, solid)[np.searchsorted(solid, ends)] + 1
    return begins, np.maximum(last, begins)
