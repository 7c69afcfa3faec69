"""Candidates that are no delimiter: columns of blanks, rules, counted cells, everything on one line.

Nothing is decided here: the price decides.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from typing import Any

import numpy as np

from wetcomb.core.arrays import Bools
from wetcomb.match.characters import SPACE, Columns, find_kinds, read_code_points
from wetcomb.match.shapes import find_shape
from wetcomb.steps.page_edges import find_rule_edges

__all__ = ["find_edge_candidates", "list_layouts"]

_LINES, _WIDTH = 400, 500
_TOLERANCE = 0.02  # lines that may have something in a column of blanks
_MOST_CELLS, _CELL_LINES = 24, 200
_ONE_LINE = 120  # characters from which a line may hold a whole table

#: Bits to say that a text is laid out so.
_EDGES, _EDGE, _RULE, _PARAGRAPHS, _ONE = 8.0, 5.0, 6.0, 12.0, 16.0
_CELLS, _CELL, _HEADING = 8.0, 4.0, 9.0


def list_layouts(sample: str, tab_width: int = 8) -> list[tuple[dict[str, Any], float]]:
    """Return ways to cut worth trying, as options of split, with the bits it takes to say them."""
    lines = [line for line in re.split(r"\r\n|\n|\r", sample) if line.strip()]
    found: list[tuple[dict[str, Any], float]] = [
        ({"edges": edges}, _EDGES + _EDGE * len(edges))
        for edges in find_edge_candidates(lines, tab_width)
    ]
    if any(find_rule_edges(line.encode()) for line in lines[:_LINES]):
        found.append(({"edges": "rule"}, _RULE))
    found += [
        ({"per_record": number}, _CELLS + _CELL * number) for number in _find_cell_counts(lines)
    ]
    found += _find_paragraphs(sample)
    if len(lines) <= 3 and max(map(len, lines), default=0) >= _ONE_LINE:
        found += _list_one_line("\n".join(lines))
    return found


def find_edge_candidates(lines: Sequence[str], tab_width: int = 8) -> list[tuple[int, ...]]:
    """Return edges at the columns that (nearly) all lines leave blank, wide gaps alone and all gaps."""
    solid = [line for line in lines[:_LINES] if not find_rule_edges(line.encode())]
    body = [line for line in solid if re.search(r"\S {2,}\S|\t", line)] or solid
    if len(body) < 3:
        return []
    filled = _fill_columns(body, tab_width)
    n_head = min(2, len(body) - 2)
    found = []
    for narrowest in (2, 1):
        edges = _find_edges(filled, n_head, narrowest)
        if edges and edges not in found:
            found.append(edges)
    return found


def _fill_columns(lines: Sequence[str], tab_width: int) -> Bools:
    """Return which display columns each line has a character in."""
    raw = "\n".join(lines).encode()
    data = np.frombuffer(raw, np.uint8)
    feeds = np.flatnonzero(data == 0x0A)
    starts, ends = np.append(0, feeds + 1), np.append(feeds, data.size)
    columns = Columns(data, starts, ends, tab_width)
    points, places = read_code_points(data)
    solid = places[find_kinds(points) != SPACE]
    rows = np.searchsorted(starts, solid, "right") - 1
    at = columns.find_columns(solid, rows)
    filled = np.zeros((starts.size, _WIDTH), np.bool_)
    inside = at < _WIDTH
    filled[rows[inside], at[inside]] = True
    return filled


def _find_edges(filled: Bools, n_head: int, narrowest: int) -> tuple[int, ...]:
    body = filled[n_head:]
    n_filled = body.sum(axis=0)
    is_blank = n_filled <= (_TOLERANCE * len(body) if len(body) >= 1 / _TOLERANCE else 0)
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

    Columns that the heading leaves blank too come first.
    """
    begin, end = gutter
    free = np.flatnonzero(~head[:, begin:end].any(axis=0)) + begin
    if not free.size:
        free = np.arange(begin, end)
    there = body[:, end:stop].any(axis=1)
    begins = body[there, end].mean() if there.any() else 0.0
    last = int(free[-1]) + 1
    return last if begins >= 0.5 or last < end else (int(free[0]) + last + 1) // 2


def _find_cell_counts(lines: Sequence[str]) -> list[int]:
    """Return how many lines could make a record, where shapes recur every so many lines."""
    shapes = [find_shape(line.strip()) for line in lines[:_CELL_LINES]]
    if len(shapes) < 6 or len(set(shapes)) < 2:
        return []
    scores = []
    base = Counter(shapes).most_common(1)[0][1] / len(shapes)
    for number in range(2, min(_MOST_CELLS, len(shapes) // 3) + 1):
        same = sum(Counter(shapes[k::number]).most_common(1)[0][1] for k in range(number))
        scores.append((same / len(shapes) - base - 0.01 * number, number))
    return [number for score, number in sorted(scores, reverse=True)[:2] if score > 0.1]


def _find_paragraphs(sample: str) -> list[tuple[dict[str, Any], float]]:
    """Return that blank lines end records of a line a field, where most have as many lines."""
    blocks = [
        block.strip().count("\n") + 1
        for block in re.split(r"\n[ \t]*\n\s*", sample.replace("\r\n", "\n").strip())
    ]
    usual, number = Counter(blocks).most_common(1)[0]
    if len(blocks) < 4 or not 1 < usual <= _MOST_CELLS or number < 0.6 * len(blocks):
        return []
    return [({"records_at": "blank-line", "delimiter": "newline"}, _PARAGRAPHS)]


def _list_one_line(text: str) -> list[tuple[dict[str, Any], float]]:
    """Return ways to read a table that stands on one line: marks that end records, or a count."""
    marks = [
        mark
        for mark, number in Counter(re.findall(r"[;|/,~#]", text)).most_common(4)
        if number >= 4
    ]
    found: list[tuple[dict[str, Any], float]] = [
        ({"delimiter": inner, "records_at": outer}, _ONE)
        for outer in marks
        for inner in marks
        if inner != outer and text.count(outer) < text.count(inner)
    ]
    for mark in marks[:2]:
        values = [value.strip() for value in text.split(mark)]
        found += [
            ({"delimiter": mark, "per_record": number}, _ONE)
            for number in _find_cell_counts(values)
        ]
    return found
