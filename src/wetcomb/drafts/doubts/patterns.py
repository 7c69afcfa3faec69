"""Doubts about records that a pattern makes: what it leaves of their lines, and which lines it leaves out."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator

import numpy as np

from wetcomb.core.cutting.layout import is_rule
from wetcomb.core.doubts import Doubt
from wetcomb.drafts.doubts.seen import Drafted, Raised
from wetcomb.drafts.proposals.surroundings import find_recurring
from wetcomb.drafts.telling import count_noun
from wetcomb.match.lines import match_line
from wetcomb.match.patterns import compile_pattern

__all__ = ["find_pattern_doubts"]

_PLACEHOLDER = re.compile(r"\{[^{}]*\}")
_MADE_UP = re.compile(r"field[-_]\d+")
_LINE_END = re.compile(r"\r\n|\n|\r")
_MARKED, _ALIKE = 3, 0.5  # marks of a record, and the share of them that a line is like it for
_STOPS = (".", ",", ":", "!", "?")  # a sentence ends so, not a heading


def find_pattern_doubts(seen: Drafted) -> Iterator[Raised]:
    """Yield a doubt where lines among records are not like the pattern that makes these."""
    if seen.gain is None or seen.pull is None or not seen.pull.each:
        return
    firsts, lasts = seen.table.line_numbers(np.arange(seen.table.n_records))
    spans = zip(
        (firsts - seen.first_line).tolist(), (lasts - seen.first_line).tolist(), strict=True
    )
    held = {line for first, last in spans for line in range(first, last + 1)}
    lines = _LINE_END.split(seen.inside.decode())
    above = [*seen.before, *lines[: min(held)]]
    yield from _find_left_over(seen)
    yield from _find_unnamed(seen, next(filter(str.strip, reversed(above)), "").strip())
    between = lines[min(held) : max(held)]
    furniture = [compile_pattern(pattern) for pattern in find_recurring(lines)]
    left = [
        line
        for place, line in enumerate(between, min(held))
        if line.strip()
        and place not in held
        and not is_rule(line.encode())
        and not any(match_line(pattern, line.encode(), "line") for pattern in furniture)
    ]
    if not left:
        beside = [
            *seen.before[-1:],
            *lines[: min(held)][-1:],
            *lines[max(held) + 1 :][:1],
            *seen.behind[:1],
        ]
        least, marks = _count_figures(lines[min(held)]), _count_marks(lines[min(held)])
        left = [
            line
            for line in beside
            if (least and _count_figures(line) >= least)
            or (
                marks.total() >= _MARKED
                and (marks & _count_marks(line)).total() >= _ALIKE * marks.total()
            )
        ]
    if left:
        said = f"{count_noun(len(left), 'line')} among the records or beside them {'is' if len(left) == 1 else 'are'} not like them, and {'was' if len(left) == 1 else 'were'} left out: {left[0].strip()[:40]!r}"
        yield Raised(Doubt("outside-alike", said))


def _count_figures(line: str) -> int:
    """Return how many pieces of a line hold figures."""
    return sum(any(map(str.isdecimal, piece)) for piece in line.split())


def _count_marks(line: str) -> Counter[str]:
    """Return the marks of a line."""
    return Counter(sign for sign in line if not sign.isalnum() and not sign.isspace())


def _find_left_over(seen: Drafted) -> Iterator[Raised]:
    """Yield a doubt where a pattern leaves text of the lines that it is met in."""
    assert seen.pull is not None
    if seen.pull.each[0].startswith("regex:"):
        return  # it must cover a line
    frame = _PLACEHOLDER.sub("\0", seen.pull.each[0])
    known = {" ".join(text.split()) for text in frame.split("\0")}
    text = seen.batch.text
    firsts, lasts = seen.table.line_numbers(np.arange(seen.table.n_records))
    held = {line for a, b in zip(firsts, lasts, strict=True) for line in range(a, b + 1)}
    for charge in seen.batch.charges if seen.pull is seen.steps[-1] else ():
        if charge.reason != "unclaimed":
            continue
        lines = text.line_numbers(charge.starts).tolist()
        for line, start, end in zip(
            lines, charge.starts.tolist(), charge.ends.tolist(), strict=True
        ):
            said = " ".join(text.value(start, end).split())
            if line in held and said not in known and any(map(str.isalnum, said)):
                yield Raised(
                    Doubt(
                        "outside-alike",
                        f"{said[:40]!r} beside the fields was left out",
                        ((line, line),),
                    )
                )
                return


def _find_unnamed(seen: Drafted, above: str) -> Iterator[Raised]:
    """Yield a doubt where columns have no names, and the line above the records may hold them."""
    words = above.split()
    is_named = any(not _MADE_UP.fullmatch(name) for name in seen.table.names)
    if is_named or len(words) < len(seen.table.names) or above.endswith(_STOPS):
        return
    if not any(map(str.isdecimal, above)):
        said = f"{above[:60]!r} stands above the records, and may name their columns"
        yield Raised(Doubt("heading-short", said))
