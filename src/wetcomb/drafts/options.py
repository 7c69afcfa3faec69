"""The options that follow from how a text is cut: shapes of cells, panels, heading, number of fields."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from itertools import product
from typing import Any

from wetcomb.drafts.heading import find_heading_lines, weigh_heading
from wetcomb.drafts.holdings import find_narrow
from wetcomb.drafts.telling import make_plain
from wetcomb.drafts.trial import Trial
from wetcomb.match.patterns import compile_pattern, read_shape
from wetcomb.steps.split.cell_shapes import CellShapes
from wetcomb.steps.step import AUTO

__all__ = ["WEAK_HEADING", "find_cell_shapes", "settle_fields", "settle_heading", "settle_panels"]

WEAK_HEADING = 3.0  # bits


def find_cell_shapes(whole: Trial) -> tuple[str, ...]:
    """Return the shape of each column of counted cells, `any` where most values are of no one shape.

    Where a cell is missing somewhere, all that follows stands in other columns, and the columns
    of the whole have no shapes. So shapes are also taken from short stretches near the beginning;
    those are believed by which most records fit, once a record may lack a cell or have one more.
    """
    rows, n_fields = whole.rows[1:], whole.n_fields
    if len(rows) < _FEWEST:
        return ("any",) * n_fields
    shapes = _find_shapes(rows, n_fields)
    if "any" not in shapes or n_fields < 2:
        return shapes
    cells = [value for row in whole.rows for value in row]
    best, most = shapes, _weigh(shapes) * len(rows)
    for start, n_rows in product(range(min(len(cells), _STARTS * n_fields)), _STRETCHES):
        stretch = [cells[start + k * n_fields :][:n_fields] for k in range(n_rows)]
        found = _find_shapes(stretch, n_fields)
        if len(stretch[-1]) == n_fields and _weigh(found) > _weigh(shapes):
            fitting = max(_count_fitting(found, part) for part in (cells, cells[n_fields:]))
            weight = _weigh(found) * fitting
            best, most = (found, weight) if weight > most else (best, most)
    return best


def _find_shapes(rows: Sequence[Sequence[str]], n_fields: int) -> tuple[str, ...]:
    shapes = []
    for column in range(n_fields):
        values = [row[column] for row in rows if column < len(row) and row[column]]
        found = Counter(
            shape
            for value in values
            for shape in _CHECKED
            if compile_pattern(read_shape(shape)).covers(value.encode())
        )
        best = next((shape for shape in _CHECKED if found[shape] >= 0.95 * len(values)), "any")
        narrow = find_narrow(values, best) if best in ("number", "code") else ""
        shapes.append((narrow or best) if values else "any")
    return tuple(shapes)


def _weigh(shapes: Sequence[str]) -> float:
    """Return how much shapes say: a pattern more than a shape, and `any` nothing."""
    return sum(1.25 if "{" in shape else shape != "any" for shape in shapes)


def _count_fitting(shapes: Sequence[str], cells: Sequence[str]) -> int:
    """Return how many records fit, less those that do not, when cells may be missing."""
    _, snags = CellShapes(shapes, len(shapes)).find_records([cell.encode() for cell in cells])
    return len(cells) // len(shapes) - 2 * sum(map(len, snags.values()))


#: Shapes that a missing cell is found by, the narrowest first.
_CHECKED = ("date", "time", "digits", "number", "percent", "money", "email", "url", "code", "words")
_FEWEST = 3  # records, from which anything is learnt
_STRETCHES, _STARTS = (2, 3), 4  # records that shapes are taken from, and how far down they begin


def settle_panels(whole: Trial, given: Mapping[str, Any]) -> tuple[int, list[str]]:
    """Return how many panels stand side by side: the heading says the same names again."""
    if "panels" in given:
        return given["panels"], []
    names = whole.rows[0]
    for number in range(2, len(names) // 2 + 1):
        width = len(names) // number
        first = list(names[:width])
        is_again = len(names) == number * width and first * number == list(names)
        if is_again and len(set(first)) == width and all(first):
            return number, [
                f"The heading says {', '.join(names[:width])} {number} times: {number} panels side by side."
            ]
    return 1, []


def settle_heading(
    whole: Trial, given: Mapping[str, Any], panels: int
) -> tuple[str | int, list[str], float | None]:
    """Return the heading, what is told of it, and its evidence in bits where it was weighed."""
    stated = given.get("heading", AUTO)
    if stated is not AUTO:
        return stated, [], None
    # a heading that comes again on every page is no evidence against itself
    rows = [whole.rows[0], *(row for row in whole.rows[1:] if row != whole.rows[0])]
    n_lines = find_heading_lines(rows, whole.n_fields)
    if n_lines > 1:
        return n_lines, [f"The heading has {n_lines} lines; they are joined downwards."], None
    if panels > 1:
        return "first", [], None
    bits = weigh_heading(rows, whole.n_fields)
    doubt = ", but this is doubtful" if abs(bits) < WEAK_HEADING else ""
    excerpt = make_plain(", ".join(rows[0])[:60])
    if bits > 0:
        return "first", [f"The first record is the heading ({excerpt}){doubt}."], bits
    said = f"There is no heading: the first record looks like the others ({excerpt}){doubt}."
    return "none", [said], bits


def settle_fields(
    whole: Trial, given: Mapping[str, Any], heading: str | int, panels: int
) -> tuple[int, list[str]]:
    stated = given.get("fields", AUTO)
    if isinstance(stated, int):
        return stated, []
    if heading == "none":
        names = given.get("names", ())
        n_fields = -(-whole.n_fields // panels)
        return (len(names) if names and not given.get("take") else n_fields), []
    if heading != "first" or whole.split.edges or whole.split.per_record:
        return 0, []
    short = whole.n_fields - len(whole.rows[0])
    if short > 0 and 2 * whole.n_fitting > len(whole.rows):
        return whole.n_fields, [
            f"The heading has {short} fewer names than most records have fields; the last columns get made-up names."
        ]
    return 0, []
