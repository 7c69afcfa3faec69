"""Blocks of columns one under another: they say the same row labels, three or more, in the same order."""

from __future__ import annotations

import re
from collections.abc import Mapping
from itertools import zip_longest
from typing import Any

from wetcomb.core.errors import InputError
from wetcomb.drafts.heading import weigh_heading
from wetcomb.steps.split.options import Split

__all__ = ["SETTLED", "find_stacked"]

_LABEL_END = re.compile(r"\s{2,}|\t")


def find_stacked(text: str) -> tuple[dict[str, Any], list[str], str]:
    """Return the options for blocks of columns one under another, what tells them, and the first."""
    blocks = [
        block.splitlines()
        for block in re.split(r"(?:\r\n|\n|\r)(?:[ \t]*(?:\r\n|\n|\r))+", text.strip("\r\n"))
        if block.strip()
    ]
    if len(blocks) < 2 or "\f" in text:
        return {}, [], ""
    labels = [[_LABEL_END.split(line.strip(), 1)[0] for line in block] for block in blocks]
    n_rows = min(map(len, labels))
    while n_rows and any(own[-n_rows:] != labels[0][-n_rows:] for own in labels[1:]):
        n_rows -= 1
    n_rows -= n_rows == len(blocks[0])  # the heading begins alike in all of them too
    n_head = len(blocks[0]) - n_rows
    heads = [" ".join(" ".join(block[: len(block) - n_rows]).split()) for block in blocks]
    is_even = all(len(block) - n_rows <= n_head for block in blocks)
    if n_rows < 3 or not 1 <= n_head <= 3 or not is_even or len(set(heads)) < len(heads):
        return {}, [], ""
    n_columns = [max(len(_LABEL_END.split(line.strip())) for line in block) for block in blocks]
    if min(n_columns) < 2 or 2 * len(set(labels[0][-n_rows:])) < n_rows:
        return {}, [], ""
    options = {"stacked": True, "edges": "blanks", "heading": n_head if n_head > 1 else "first"}
    note = f"{len(blocks)} blocks have the same {n_rows} row labels ({labels[0][-n_rows]}, ...): they are put side by side."
    return options, [note], "\n".join(blocks[0]) + "\n"


def settle_stacked(text: str, given: Mapping[str, Any]) -> tuple[Split, list[str]]:
    """Return a split for blocks that were said to be stacked, its heading found."""
    found, notes, _ = find_stacked(text)
    heading = found.get("heading", "first")
    return Split(**{"edges": "blanks", "heading": heading, **given}), notes


def settle_columns(text: str, given: Mapping[str, Any]) -> tuple[Split, list[str]]:
    """Return a split for columns that were said to stand one under another, its heading found."""
    blocks = [
        [line.strip() for line in block.splitlines()]
        for block in re.split(r"\n(?:[ \t]*\n)+|\f", text.replace("\r\n", "\n").strip())
        if block.strip()
    ]
    if not blocks:
        raise InputError("this holds nothing but blank lines; there are no records in it")
    rows = [[value or "" for value in row] for row in zip_longest(*blocks)]
    is_first = weigh_heading(rows, len(blocks)) > 0
    said = "are the headings" if is_first else "look like the others: there is no heading"
    note = f"The first lines of the columns {said} ({', '.join(rows[0])[:60]})."
    split = Split(**{"heading": "first" if is_first else "none", **given})
    return split, [note] * ("heading" not in given)


#: What settles the ways to cut that are said and not found, by the name of the way.
SETTLED = {"stacked": settle_stacked, "column-by-column": settle_columns}
