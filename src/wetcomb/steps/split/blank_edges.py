"""Edges that no heading and no rule tells: display columns that lines leave blank."""

from __future__ import annotations

import re
from collections.abc import Sequence

import numpy as np

from wetcomb.core.arrays import Bools
from wetcomb.match.characters import SPACE, Columns, find_kinds, find_widths, read_code_points
from wetcomb.steps.split.page_edges import find_rule_edges

__all__ = ["fill_columns", "find_edge_candidates", "find_edges"]

_LINES, _WIDTH = 400, 500
_IN_LINE = 0.95  # share of cells that end in one column where they are flush right
_TOLERANCE = 0.02  # lines that may have something in a column of blanks


def find_edge_candidates(lines: Sequence[str], tab_width: int = 8) -> list[tuple[int, ...]]:
    """Return edges at the columns that (nearly) all lines leave blank, wide gaps alone and all gaps."""
    solid = [line for line in lines[:_LINES] if not find_rule_edges(line.encode())]
    body = [line for line in solid if re.search(r"\S {2,}\S|\t", line)] or solid
    if len(body) < 3:
        return []
    filled = fill_columns(body, tab_width)
    n_head = min(2, len(body) - 2)
    found = []
    for narrowest in (2, 1):
        edges = find_edges(filled, n_head, narrowest, _TOLERANCE)
        if edges and edges not in found:
            found.append(edges)
    return found


def fill_columns(lines: Sequence[str], tab_width: int) -> Bools:
    """Return which display columns each line has a character in."""
    raw = "\n".join(lines).encode()
    data = np.frombuffer(raw, np.uint8)
    feeds = np.flatnonzero(data == 0x0A)
    starts, ends = np.append(0, feeds + 1), np.append(feeds, data.size)
    columns = Columns(data, starts, ends, tab_width)
    points, places = read_code_points(data)
    is_solid = find_kinds(points) != SPACE
    solid, widths = places[is_solid], find_widths(points)[is_solid]
    rows = np.searchsorted(starts, solid, "right") - 1
    at = columns.find_columns(solid, rows)
    filled = np.zeros((starts.size, _WIDTH), np.bool_)
    for ahead in (0, 1):  # a wide character stands in two columns
        inside = (at + ahead < _WIDTH) & (widths > ahead)
        filled[rows[inside], at[inside] + ahead] = True
    return filled


def find_edges(
    filled: Bools, n_head: int, narrowest: int, tolerance: float = 0.0
) -> tuple[int, ...]:
    """Return where to cut in the runs of columns that the lines leave blank.

    Parameters
    ----------
    filled : (L, W), which columns each line has a character in
    n_head : lines of them that are heading: they only say where in a run to cut
    narrowest : columns a run must have
    tolerance : share of the lines that may have something there all the same
    """
    body = filled[n_head:]
    n_filled = body.sum(axis=0)
    is_blank = n_filled <= (tolerance * len(body) if len(body) * tolerance >= 1 else 0)
    used = np.flatnonzero(~is_blank)
    if not used.size:
        return ()
    bounds = np.flatnonzero(np.diff(is_blank.view(np.int8), prepend=0, append=0))
    gutters = [
        (int(a), int(b))
        for a, b in zip(bounds[::2], bounds[1::2], strict=True)
        if a > used[0] and b <= used[-1] and b - a >= narrowest
    ]
    edges = []
    for place, (begin, end) in enumerate(gutters):
        stop = gutters[place + 1][0] if place + 1 < len(gutters) else int(used[-1]) + 1
        edges.append(_choose_column(filled[:n_head], body, (begin, end), stop))
    return tuple(edges)


def _choose_column(head: Bools, body: Bools, gutter: tuple[int, int], stop: int) -> int:
    """Return where in a gutter to cut: before a column that begins in line, else midway.

    Columns that the heading leaves blank too come first. Where cells end in line a heading
    is wider to the left than they are, so that the first of its widest gaps counts.
    """
    begin, end = gutter
    free = np.arange(begin, end)
    for lines in (head, head[-1:]):  # a word of an upper line may stand over several columns
        blank = np.flatnonzero(~lines[:, begin:end].any(axis=0)) + begin
        if blank.size:
            free = blank
            break
    there = body[:, end:stop].any(axis=1)
    cells = body[there, end:stop]
    begins = cells[:, 0].mean() if cells.size else 0.0
    last = int(np.flatnonzero(cells.any(axis=0))[-1]) if cells.any() else 0
    ends = cells[:, last].mean() if cells.size else 0.0
    if begins >= 0.5 and (ends < _IN_LINE or free.size == end - begin):
        return int(free[-1]) + 1
    runs = np.split(free, np.flatnonzero(np.diff(free) > 1) + 1)
    run = max(runs, key=len)
    return (int(run[0]) + int(run[-1]) + 2) // 2
