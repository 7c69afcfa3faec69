"""Whether the first record is a heading: its values against the columns below.

Each column gives evidence in bits, for a heading above zero: a word over numbers speaks
for one, a number over numbers against; a value that comes again in its own column speaks
against. Most pasted tables have a heading, so with nothing to go by there is one.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from wetcomb.match.shapes import TYPED, find_shape

__all__ = ["find_heading_lines", "weigh_heading"]

_PRIOR = 2.0
_FIGURES = frozenset(["digits", "number", "money", "percent", "measure", "code"])
_MOST_LINES = 4  # lines of a heading
_ENOUGH = 6  # values before a column's own ways count


def weigh_heading(rows: Sequence[Sequence[str]], n_fields: int) -> float:
    """Return the evidence, in bits, that the first of these records is a heading."""
    first, body = rows[0], rows[1:]
    if len(first) > len(set(first)) and "" not in first:
        return -6.0
    if not body:
        return _PRIOR - 4.0 * sum(find_shape(value) in TYPED for value in first)
    bits = _PRIOR
    for place, name in enumerate(first):
        column = [row[place] for row in body if place < len(row) and row[place]]
        bits += _weigh_column(name, column)
    if len(first) != n_fields:
        bits -= 3.0
    if 2 * sum(map(bool, first)) < n_fields:  # it names few of the columns
        bits -= 6.0
    return bits


def find_heading_lines(rows: Sequence[Sequence[str]], n_fields: int) -> int:
    """Return how many records a heading of several lines is: 1 where there is no sign of more.

    The sign is a record further down than the first that names the columns: words over
    columns of figures, most of its fields filled; what stands above it belongs to it if it
    fills fewer fields, or says some of them again.
    """
    body = rows[_MOST_LINES:]
    if len(body) < _ENOUGH // 2:
        return 1
    typed = [
        column
        for column in range(n_fields)
        if (values := [row[column] for row in body if column < len(row) and row[column]])
        and sum(find_shape(value) in TYPED for value in values) >= 0.6 * len(values)
    ]
    if not typed:
        return 1
    for place in range(_MOST_LINES - 1, 0, -1):
        row = [*rows[place], *[""] * (n_fields - len(rows[place]))]
        names = [row[column] for column in typed if row[column]]
        is_heading = len(names) >= 0.6 * len(typed) and not any(
            find_shape(name) in TYPED for name in names
        )
        below = [*rows[place + 1], *[""] * (n_fields - len(rows[place + 1]))]
        figures = [find_shape(below[column]) in TYPED for column in typed if below[column]]
        is_heading &= 2 * sum(figures) > len(figures)
        if is_heading and all(_is_above(above, n_fields) for above in rows[:place]):
            return place + 1
    return 1


def _is_above(row: Sequence[str], n_fields: int) -> bool:
    """Return whether a record can be an upper line of a heading: some fields blank or told again."""
    filled = [value for value in row if value]
    if len(filled) == 1 and row[0]:
        return False  # a title
    return bool(filled) and (len(filled) < n_fields or len(set(filled)) < len(filled))


def _weigh_column(name: str, column: Sequence[str]) -> float:
    if not name:
        return -1.0
    if not column:
        return 0.0
    shape = find_shape(name)
    shapes = Counter(map(find_shape, column))
    same = shapes[shape] / len(column)
    typed = sum(shapes[kind] for kind in (*TYPED, "code")) / len(column)
    if shape in TYPED and not same and typed >= 0.8 and not shapes.keys() & _FIGURES:
        return 2.0  # a number over times or days
    if shape in TYPED:
        return -8.0 if same >= 0.5 else -3.0
    if shape == "code":
        return -3.0 if same >= 0.5 else 0.0
    if typed >= 0.6:
        return 4.0
    if len(column) < _ENOUGH:
        return -4.0 if name in column else 0.0
    n_distinct = len(set(column))
    if n_distinct == len(column):  # as a record it would be the only one to repeat a value
        return 2.0 if len(set(map(len, column))) == 1 and len(name) != len(column[0]) else 0.0
    if name in column:
        return -4.0
    return 1.0 if 2 * n_distinct <= len(column) else 0.0
