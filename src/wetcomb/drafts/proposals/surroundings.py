"""What surrounds a table: marks before quoted lines, and lines that come again page by page."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Sequence
from itertools import pairwise

from wetcomb.core.cutting.layout import is_rule
from wetcomb.drafts.label_lines import MARKED

__all__ = ["find_recurring", "find_reply_mark"]

_QUOTED = {">": re.compile(r"\s*>"), "|": re.compile(r"\s*\|(?:\s|$)(?!.*\|\s*$)")}
_SHARE, _LEAST = 0.3, 3
_FIGURES = re.compile(r"\d+")
_AMOUNT = re.compile(r"(?<![\d.,])\d+[.,]\d{1,2}(?![.,]?\d)")  # no number of a page
_DEEPEST = 3  # lines of a heading
_SHORT = 4  # words of a line that tells the page
_NEAR, _APART = 2, 6  # lines between those of one page, and of two
_CELLS = re.compile(r"\s{2,}|\t|\s?[|;]\s?")
_EDGE = 4  # lines at the top and the foot of a text, where half a page's furniture stands


def find_reply_mark(lines: Sequence[str]) -> str:
    """Return the mark that quotes a good part of the lines; nothing if none does."""
    full = [line for line in lines if line.strip()]
    for mark, regex in _QUOTED.items():
        quoted = [k for k, line in enumerate(full) if regex.match(line)]
        if len(quoted) < max(_LEAST, _SHARE * len(full)):
            continue
        if mark == ">" or any(line.strip() == mark for line in full):
            return mark
    return ""


def find_recurring(lines: Sequence[str]) -> tuple[str, ...]:
    """Return patterns of lines that come again page by page: their figures stand still or rise by one.

    One of them must have a figure that rises, or stand beside one that does.
    """
    full = [k for k, line in enumerate(lines) if line.strip()]
    place = {k: nth for nth, k in enumerate(full)}
    groups: defaultdict[str, list[int]] = defaultdict(list)
    for k in full:
        if is_rule(lines[k].encode()):
            continue  # it may tell where columns part
        groups[_FIGURES.sub("9", " ".join(lines[k].split()))].append(k)
    rising = [
        at
        for at in groups.values()
        if len(at) > 1 and _rises(lines, at, place) and not _begins_blocks(lines, at)
    ]
    if not rising:
        return _find_page_lines(lines, full)
    most = max(map(len, rising))
    seeds = {k for at in rising if len(at) == most for k in at}
    ends = {*full[:_EDGE], *full[-_EDGE:]}
    found: dict[str, None] = {}
    for at in groups.values():
        is_near = all(
            k in seeds or k in ends or any(0 < abs(place[k] - place[s]) <= _NEAR for s in seeds)
            for k in at
        )
        is_steady = len(at) > 1 and abs(len(at) - most) <= 1 and _is_steady(lines, at)
        if not (set(at) <= seeds) and _is_heading(lines, at):
            continue
        if set(at) <= seeds or (is_near and is_steady):
            pattern = _make_pattern(lines[at[0]])
            if pattern:
                found[pattern] = None
    return tuple(found)


def _find_page_lines(lines: Sequence[str], full: Sequence[int]) -> tuple[str, ...]:
    """Return the patterns of short lines with a figure that stand alone before the heading of every further page."""
    first: dict[str, int] = {}
    found: dict[str, None] = {}
    for nth, k in enumerate(full):
        line = " ".join(lines[k].split())
        if len(_CELLS.split(lines[k].strip())) < 2 or _FIGURES.search(line):
            continue
        if line not in first:
            first[line] = k
            continue
        above = full[nth - 1]
        is_alone = not lines[above - 1].strip() and not lines[above + 1].strip()
        if not is_alone or not _FIGURES.search(lines[above]) or len(lines[above].split()) > _SHORT:
            return ()
        found[_make_pattern(lines[above])] = None
    return tuple(found) if "" not in found else ()


def _begins_blocks(lines: Sequence[str], at: Sequence[int]) -> bool:
    """Return whether one and the same label stands right below a line that recurs: it begins blocks of them."""
    below = [MARKED.fullmatch(lines[k + 1]) if k + 1 < len(lines) else None for k in at]
    return len({found["label"] if found else "" for found in below}) == 1 and below[0] is not None


def _is_heading(lines: Sequence[str], at: Sequence[int]) -> bool:
    """Return whether a line that recurs names columns: it says several, and records stand right below.

    Further lines of the heading may stand between, the same each time.
    """
    for _ in range(_DEEPEST):
        if len(_CELLS.split(lines[at[0]].strip())) < 2 or _FIGURES.search(lines[at[0]]):
            return False
        below = [_find_below(lines, k) for k in at]
        if min(below) < 0:
            return False
        at = below
        if len({" ".join(lines[k].split()) for k in at}) > 1:
            return True
    return False


def _find_below(lines: Sequence[str], at: int) -> int:
    """Return the next line that is neither blank nor a rule; -1 if there is none."""
    rest = range(at + 1, len(lines))
    return next((k for k in rest if lines[k].strip() and not is_rule(lines[k].encode())), -1)


def _read_figures(line: str) -> list[int]:
    return [int(text) for text in _FIGURES.findall(line)[:8] if len(text) < 10]


def _is_steady(lines: Sequence[str], at: Sequence[int]) -> bool:
    """Return whether all figures of lines stand still or rise by one."""
    return all(
        after - before in (0, 1)
        for a, b in pairwise(at)
        for before, after in zip(_read_figures(lines[a]), _read_figures(lines[b]), strict=False)
    )


def _rises(lines: Sequence[str], at: Sequence[int], place: dict[int, int]) -> bool:
    """Return whether a figure of lines rises by one from each to the next, far enough apart.

    The last page may be a short one.
    """
    figures = [_read_figures(_AMOUNT.sub("", lines[k])) for k in at]
    is_foot = len(place) - place[at[-1]] <= _EDGE and place[at[0]] >= _APART
    whole = at[:-1] if len(at) > 2 or is_foot else at
    if not figures[0] or any(place[b] - place[a] < _APART for a, b in pairwise(whole)):
        return False
    if len({len(found) for found in figures}) > 1 or not _is_steady(lines, at):
        return False
    return any(
        column[0] < 4 and all(b - a == 1 for a, b in pairwise(column))
        for column in zip(*figures, strict=True)
    )


def _make_pattern(line: str) -> str:
    """Return the pattern of a line with its figures left open; nothing where it could not be one."""
    if "{" in line or "}" in line:
        return ""
    pattern = _FIGURES.sub("{digits}", " ".join(line.split()))
    return "" if pattern.startswith(("text:", "regex:")) else pattern
