"""Lines that are one record: each has too few fields, and together they have just enough."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from itertools import groupby, pairwise
from typing import Any

from wetcomb.drafts.named_lines import are_all
from wetcomb.drafts.record_lines import FILLED, SURE
from wetcomb.drafts.trial import Trial
from wetcomb.steps.split.options import Split
from wetcomb.steps.unwrap.options import Unwrap

__all__ = ["find_unwrap"]

_WORD = re.compile(r"[^\W\d_]+")


_PARTED = re.compile(r"([^\W\d_]+)-[ \t]*$")


def find_unwrap(whole: Trial, given: Mapping[str, Any]) -> tuple[Unwrap | None, list[str]]:
    """Return the step that puts lines together which have just enough fields together."""
    split = whole.split
    words = split.delimiter if isinstance(split.delimiter, tuple) else ()
    if len(words) != 1 or not split.literals or "records_at" in given or not whole.rows:
        return None, []
    n_fields = max(whole.n_fields, len(whole.rows[0]))
    if n_fields < 3 or any('"' in text for text in whole.lines):
        return None, []
    counts = [len(row) for row in whole.rows]
    return _find_width(whole, counts, n_fields) or _find_sums(
        whole.lines, counts, n_fields, words[0]
    )


def _find_width(
    whole: Trial, counts: Sequence[int], n_fields: int
) -> tuple[Unwrap | None, list[str]] | None:
    """Return how lines are joined that were cut off at a width; None where they were not."""
    sizes = [len(text) for text in whole.lines]
    width = max(sizes)
    groups: list[list[int]] = [[]]
    for k, size in enumerate(sizes):
        groups[-1].append(k)
        if size < width:
            groups.append([])
    groups = [group for group in groups if group]
    sums = [sum(counts[k] - 1 for k in group) + 1 for group in groups]
    n_fitting = sums.count(n_fields)
    joined = [
        total == n_fields for total, group in zip(sums, groups, strict=True) if len(group) > 1
    ]
    if len(joined) < 3 or min(sum(joined) / len(joined), n_fitting / len(groups)) < FILLED:
        return None
    said = f"Lines are cut off at {width} characters: put together, {n_fitting} of {len(groups)} records have {n_fields} fields."
    starts = _find_starts([whole.lines[group[0]] for group in groups[1:]], whole.split)
    if not starts:
        return Unwrap(width=width, glue=""), [said]
    return Unwrap(starts=(starts,), glue=""), [said, f"Every record begins like {starts!r}."]


def _find_starts(heads: Sequence[str], split: Split) -> str:
    """Return a pattern that all first lines of records begin with; nothing where there is none."""
    mark = split.literals[0]
    values = [text.partition(mark)[0].strip() for text in heads]
    if any(sign in mark for sign in "{}?"):
        return ""
    found = [re.fullmatch(r"([^\W\d_]{0,6}[-/]?)\d+", value) for value in values]
    prefixes = {match[1] for match in found if match}
    if all(found) and len(prefixes) == 1:
        return f"{prefixes.pop()}{{digits}}{mark}"
    return f"{{date}}{mark}" if are_all("date", values) else ""


def _find_sums(
    lines: Sequence[str], counts: Sequence[int], n_fields: int, delimiter: str
) -> tuple[Unwrap | None, list[str]]:
    """Return how short neighbours are joined that have just enough fields together."""
    n_joined = 0
    for is_short, group in groupby(counts, lambda count: count < n_fields):
        total, n_lines = 1, 0
        for count in group if is_short else ():
            total, n_lines = total + count - 1, n_lines + 1
            if total == n_fields:
                n_joined += n_lines
                total, n_lines = 1, 0
    n_short = sum(count < n_fields for count in counts)
    if n_joined < 4 or n_joined < SURE * n_short:
        return None, []
    said = f"Records are wrapped: {n_joined} of {n_short} short lines make {n_fields} fields together with their neighbours."
    words = _find_parted_words(lines)
    if not words:
        return Unwrap(fields=n_fields, delimiter=delimiter), [said]
    whole = f"Words parted by a hyphen that also stand whole are mended: {', '.join(words[:3])}{', ...' * (len(words) > 3)}."
    step = Unwrap(fields=n_fields, delimiter=delimiter, hyphens="listed", words=words)
    return step, [said, whole]


def _find_parted_words(lines: Sequence[str]) -> tuple[str, ...]:
    """Return the words that a hyphen parts at a line's end and that stand whole elsewhere."""
    whole = {word.casefold() for text in lines for word in _WORD.findall(text)}
    found = set()
    for line, behind in pairwise(lines):
        head, tail = _PARTED.search(line), _WORD.match(behind.lstrip())
        if head and tail and tail[0][0].islower():
            found.add((head[1] + tail[0]).casefold())
    return tuple(sorted(found & whole))
