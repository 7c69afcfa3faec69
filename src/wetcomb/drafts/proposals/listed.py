"""Cells of a line each: row by row, in blocks that blank lines part, or column by column."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import pairwise

from wetcomb.drafts.pricing.chains import Chain
from wetcomb.drafts.pricing.columns import find_rigid
from wetcomb.drafts.proposals.body import Body
from wetcomb.match.shapes import TYPED, find_shape
from wetcomb.steps.split.options import Split

__all__ = ["propose"]

_LEAST, _MOST_FIELDS, _TRIED = 6, 16, 4
_MOST_WINDOWS, _OVER = 4, 4  # parts that are tried; lines that may be over beside whole records
_MORE = 0.1  # share of lines by which a period must be more alike than neighbours are


def propose(body: Body) -> Iterator[Chain]:
    """Yield chains for cells that stand on a line each."""
    yield from _propose_headed(body)
    yield from _propose_blocks(body)
    for place, (first, last) in enumerate(body.list_windows()):
        if place == _MOST_WINDOWS:
            return
        lines = [body.lines[k].strip() for k in body.full if first <= k < last]
        if len(lines) < _LEAST:
            continue
        for number in _list_periods(lines):
            note = f"A cell a line, {number} to a record."
            for shapes in dict.fromkeys(("any", _find_shapes(lines, number))):
                split = Split(
                    delimiter=("newline",), per_record=number, heading="none", fields=number,
                    quote=("none",), cell_shapes=shapes,
                )  # fmt: skip
                for begin, end in _list_trims(body, first, last, number):
                    yield body.make_chain((split,), begin, end, note)
        stretches = [s for s in body.stretches if first <= s[0] < last]
        sizes = Counter(end - begin for begin, end in stretches)
        usual = sizes.most_common(1)[0][0] if sizes else 0
        is_whole = all(
            end - begin != usual for begin, end in body.stretches if (begin, end) not in stretches
        )
        if 2 <= len(stretches) <= _MOST_FIELDS * 4 and sizes[usual] >= 2 and is_whole:
            for heading in ("first", "none"):
                split = Split(column_by_column=True, heading=heading)
                note = f"{len(stretches)} columns, one under another, a cell a line."
                yield body.make_chain((split,), first, last, note)


def _list_trims(body: Body, first: int, last: int, number: int) -> Iterator[tuple[int, int]]:
    """Yield a part as it is, and where whole records would leave lines over, without as many at one end or both."""
    yield first, last
    full = [k for k in body.full if first <= k < last]
    over = len(full) % number
    for top in dict.fromkeys((over, 0, over // 2)) if 0 < over <= _OVER else ():
        yield full[top], full[len(full) - 1 - (over - top)] + 1


def _propose_headed(body: Body) -> Iterator[Chain]:
    """Yield chains for columns of one length one under another, each under its heading, nothing between them."""
    for first, last in [*body.list_windows(2, 1)][:_MOST_WINDOWS]:
        lines = [body.lines[k].strip() for k in body.full if first <= k < last]
        for number in range(2, _MOST_FIELDS // 2 + 1):
            if len(lines) % number or len(lines) < 3 * number:
                continue
            size = len(lines) // number
            names = tuple(lines[place * size] for place in range(number))
            others = {line for k, line in enumerate(lines) if k % size}
            n_left = len(body.full) - len(lines)
            if len(set(names)) < number or others & set(names) or n_left >= size:
                continue
            split = Split(column_by_column=True, heading="first", names=names)
            note = (
                f"{number} columns of {size - 1} cells, one under another, each under its heading."
            )
            yield body.make_chain((split,), first, last, note)


def _propose_blocks(body: Body) -> Iterator[Chain]:
    """Yield chains for blocks of lines of which each is a record, a cell a line."""
    for first, last in [*body.list_windows()][:_MOST_WINDOWS]:
        blocks = [end - begin for begin, end in body.stretches if first <= begin < last]
        if len(blocks) < 3 or not 2 <= max(blocks) <= _MOST_FIELDS:
            continue
        split = Split(
            delimiter=("newline",), records_at="blank-line", heading="none", fields=max(blocks), quote=("none",)
        )  # fmt: skip
        note = f"{len(blocks)} blocks of lines, a record each, a field a line."
        yield body.make_chain((split,), first, last, note)


def _find_shapes(lines: Sequence[str], number: int) -> tuple[str, ...] | str:
    """Return the shapes that the cells of the first records have in common, by which a missing one is told."""
    records = [lines[k : k + number] for k in range(number, 4 * number, number)]
    if len(records[-1]) < number:
        return "any"
    found = []
    for cells in zip(*records, strict=True):
        shapes = {find_shape(cell) for cell in cells}
        shape = shapes.pop()
        found.append(shape if not shapes and shape in TYPED else "any")
    return tuple(found) if set(found) != {"any"} else "any"


def _list_periods(lines: Sequence[str]) -> list[int]:
    """Return after how many lines the shapes of lines come again, the likeliest first."""
    shapes = [rigid.shape if (rigid := find_rigid(line)) else "text" for line in lines]
    whole = [rigid.outline if (rigid := find_rigid(line)) else "text" for line in lines]
    found = []
    next_alike = sum(a == b for a, b in pairwise(shapes)) + sum(a == b for a, b in pairwise(whole))
    for number in range(2, min(_MOST_FIELDS, len(lines) // 3) + 1):
        pairs = len(lines) - number
        alike = sum(a == b for a, b in zip(shapes, shapes[number:], strict=False))
        alike += sum(a == b for a, b in zip(whole, whole[number:], strict=False))
        if alike / pairs <= next_alike / (len(lines) - 1) + _MORE:
            continue  # each line is like the next
        found.append((-alike / pairs + 0.02 * number - 0.1 * (len(lines) % number == 0), number))
    return [number for _, number in sorted(found)[:_TRIED]]
