"""Candidates that are no delimiter: columns of blanks, rules, counted cells, everything on one line.

Nothing is decided here: the price decides.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from typing import Any

from wetcomb.match.shapes import find_shape
from wetcomb.steps.split.blank_edges import find_edge_candidates
from wetcomb.steps.split.page_edges import find_rule_edges

__all__ = ["list_layouts"]

_LINES = 400
_MOST_CELLS, _CELL_LINES = 24, 200
_ONE_LINE = 120  # characters from which a line may hold a whole table

#: Bits to say that a text is laid out so.
_EDGES, _EDGE, _RULE, _PARAGRAPHS, _ONE = 8.0, 5.0, 6.0, 12.0, 16.0
_CELLS, _CELL = 8.0, 4.0
#: Lines that a rule may be to stand under a heading; there it was drawn to show the columns.
_HEADS, _UNDER_HEADING = (1, 2), -200.0


def list_layouts(sample: str, tab_width: int = 8) -> list[tuple[dict[str, Any], float]]:
    """Return ways to cut worth trying, as options of split, with the bits it takes to say them."""
    lines = [line for line in re.split(r"\r\n|\n|\r", sample) if line.strip()]
    found: list[tuple[dict[str, Any], float]] = [
        ({"edges": edges}, _EDGES + _EDGE * len(edges))
        for edges in find_edge_candidates(lines, tab_width)
    ]
    rules = [k for k, line in enumerate(lines[:_LINES]) if find_rule_edges(line.encode())]
    if rules:
        under_heading = rules[0] in _HEADS and not set(lines[rules[0]].strip()) - set("-= ")
        found.append(({"edges": "rule"}, _UNDER_HEADING if under_heading else _RULE))
    found += [
        ({"per_record": number}, _CELLS + _CELL * number) for number in _find_cell_counts(lines)
    ]
    found += _find_paragraphs(sample)
    if len(lines) <= 3 and max(map(len, lines), default=0) >= _ONE_LINE:
        found += _list_one_line("\n".join(lines))
    return found


def _find_cell_counts(lines: Sequence[str]) -> list[int]:
    """Return how many lines could make a record, where shapes recur every so many lines."""
    shapes = [find_shape(line.strip()) for line in lines[:_CELL_LINES]]
    if len(shapes) < 6 or len(set(shapes)) < 2:
        return []
    scores = []
    base = _count_usual(shapes) / len(shapes)
    for number in range(2, min(_MOST_CELLS, len(shapes) // 3) + 1):
        same = sum(_count_usual(shapes[k::number]) for k in range(number))
        scores.append((same / len(shapes) - base - 0.01 * number, number))
    return [number for score, number in sorted(scores, reverse=True)[:2] if score > 0.1]


def _count_usual(shapes: Sequence[str]) -> int:
    """Return how often the shape comes that comes most often, of a few."""
    return max(map(shapes.count, set(shapes)))


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
