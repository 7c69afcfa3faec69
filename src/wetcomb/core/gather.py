"""Gather spans into new text: the one way bytes leave a table."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints, index_spans, is_any_of, list_positions

__all__ = ["find_inside", "replace_bytes", "weave"]


_RARE = 0x2C  # the comma; up to it there are no letters, digits, points or dashes
_LONGEST_RUN = 32  # strays one behind another; more of them are gathered


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

    Where the values stand in the body in the same order with room for the separators between
    them, as they mostly do, the text is copied as it stands, separators (and the few values
    that stand elsewhere) are laid into the gaps, and what is over is cut out. Otherwise all
    bytes are gathered one by one, which takes about three times as long.
    """
    if not starts.size:
        return np.zeros(0, np.uint8)
    codes = codes.astype(np.int64)  # what is taken by them is taken twice as fast
    sizes = np.array([len(text) for text in texts], np.int64).take(codes)
    places = _find_places(body_size, starts, ends, sizes)
    if places is None:
        return _gather(data, starts, ends, codes, texts, sizes)
    return _edit(data, starts, ends, codes, texts, (sizes, *places))


def _find_places(
    body_size: int, starts: Ints, ends: Ints, sizes: Ints
) -> tuple[Ints, Ints, Ints] | None:
    """Return where each value could stand in a copy of the body, and which ones are laid in.

    Values in the order of the body stay where they are; one that stands elsewhere goes right
    behind the separator of the one before it. None if something has no room.
    """
    laid = np.flatnonzero(ends > body_size)
    placed = _place(starts, ends, sizes, laid)
    if placed is None:  # of values in any order, those that go back are laid in too
        is_laid = ends > body_size
        latest = np.maximum.accumulate(np.where(is_laid, 0, ends))
        is_laid[1:] |= starts[1:] < latest[:-1]
        if np.count_nonzero(is_laid) > laid.size:
            laid = np.flatnonzero(is_laid)
            placed = _place(starts, ends, sizes, laid)
    return (*placed, laid) if placed is not None else None


def _place(starts: Ints, ends: Ints, sizes: Ints, laid: Ints) -> tuple[Ints, Ints] | None:
    """Return where values could stand if some of them are laid in; None if one has no room."""
    new_starts, new_ends = starts, ends
    if laid.size:
        new_starts, new_ends = starts.copy(), ends.copy()
    waiting = laid
    if laid.size and laid[0] == 0:
        lead = int(np.argmax(np.append(laid, -1) != np.arange(laid.size + 1)))
        if lead == starts.size:
            return None
        lengths = ends[:lead] - starts[:lead]
        new_ends[:lead] = starts[lead] - np.cumsum((sizes[:lead])[::-1])[::-1]
        new_ends[: lead - 1] -= np.cumsum(lengths[:0:-1])[::-1]
        new_starts[:lead] = new_ends[:lead] - lengths
        waiting = laid[lead:]
    for _ in range(_LONGEST_RUN):  # one right behind another waits until that one has its place
        if not waiting.size:
            break
        follows = np.append(False, waiting[1:] == waiting[:-1] + 1)
        now = waiting[~follows]
        new_starts[now] = new_ends[now - 1] + sizes[now - 1]
        new_ends[now] = new_starts[now] + ends[now] - starts[now]
        waiting = waiting[follows]
    if waiting.size:
        return None
    has_room = (new_starts[1:] >= (new_ends + sizes)[:-1]).all()
    return (new_starts, new_ends) if has_room else None


def _edit(
    data: Bytes,
    starts: Ints,
    ends: Ints,
    codes: Bytes | Ints,
    texts: Sequence[bytes],
    places: tuple[Ints, Ints, Ints, Ints],
) -> Bytes:
    """Copy the text from the first value to the last, with separators and strays laid in."""
    sizes, new_starts, new_ends, laid = places
    stops = new_ends + sizes
    first, last = int(new_starts[0]), int(stops[-1])
    out = np.empty(last - first, np.uint8)
    begin, end = max(first, 0), min(last, data.size)
    out[begin - first : end - first] = data[begin:end]
    _lay_in(out, new_ends - first, codes, sizes, texts)
    if laid.size:
        targets = list_positions(new_starts[laid] - first, new_ends[laid] - first)
        out[targets] = _take_spans(data, starts[laid], ends[laid])
    over = np.flatnonzero(new_starts[1:] > stops[:-1])
    if over.size:
        edges = np.empty(2 * over.size + 2, np.int64)  # kept and cut stretches in turn
        edges[0], edges[-1] = first, last
        edges[1:-1:2], edges[2:-1:2] = stops[over], new_starts[over + 1]
        keep = np.zeros(edges.size - 1, np.bool_)
        keep[::2] = True
        out = out[np.repeat(keep, np.diff(edges))]
    return out


