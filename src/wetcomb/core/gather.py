"""Gather spans into new text: the one way bytes leave a table."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints, index_spans, is_any_of

__all__ = ["find_cells_with", "replace_bytes", "weave"]


_FEW = 40  # cells to each insertion from which copying with insertions beats gathering (measured)


def weave(
    data: Bytes,
    body_size: int,
    starts: Ints,
    ends: Ints,
    codes: Bytes | Ints,
    texts: Sequence[bytes],
) -> Bytes:
    """Return every value followed by its separator, as one run of bytes.

    Parameters
    ----------
    body_size : where the appendix of `data` begins
    starts, ends : (C,) spans into `data`, in the order they are to be written
    codes : (C,) which of `texts` follows each value

    Where the values stand in `data` in the same order with room for the separators between
    them, as they mostly do, the text is copied as it stands, the separators are written into
    the gaps and what is over is cut out. What has no room is put in between; where that
    happens often, all bytes are gathered one by one instead.
    """
    if not starts.size:
        return np.zeros(0, np.uint8)
    sizes = np.array([len(text) for text in texts], np.int64)[codes]
    is_inserted = ends > body_size
    stops = np.maximum.accumulate(np.where(is_inserted, 0, ends))
    is_inserted[1:] |= starts[1:] < stops[:-1]
    n_insertions = np.count_nonzero(is_inserted)
    if n_insertions * _FEW <= starts.size:
        before = np.append(0, stops[:-1])
        bodies = np.where(is_inserted, before, starts) if n_insertions else starts
        gaps = np.append(bodies[1:], stops[-1]) - stops
        lacking = np.flatnonzero(gaps < sizes)
        if lacking.size * _FEW <= starts.size + _FEW:
            inserted = np.flatnonzero(is_inserted)
            return _edit(
                data, starts, ends, codes, texts, (bodies, stops, sizes), lacking, inserted
            )
    return _gather(data, starts, ends, codes, texts, sizes)


def _edit(
    data: Bytes,
    starts: Ints,
    ends: Ints,
    codes: Bytes | Ints,
    texts: Sequence[bytes],
    layout: tuple[Ints, Ints, Ints],
    lacking: Ints,
    inserted: Ints,
) -> Bytes:
    """Copy the text from the first value to the last, with separators in the gaps.

    `layout` holds where each value begins and ends in the text that is copied (an inserted
    one is empty there), and how long its separator is.
    """
    bodies, stops, sizes = layout
    first, last = int(bodies[0]), int(stops[-1])
    out = data[first:last].copy()
    roomy = sizes.copy()
    roomy[lacking] = 0
    if lacking.size == 1:  # only the last one, behind which the text ends
        _lay_in(out, stops[:-1] - first, codes[:-1], sizes[:-1], texts)
    else:
        fits = np.ones(codes.size, np.bool_)
        fits[lacking] = False
        _lay_in(out, stops[fits] - first, codes[fits], sizes[fits], texts)
    ends_of_gap = np.append(bodies[1:], last)
    over = np.flatnonzero(ends_of_gap > stops + roomy)
    cut_starts, cut_ends = (stops + roomy)[over] - first, ends_of_gap[over] - first
    if over.size:
        keep = np.ones(out.size, np.bool_)
        positions, _ = index_spans(cut_starts, cut_ends)
        keep[positions] = False
        out = out[keep]
    if not lacking.size and not inserted.size:
        return out
    places = np.union1d(lacking, inserted)
    gone = np.concatenate([[0], np.cumsum(cut_ends - cut_starts)])
    offsets = stops[places] - first
    offsets -= gone[np.searchsorted(cut_starts, offsets)]
    return _put_in(
        out, data, (starts, ends, codes), texts, places, offsets, set(lacking), set(inserted)
    )


def _lay_in(
    out: Bytes, begins: Ints, codes: Bytes | Ints, sizes: Ints, texts: Sequence[bytes]
) -> None:
    """Write the text of each code over the bytes where it begins."""
    for ahead in range(max(map(len, texts))):
        if ahead:
            longer = np.flatnonzero(sizes > ahead)
            begins, codes, sizes = begins[longer], codes[longer], sizes[longer]
        nth = np.array([text[ahead] if len(text) > ahead else 0 for text in texts], np.uint8)
        out[begins + ahead] = nth[codes]


def _put_in(
    out: Bytes,
    data: Bytes,
    cells: tuple[Ints, Ints, Bytes | Ints],
    texts: Sequence[bytes],
    places: Ints,
    offsets: Ints,
    lacking: set[int],
    inserted: set[int],
) -> Bytes:
    """Put values that stand elsewhere, and separators without room, where they belong."""
    starts, ends, codes = cells
    parts: list[Bytes | bytes] = []
    done = 0
    for place, offset in zip(places.tolist(), offsets.tolist(), strict=True):
        parts.append(out[done:offset])
        done = offset
        if place in inserted:
            parts.append(data[starts[place] : ends[place]])
        if place in lacking:
            parts.append(texts[codes[place]])
    parts.append(out[done:])
    return np.frombuffer(b"".join(parts), np.uint8)


def _gather(
    data: Bytes,
    starts: Ints,
    ends: Ints,
    codes: Bytes | Ints,
    texts: Sequence[bytes],
    sizes: Ints,
) -> Bytes:
    """Gather byte by byte.

    The separators' places are first filled with whatever stands behind each value in the
    source, so that one gather does for both, and then written over.
    """
    lengths = ends - starts + sizes
    stops = np.cumsum(lengths)
    places = np.repeat(starts - (stops - lengths), lengths)
    places += np.arange(places.size)
    out = data.take(places, mode="clip") if data.size else np.zeros(places.size, np.uint8)
    _lay_in(out, stops - sizes, codes, sizes, texts)
    return out


def find_cells_with(data: Bytes, starts: Ints, ends: Ints, wanted: bytes) -> Bools:
    """Return which spans hold one of the bytes wanted.

    Most such bytes stand between the values; those right beside one are taken away before
    the rest is looked up, and the first and last byte of each value is looked at by itself.
    """
    if not data.size:
        return np.zeros(starts.size, np.bool_)
    inside = is_any_of(data, wanted)
    has_text = ends > starts
    found = inside.take(starts, mode="clip") | inside.take(ends - 1, mode="clip")
    found &= has_text
    inside[np.minimum(ends, data.size - 1)] = False
    inside[np.maximum(starts - 1, 0)] = False
    places = np.flatnonzero(inside)
    if (starts[1:] >= ends[:-1]).all():  # in the order of the text: fewer places than values
        owners = np.maximum(np.searchsorted(starts, places, "right") - 1, 0)
        found[owners[(places >= starts[owners]) & (places < ends[owners])]] = True
    elif places.size:
        after_start, after_end = np.searchsorted(places, [starts, ends])
        found |= after_end > after_start
    return found


def replace_bytes(
    data: Bytes, starts: Ints, ends: Ints, table: Mapping[int, bytes]
) -> tuple[Bytes, Ints, Ints, int]:
    """Return the text with changed values laid behind it, their new spans, and the bytes added.

    Every byte that is a key of `table` is replaced by its text in all of the spans given.
    """
    sizes, is_key = np.ones(256, np.int64), np.zeros(256, np.bool_)
    for byte, text in table.items():
        sizes[byte], is_key[byte] = len(text), True
    positions, cells = index_spans(starts, ends)
    old = data[positions]
    grown = np.repeat(old, sizes[old])
    begins = np.cumsum(sizes[old]) - sizes[old]
    for byte, text in table.items():
        mine = begins[old == byte]
        for ahead, new in enumerate(text):
            grown[mine + ahead] = new
    lengths = np.bincount(cells, weights=sizes[old], minlength=starts.size).astype(np.int64)
    new_starts = data.size + np.cumsum(lengths) - lengths
    added = grown.size - old.size
    return np.concatenate([data, grown]), new_starts, new_starts + lengths, added
