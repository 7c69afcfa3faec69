"""Fields in display columns that lines leave blank between them."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from itertools import pairwise

from wetcomb.core.arrays import Bools
from wetcomb.drafts.pricing.chains import Chain
from wetcomb.drafts.proposals.body import Body
from wetcomb.drafts.stacked_blocks import find_stacked
from wetcomb.steps.split.blank_edges import fill_columns, find_edges
from wetcomb.steps.split.options import Split

__all__ = ["propose"]

_GAP = re.compile(r"\S(?: {2,}|\t)\S|^(?: {2,}|\t)\S")
_CELLS = re.compile(r"\s{2,}|\t")
_LEAST, _MOST = 3, 24
#: Lines of heading, which may stand across a gap; the narrowest gap; the share of lines that may cross it.
_WAYS = ((0, 2, 0.0), (0, 1, 0.0), (1, 2, 0.0), (2, 2, 0.0), (1, 1, 0.0), (0, 2, 0.06), (0, 3, 0.0))


def propose(body: Body) -> Iterator[Chain]:
    """Yield chains for records in display columns."""
    yield from _propose_stacked(body)
    yield from _propose_by_heading(body)
    seen = set()
    for first, last in _list_parts(body):
        inside = [k for k in body.full if first <= k < last]
        if len(inside) < _LEAST:
            continue
        lines = [body.lines[k] for k in inside]
        gappy = [line for line in lines if _GAP.search(line)]
        for some in (lines, gappy):
            if len(some) < _LEAST or 2 * len(some) < len(lines):
                continue
            filled = fill_columns(some, 8)
            for n_head, narrowest, share in _WAYS:
                if len(some) < n_head + _LEAST:
                    continue
                found = find_edges(filled, n_head, narrowest, share)
                merged = _merge_words(filled, found) if narrowest == 1 else found
                for edges in dict.fromkeys((found, merged)):
                    if 1 <= len(edges) <= _MOST and (edges, first, last) not in seen:
                        seen.add((edges, first, last))
                        yield from _cut(body, edges, first, last, len(some))


def _cut(
    body: Body, edges: tuple[int, ...], first: int, last: int, n_lines: int
) -> Iterator[Chain]:
    """Yield chains that cut at some columns, as one table or as panels side by side."""
    note = f"Cut at columns {', '.join(map(str, edges))}, which {n_lines} lines leave blank."
    split = Split(edges=edges, heading="none", fields=len(edges) + 1)
    yield body.make_chain((split,), first, last, note)
    for panels in (2, 3):
        if (len(edges) + 1) % panels == 0 and len(edges) + 1 >= 2 * panels:
            if not _may_be_panels(body, edges, first, last, panels):
                continue
            n_fields = (len(edges) + 1) // panels
            split = Split(edges=edges, heading="none", panels=panels, fields=n_fields)
            more = f"{note} They are {panels} panels of {n_fields}, read down one after another."
            yield body.make_chain((split,), first, last, more)


def _may_be_panels(body: Body, edges: tuple[int, ...], first: int, last: int, panels: int) -> bool:
    """Return whether the first line says the same over all panels, or what stands below does in all of them."""
    top = next(body.lines[k] for k in body.full if first <= k < last)
    bounds = [0, *edges, len(top)]
    cells = [top[a:b].strip() for a, b in pairwise(bounds)]
    n_fields = len(cells) // panels
    parts = [cells[k : k + n_fields] for k in range(0, len(cells), n_fields)]
    has_figures = any(map(str.isdecimal, top))
    return has_figures or all(part == parts[0] for part in parts)


def _merge_words(filled: Bools, edges: tuple[int, ...]) -> tuple[int, ...]:
    """Return the edges without those between words that are one blank apart wherever one of them stands."""
    kept = []
    bounds = [0, *edges, filled.shape[1]]
    for place, edge in enumerate(edges, 1):
        left, right = filled[:, bounds[place - 1] : edge], filled[:, edge : bounds[place + 1]]
        has_left, has_right = left.any(axis=1), right.any(axis=1)
        both = has_left & has_right
        is_near = left[both][:, -2:].any(axis=1) & right[both][:, :1].any(axis=1)
        if not both.any() or (has_left != has_right).any() or not is_near.all():
            kept.append(edge)
    return tuple(kept)


def _propose_by_heading(body: Body) -> Iterator[Chain]:
    """Yield the chain that cuts each page as its own heading says, where one returns."""
    counts = Counter(" ".join(body.lines[k].split()) for k in body.full)
    for k in body.full:
        names = _CELLS.split(body.lines[k].strip())
        has_figures = any(map(str.isdecimal, body.lines[k]))
        if len(names) < _LEAST or has_figures or counts[" ".join(body.lines[k].split())] < 2:
            continue
        note = f"Each page is cut as its own heading stands: {', '.join(names)[:60]}."
        yield body.make_chain((Split(edges="heading", heading="first"),), k, None, note)
        return


def _propose_stacked(body: Body) -> Iterator[Chain]:
    """Yield chains for blocks of columns one under another, put side by side by row label."""
    for first, last in [*body.list_windows(2, 2)][:6]:
        options, notes, _ = find_stacked("\n".join(body.lines[first:last]))
        if not options:
            continue
        yield body.make_chain((Split(**options),), first, last, notes[0])
        blocks = [body.lines[a:b] for a, b in body.stretches if first <= a < last]
        for narrowest in (2, 1):
            edges = [find_edges(fill_columns(block, 8), 0, narrowest) for block in blocks]
            if all(edges):
                said = "/".join(",".join(map(str, found)) for found in edges)
                yield body.make_chain((Split(**{**options, "edges": said}),), first, last, notes[0])


def _list_parts(body: Body) -> Iterator[tuple[int, int]]:
    """Yield the parts in which columns may stand: from the first line with a gap to the last."""
    gappy = [k for k in body.full if _GAP.search(body.lines[k])]
    if len(gappy) < _LEAST:
        return
    first, last = body.widen(gappy)
    yield first, last
    large = [
        (begin, end) for begin, end in body.stretches
        if sum(begin <= k < end for k in gappy) >= max(_LEAST, 0.6 * (end - begin))
    ]  # fmt: skip
    if large:
        narrow = large[0][0], large[-1][1]
        if narrow != (first, last):
            yield narrow
    if (gappy[0], gappy[-1] + 1) != (first, last):
        yield gappy[0], gappy[-1] + 1
