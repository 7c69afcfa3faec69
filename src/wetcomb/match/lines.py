"""Patterns over the lines of a text: bytes are tested first, expressions run on what is left."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from wetcomb.core.arrays import BLANK, TAB, Bools, Bytes, Ints, find_text
from wetcomb.match.patterns import Pattern

__all__ = ["find_in_lines", "find_lines", "match_line"]

_FORM_FEED = 0x0C
_HOW = {"line": "fullmatch", "start": "match", "end": "search", "anywhere": "search"}


def match_line(pattern: Pattern, line: bytes, covers: str) -> bool:
    """Return whether a pattern is met by a line (its line end left out).

    `covers` says what it must cover: `line` (all of it), `start`, `end` or `anywhere`.
    Spacing and form feeds at the line's edges are put aside, except for `regex:` and where
    the pattern itself begins with `{gap}`.
    """
    line = line.rstrip(b"\r\n")
    if not pattern.is_raw:
        line = (
            line.strip(b" \t\f")
            if not pattern.source.startswith("{gap}")
            else line.rstrip(b" \t\f")
        )
    if covers == "end":
        return any(found.end == len(line) for found in pattern.find_all(line))
    return pattern.find(line, _HOW[covers]) is not None


def find_lines(
    data: Bytes, starts: Ints, ends: Ints, patterns: Sequence[Pattern], covers: str
) -> Bools:
    """Return which lines meet at least one of the patterns.

    Parameters
    ----------
    starts, ends : (L,) int64, the lines, their line ends left out
    """
    found = np.zeros(starts.size, np.bool_)
    raw = data.tobytes() if patterns and starts.size else b""
    for pattern in patterns:
        if pattern.is_text and pattern.literal and covers == "start":
            begins, mask = _find_beginning(data, starts, ends, pattern.literal)
            found |= begins
        else:
            mask = _find_likely(data, starts, ends, pattern, covers)
        likely = np.flatnonzero(~found & mask)
        spans = zip(starts[likely].tolist(), ends[likely].tolist(), strict=True)
        found[likely[np.array(_match_spans(pattern, raw, spans, covers), np.bool_)]] = True
    return found


def _match_spans(
    pattern: Pattern, raw: bytes, spans: Iterable[tuple[int, int]], covers: str
) -> list[bool]:
    """Return for each of some lines what `match_line` says of it."""
    regex = pattern.regex
    if regex is None or covers not in ("line", "start") or pattern.source.startswith("{gap}"):
        return [match_line(pattern, raw[a:b], covers) for a, b in spans]
    match, longest = (regex.fullmatch if covers == "line" else regex.match), pattern.longest
    lines = (raw[a:b].rstrip(b"\r\n").strip(b" \t\f") for a, b in spans)
    return [len(line) <= longest and match(line) is not None for line in lines]


def find_in_lines(
    data: Bytes, starts: Ints, ends: Ints, patterns: Sequence[Pattern]
) -> tuple[Ints, Ints]:
    """Return every place of the patterns in the lines, as spans in order; overlapping ones once."""
    spans: list[tuple[int, int]] = []
    for pattern in patterns:
        likely = np.flatnonzero(_find_likely(data, starts, ends, pattern, "anywhere"))
        for a, b in zip(starts[likely].tolist(), ends[likely].tolist(), strict=True):
            spans += [(a + m.start, a + m.end) for m in pattern.find_all(data[a:b].tobytes())]
    kept: list[tuple[int, int]] = []
    for span in sorted(spans):
        if not kept or span[0] >= kept[-1][1]:
            kept.append(span)
    found = np.array(kept, np.int64).reshape(-1, 2)
    return found[:, 0], found[:, 1]


def _find_likely(data: Bytes, starts: Ints, ends: Ints, pattern: Pattern, covers: str) -> Bools:
    """Return the lines in which the bytes stand that every match has."""
    if not pattern.literal or not starts.size:
        return np.ones(starts.size, np.bool_)
    if pattern.is_prefix and covers in ("line", "start"):
        return np.logical_or(*_find_beginning(data, starts, ends, pattern.literal))
    hits = find_text(data, pattern.literal)
    lines = np.searchsorted(starts, hits, "right") - 1
    inside = (lines >= 0) & (hits < ends[lines])
    likely = np.zeros(starts.size, np.bool_)
    likely[lines[inside]] = True
    return likely


def _find_beginning(data: Bytes, starts: Ints, ends: Ints, literal: bytes) -> tuple[Bools, Bools]:
    """Return the lines whose first character that is no spacing begins a text, and those unlooked at.

    These are indented deeper than is worth looking for.
    """
    places = starts.copy()
    waiting = np.flatnonzero(places < ends)
    likely = np.zeros(starts.size, np.bool_)
    for _ in range(8):
        first = data[places[waiting]]
        is_first = first == literal[0]
        likely[waiting[is_first]] = True
        is_space = (first == BLANK) | (first == TAB) | (first == _FORM_FEED)
        waiting = waiting[is_space & ~is_first]
        places[waiting] += 1
        waiting = waiting[places[waiting] < ends[waiting]]
        if not waiting.size:
            break
    rows = np.flatnonzero(likely)
    for ahead, byte in enumerate(literal):
        rows = rows[places[rows] + ahead < ends[rows]]
        rows = rows[data[places[rows] + ahead] == byte]
    found, deep = np.zeros((2, starts.size), np.bool_)
    found[rows], deep[waiting] = True, True
    return found, deep