def _take_spans(data: Bytes, starts: Ints, ends: Ints) -> Bytes:
    """Return the bytes of spans one behind another; built values mostly stand so already."""
    if (starts[1:] == ends[:-1]).all():
        return data[starts[0] : ends[-1]]
    return data[list_positions(starts, ends)]


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
    stops = np.cumsum(ends - starts + sizes)
    places = np.repeat(ends + sizes - stops, ends - starts + sizes)
    places += np.arange(places.size)
    out = data.take(places, mode="clip") if data.size else np.zeros(places.size, np.uint8)
    _lay_in(out, stops - sizes, codes, sizes, texts)
    return out


def _lay_in(
    out: Bytes, begins: Ints, codes: Bytes | Ints, sizes: Ints, texts: Sequence[bytes]
) -> None:
    """Write the text of each code over the bytes where it begins."""
    for ahead in range(max(map(len, texts))):
        if ahead or not all(texts):
            longer = np.flatnonzero(sizes > ahead)
            begins, codes, sizes = begins[longer], codes[longer], sizes[longer]
        nth = np.array([text[ahead] if len(text) > ahead else 0 for text in texts], np.uint8)
        out[begins + ahead if ahead else begins] = nth.take(codes)


def find_inside(
    data: Bytes, body_size: int, starts: Ints, ends: Ints, wanted: bytes
) -> tuple[Ints, Ints]:
    """Return every place of a wanted byte inside the spans: the number of the span, the position.

    Most such bytes stand right behind a value, where it was cut; where the spans are in the
    order of the text these are taken away before the rest is looked up.
    """
    aside = np.flatnonzero((ends > body_size) | (ends == starts))
    begins, stops = _put_behind(starts, ends, aside) if aside.size else (starts, ends)
    gaps = begins[1:] - stops[:-1]
    gaps[aside[np.searchsorted(aside, 1) :] - 1] = 1  # those tell nothing
    least_gap = int(gaps.min(initial=1))
    if least_gap < 0:
        positions, cells = _find_one_by_one(data, starts, ends, wanted)
        return cells, positions
    inside = _find_likely(data[:body_size], wanted)
    if least_gap > 0:  # numbers are set in half the time that truths are
        inside.view(np.uint8)[stops[: np.searchsorted(stops, body_size)]] = 0
    positions = np.flatnonzero(inside)
    positions = positions[is_any_of(data.take(positions), wanted)]
    owners = np.searchsorted(begins, positions, "right") - 1
    hits = (
        np.flatnonzero((owners >= 0) & (positions < stops.take(owners, mode="clip")))
        if stops.size
        else owners[:0]
    )
    cells, positions = owners[hits], positions[hits]
    late = aside[ends[aside] > body_size]
    if not late.size:
        return cells, positions
    more, owners = _find_built(data, starts[late], ends[late], wanted)
    return np.concatenate([cells, late[owners]]), np.concatenate([positions, more])


def _put_behind(starts: Ints, ends: Ints, aside: Ints) -> tuple[Ints, Ints]:
    """Return spans with some of them empty, right behind the one before them that is not."""
    begins, stops = starts.copy(), ends.copy()
    rows = aside - np.arange(aside.size)  # the same number where they are neighbours
    before = aside[np.searchsorted(rows, rows)] - 1
    begins[aside] = stops[aside] = np.where(before >= 0, ends[before], 0)
    return begins, stops


def _find_likely(data: Bytes, wanted: bytes) -> Bools:
    """Return which bytes are wanted, or a few more where that takes fewer passes over all of them."""
    highest = max(wanted)
    if highest <= _RARE and 0x20 not in wanted:
        likely = data <= highest  # control characters and marks; of these only blanks are many
        likely &= data != 0x20
        return likely
    raw = data.tobytes()  # most of many occur nowhere, and each takes a pass
    return is_any_of(data, bytes(byte for byte in wanted if byte in raw) or wanted)


def _find_built(data: Bytes, starts: Ints, ends: Ints, wanted: bytes) -> tuple[Ints, Ints]:
    """Return every wanted byte in built values: its place, and the number of the value."""
    if (starts[1:] >= ends[:-1]).all() and starts.size:
        first = int(starts[0])
        hits = np.flatnonzero(is_any_of(data[first : ends[-1]], wanted)) + first
        owners = np.searchsorted(starts, hits, "right") - 1
        inside = hits < ends[owners]
        return hits[inside], owners[inside]
    return _find_one_by_one(data, starts, ends, wanted)


def _find_one_by_one(data: Bytes, starts: Ints, ends: Ints, wanted: bytes) -> tuple[Ints, Ints]:
    """Return the same of values that stand in any order."""
    positions, owners = index_spans(starts, ends)
    hits = np.flatnonzero(is_any_of(data[positions], wanted))
    return positions[hits], owners[hits]


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
