"""Doubts about lines that were joined: over blank lines, within words, of several records."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from itertools import pairwise

import numpy as np

from wetcomb.core.doubts import Doubt
from wetcomb.drafts.doubts.seen import Drafted, Raised
from wetcomb.drafts.label_lines import MARKED
from wetcomb.steps.pull.options import Pull
from wetcomb.steps.unwrap.options import Unwrap

__all__ = ["find_join_doubts"]

_SECTION = re.compile(r"\s{0,8}(\d{1,3}(?:\.\d{1,3}){0,3})\.?\s+[^\W\d]")
_FEWEST = 3  # lines that go on and are of one length
_SAME = 0.9  # share of them
_WIDE = 40  # bytes from which on lines are cut
_OPEN = re.compile(r"\d[.,:]?$|\w[-/]$")  # how a line ends within a figure or a code


def find_join_doubts(seen: Drafted) -> Iterator[Raised]:
    """Yield what speaks against lines that were joined."""
    yield from _find_swallowed(seen)
    yield from _find_sections(seen)
    yield from _find_joined_over(seen)
    yield from _find_cut_at_width(seen)


def _find_swallowed(seen: Drafted) -> Iterator[Raised]:
    """Look for values that hold as many delimiters as a record: lines were joined that begin one."""
    marks = [mark.strip() for mark in seen.split.literals if mark.strip()]
    if not marks or not any(step.name == "unwrap" for step in seen.steps):
        return
    least = max(2, len(seen.table.names) - 1)
    for column in seen.columns:
        for row, value in zip(column.rows, column.values, strict=True):
            if max(value.count(mark) for mark in marks) >= least:
                said = f"a value of {column.name} holds as many {marks[0]!r} as a record"
                yield Raised(Doubt("joined-unsure", said, seen.list_lines([row])))
                return


def _find_sections(seen: Drafted) -> Iterator[Raised]:
    """Look for lines that begin with numbers of two levels in sequence, within records: they may be sections."""
    if seen.split.outline_level:
        return
    within = [line for *_, lines in _list_records(seen) for line in lines[1:]]
    found = [match[1] for line in within if (match := _SECTION.match(line))]
    numbers = [tuple(map(int, number.split("."))) for number in found]
    n_steps = sum(
        after[:-1] == before[:-1] and after[-1] == before[-1] + 1 if len(after) == len(before)
        else len(after) < len(before) or after[:-1] == before
        for before, after in pairwise(numbers)
    )  # fmt: skip
    has_levels = len({len(number) for number in numbers}) > 1
    if has_levels and len(numbers) > _FEWEST and n_steps >= _SAME * (len(numbers) - 1):
        said = f"lines within records begin with numbers in sequence ({', '.join(found[:3])}): they may be sections"
        yield Raised(Doubt("joined-unsure", said))


def _find_joined_over(seen: Drafted) -> Iterator[Raised]:
    """Look for lines that were joined over a blank line: what stands below it may belong to the next record."""
    if not (seen.split.wrapped and seen.is_open("wrapped")) or seen.split.parted_by:
        return
    for first, last, lines in _list_records(seen):
        if any(not line.strip() for line in lines):
            said = "lines were joined over a blank line, and may belong to the record below it"
            yield Raised(Doubt("joined-unsure", said, ((first, last),)))
            return


def _find_cut_at_width(seen: Drafted) -> Iterator[Raised]:
    """Look at lines that a blank joins, all as long as any line, or cut between two digits: they may end within words."""
    is_pull = any(isinstance(step, Pull) and step.multiline for step in seen.steps)
    if not is_pull and not any(isinstance(s, Unwrap) and s.glue == " " for s in seen.steps):
        return
    pairs = [
        (first, above, below)
        for first, _, lines in _list_records(seen)
        for above, below in pairwise(lines)
        if above.strip() and below.strip() and not (is_pull and MARKED.fullmatch(below))
    ]
    lengths = Counter(len(above.encode()) for _, above, _ in pairs)
    length, number = lengths.most_common(1)[0] if lengths else (0, 0)
    every = [len(line.rstrip().encode()) for line in seen.inside.decode().splitlines()]
    is_marked = bool(seen.split.literals) and any(
        isinstance(s, Unwrap) and s.starts for s in seen.steps
    )
    is_wide = length >= _WIDE
    least = 1 if is_marked and is_wide else _FEWEST  # a line each, but for what was cut off
    if number >= max(least, _SAME * len(pairs)) and length == max(every):
        said = (
            f"{number} lines that go on are all {length} long: they may have been cut within words"
        )
        yield Raised(Doubt("joined-torn", said, seen.list_lines([])))
        return
    for first, above, below in pairs:
        rest = below.strip()
        is_torn = rest[:1].isdecimal() and _OPEN.search(above) is not None
        is_torn |= len(rest) < _FEWEST and rest.isalnum() and above[-1:].isalnum()
        if is_torn and len(above.encode()) == max(every):
            said = f"a line of full width ends and the next begins within a word or a figure: {above[-12:]!r} and {rest[:12]!r} may be one"
            yield Raised(Doubt("joined-torn", said, ((first, first + 1),)))
            return


def _list_records(seen: Drafted) -> Iterator[tuple[int, int, list[str]]]:
    """Yield the first and last line of every record, and all of them."""
    lines = [line.rstrip() for line in seen.inside.decode().splitlines()]
    firsts, lasts = seen.table.line_numbers(np.arange(seen.table.n_records))
    for first, last in zip(firsts.tolist(), lasts.tolist(), strict=True):
        yield first, last, lines[first - seen.first_line : last - seen.first_line + 1]
