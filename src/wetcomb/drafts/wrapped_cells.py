"""Lines that go on with the record above them, under its columns: told only where that is certain.

A line goes on if the key and every column of figures, dates or codes is blank in it, so that
columns left blank for "the same" are never joined; where blank lines or rules part the records,
each block must hold these columns just once.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from wetcomb.drafts.record_lines import FILLED, SampleLines, list_spans
from wetcomb.steps.split.options import Split

__all__ = ["find_wrapped"]


def find_wrapped(lines: SampleLines, split: Split) -> tuple[dict[str, Any], list[str]]:
    """Return the options for records of several lines, and what tells them."""
    if not lines.typed or split.blanks or not lines.rows:
        return {}, []
    filled = [{c for c, cell in enumerate(row) if cell} for row in lines.rows]
    typed = set(lines.typed)
    is_whole = [bool(split.edges) or len(row) == lines.n_fields for row in lines.rows]
    goes_on = [
        bool(cells) and whole and not cells & typed
        for cells, whole in zip(filled, is_whole, strict=True)
    ]
    if sum(goes_on) < 2:
        return {}, []
    blocks = _find_blocks(lines, goes_on)
    n_on = sum(goes_on)
    if blocks:
        what = blocks.replace("-", " ")
        note = f"Records stand on several lines, parted by {what}s: {n_on} lines go on with one."
        return {"wrapped": True, "parted_by": blocks}, [note]
    heads = [k for k, is_on in enumerate(goes_on) if not is_on]
    on = [k for k, is_on in enumerate(goes_on) if is_on]
    keys = [
        column
        for column in range(lines.n_fields)
        if sum(column in filled[k] for k in heads) >= FILLED * len(heads)
        and not any(column in filled[k] for k in on)
    ]
    if not keys or goes_on[0] or lines.odd & set(on):
        return {}, []
    key = min(keys)
    note = f"Where {lines.names[key]} and all figures are blank a line goes on with the record above: {n_on} lines do."
    return {"wrapped": True} | ({"key": str(key + 1)} if key else {}), [note]


def _find_blocks(lines: SampleLines, goes_on: Sequence[bool]) -> str:
    """Return what parts blocks of lines of which each holds the figures of just one record."""
    for kind in ("blank-line", "rule"):
        starts = [k for k, before in enumerate(lines.parted) if before == kind or not k]
        blocks = [goes_on[a:b] for a, b in list_spans(starts, len(lines.rows))]
        n_long = sum(len(block) > 1 for block in blocks)
        is_first = all(not block[0] for block in blocks)  # then the key alone tells as much
        has_one = all(block.count(False) == 1 for block in blocks)
        if len(blocks) > 2 and 2 * n_long >= len(blocks) and has_one and not is_first:
            return kind
    return ""
