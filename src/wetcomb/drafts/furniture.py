"""Page heads and feet, by lines that recur at every page break.

Pages are what form feeds part, blocks what blank lines part. Blocks that recur on every page,
figures aside, before the largest block of the page are its head, those behind it its foot; the
largest block has the records and is never taken, though it recur on every page. A single recurring line that holds nothing but figures counts only if they rise page
by page, so that no lone value is taken for a page number.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from itertools import pairwise

from wetcomb.steps.wash.options import Wash

__all__ = ["find_furniture"]

_FIGURES = re.compile(r"\d+")
_MOST = 6  # lines of a head or a foot


def find_furniture(sample: bytes) -> tuple[Wash | None, list[str]]:
    """Return the wash that takes off what recurs on every page, and the evidence."""
    pages = [_cut_blocks(page) for page in sample.decode().split("\f")]
    pages = [page for page in pages if page]
    if len(pages) < 2:
        return None, []
    bodies = [max(range(len(page)), key=lambda k: (len(page[k]), -k)) for page in pages]
    heads = _find_recurring([page[:body] for page, body in zip(pages, bodies, strict=True)])
    behind = [page[body + 1 :] for page, body in zip(pages, bodies, strict=True)]
    feet = _find_recurring([[block[::-1] for block in page[::-1]] for page in behind])
    if not heads and not feet:
        return None, []
    said = [
        f"{len(found)} line{'s' * (len(found) != 1)} at the {where} of each of {len(pages)} pages"
        for found, where in ((heads, "top"), (feet, "foot"))
        if found
    ]
    wash = Wash(page_head=tuple(dict.fromkeys(heads)), page_foot=tuple(dict.fromkeys(feet)))
    return wash, [f"Left out as page furniture: {' and '.join(said)}."]


def _cut_blocks(page: str) -> list[list[str]]:
    """Return a page's lines in blocks, as blank lines part them."""
    blocks: list[list[str]] = [[]]
    for line in re.split(r"\r\n|\n|\r", page):
        if line.strip():
            blocks[-1].append(line.strip(" \t"))
        elif blocks[-1]:
            blocks.append([])
    return [block for block in blocks if block]


def _find_recurring(pages: Sequence[list[list[str]]]) -> list[str]:
    """Return patterns of the whole blocks that begin every page alike."""
    found: list[str] = []
    for place in range(min(map(len, pages))):
        blocks = [page[place] for page in pages]
        patterns = [tuple(map(_make_pattern, block)) for block in blocks]
        if len(set(patterns)) > 1 or len(found) + len(patterns[0]) > _MOST or "" in patterns[0]:
            break
        bare = len(blocks[0]) == 1 and not re.sub(r"[\W\d]", "", blocks[0][0])
        if bare and not _do_rise([block[0] for block in blocks]):
            break
        found += patterns[0]
    return found


def _make_pattern(line: str) -> str:
    """Return the pattern of a line, its figures left open; nothing where it could not be one."""
    if "{" in line or "}" in line:
        return ""
    pattern = _FIGURES.sub("{digits}", " ".join(line.split()))
    return "" if pattern.startswith(("text:", "regex:")) else pattern


def _do_rise(lines: Sequence[str]) -> bool:
    """Return whether the figures in these lines rise by one from page to page."""
    numbers = [int(found[0]) if (found := _FIGURES.search(line)) else -1 for line in lines]
    return all(after == before + 1 for before, after in pairwise(numbers))
