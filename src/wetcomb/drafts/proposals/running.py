"""Records that run on: on one long line, in a paragraph, or with nothing between their fields."""

from __future__ import annotations

import itertools
import re
from collections import Counter
from collections.abc import Callable, Iterator
from typing import Any

from wetcomb.drafts.pricing.chains import Chain
from wetcomb.drafts.proposals.body import Body
from wetcomb.drafts.proposals.fields import PATTERN
from wetcomb.drafts.proposals.starts import begins_so, find_starts
from wetcomb.match.marks import name_mark
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.pull.options import Pull
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step
from wetcomb.steps.unwrap.options import Unwrap

__all__ = ["propose"]

_LEAST, _MOST_MARKS = 3, 9
_FIGURES = 0.6  # share of the lines that hold figures, below a line of names that holds none
_UNITS = "%‰°€£$₽¥"
_UNSAFE = set('=,"')  # of a name that would have to stand in quotes
_MARK = re.compile(r" [^\w\s]{1,3} |[^\w\s'\"()-]{1,3} ?|\t")
_LEADER = re.compile(r"(?:\.{3,}|(?: \.){3,}|…{2,}|_{3,}|(?:· ?){3,})")


def propose(body: Body) -> Iterator[Chain]:
    """Yield chains for records that run on."""
    yield from _propose_long(body)
    yield from _propose_leaders(body)
    yield from _propose_glued(body)
    yield from _propose_single(body)


def _propose_long(body: Body) -> Iterator[Chain]:
    """Yield chains for stretches of text with a mark between records and another between fields."""
    for first, last in body.stretches:
        joined = " ".join(line.strip() for line in body.lines[first:last])
        is_torn = any("  " in line.strip() for line in body.lines[first:last])
        if len(joined) < 80 or last - first > 40 or (last - first > 1 and is_torn):
            continue
        before: tuple[Step, ...] = (Unwrap(all=True),) if last - first > 1 else ()
        counts = Counter(mark for mark in _MARK.findall(joined) if mark.strip() or mark == "\t")
        for mark in [mark for mark in counts if mark[0] in _UNITS]:
            if len(mark.strip()) > 1:
                counts[mark[1:]] += counts.pop(mark)  # the unit of a figure, and a mark behind it
            elif len(re.findall(rf"\d {{0,1}}{re.escape(mark.strip())}", joined)) > 1:
                del counts[mark]
        marks = [mark for mark, n in counts.most_common(_MOST_MARKS) if n >= 2]
        found = []
        for outer in marks:
            pieces = [piece for piece in joined.split(outer) if piece.strip()]
            if not _LEAST <= len(pieces) <= 400:
                continue
            for inner in marks:
                if inner == outer or inner.strip() == outer.strip():
                    continue
                numbers = Counter(piece.count(inner) for piece in pieces)
                usual, n_usual = numbers.most_common(1)[0]
                if usual and n_usual >= 0.6 * len(pieces):
                    found.append((-n_usual / len(pieces), -usual, outer, inner))
        for _, negative, outer, inner in sorted(found)[:4]:
            is_last = outer.strip() and joined.endswith(outer.rstrip())
            end = outer.strip() if is_last else outer  # the last record ends with it, and no blank
            split = Split(
                delimiter=(name_mark(inner),), records_at=name_mark(end), heading="none", fields=1 - negative, quote=("none",)
            )  # fmt: skip
            note = f"Records run on, parted by {outer.strip() or outer!r}, their fields by {inner.strip() or inner!r}."
            yield body.make_chain((*before, split), first, last, note)
        yield from _propose_sentence(body, joined, before, first, last)


def _propose_sentence(
    body: Body, joined: str, before: tuple[Step, ...], first: int, last: int
) -> Iterator[Chain]:
    """Yield chains for a list within a sentence: a name, what is said of it, a figure."""
    for mark in (":", " -", " –"):
        if joined.count(f"{mark} ") < _LEAST or joined.count(", ") < _LEAST:
            continue
        for outer in (";", "/"):
            if joined.count(f"{outer} ") < _LEAST - 1:
                continue
            free = f"[^{mark.strip()}{outer}]"
            pattern = (
                rf"regex:(?P<name>[^\s:;,.{outer}][^:;,{outer}]{{0,60}}?){mark} (?P<what>{free}{{1,160}}), "
                rf"(?P<figure>{free}{{0,20}}?\d{free}{{0,20}}?)(?={outer}(?:\s|$)|\.?\s?$)"
            )
            pull = Pull(each=(pattern,), blocks="line")
            note = "A list within a sentence: each entry is a record."
            yield body.make_chain((*before, pull), first, last, note, bits=PATTERN)


def _propose_leaders(body: Body) -> Iterator[Chain]:
    """Yield chains for a name, a leader up to the margin, and what stands there."""
    led = [k for k in body.full if _LEADER.search(body.lines[k])]
    if len(led) < _LEAST:
        return
    signs = Counter(_LEADER.search(body.lines[k])[0][:2] for k in led)  # type: ignore[index]
    two = signs.most_common(1)[0][0]
    sign = two.strip()[0]
    mark = f" {sign}" if two[0] == " " or two[1] == " " else sign * 2 if sign != "…" else sign
    split = Split(delimiter=(mark,), cut_runs_once=True, heading="none", fields=2, quote=("none",))
    clean = Clean(strip=(f"1,2={sign}",))
    note = f"A leader of {sign} parts two fields in {len(led)} lines."
    for first, last in dict.fromkeys((body.widen(led), (led[0], led[-1] + 1))):
        yield body.make_chain((split, clean), first, last, note)


def _propose_glued(body: Body) -> Iterator[Chain]:
    """Yield chains for fields that change of kind alone parts."""
    lines = [body.lines[k].strip() for k in body.full]
    glued = [k for k in body.full if re.search(r"\d[^\W\d_]|[^\W\d_]\d", body.lines[k])]
    if len(glued) < _LEAST or 2 * len(glued) < len(lines):
        return
    for signs in (
        ("9|A", "9|a", "a|9", "A|9"), ("9|A", "a|9"), ("9|A",), ("a|9",), ("9|A", "a|A"), ("9|A", "a|9", "A|9"),
        ("9|a", "9|A"), ("a|A", "a|9", "9|A", "9|a"), ("9|*", "*|9"),
    ):  # fmt: skip
        counts = Counter(_count_cuts(body.lines[k].strip(), signs) for k in glued)
        usual = counts.most_common(1)[0][0]
        if not usual:
            continue
        split = Split(
            boundary=signs, heading="none", fields=usual + 1, quote=("none",), delimiter="none"
        )
        note = f"Cut where the kind of character changes ({', '.join(signs)})."
        for first, last in dict.fromkeys((body.widen(glued), (glued[0], glued[-1] + 1))):
            yield body.make_chain((split,), first, last, note)


def _count_cuts(line: str, signs: tuple[str, ...]) -> int:
    kinds: dict[str, Callable[[str], bool]] = {
        "9": str.isdecimal, "a": str.islower, "A": str.isupper, "*": lambda sign: not sign.isdecimal(),
    }  # fmt: skip
    return sum(
        any(kinds[s[0]](a) and kinds[s[2]](b) for s in signs) for a, b in itertools.pairwise(line)
    )


def _propose_single(body: Body) -> Iterator[Chain]:
    """Yield chains for single blanks between pieces that are one word each, but for one column."""
    for first, last in _list_runs(body):
        pieces = [len(body.lines[k].split()) for k in body.full if first <= k < last]
        if len(pieces) < _LEAST or max(pieces) < 2:
            continue
        fewest = min((n for n in pieces if n > 1), default=0)
        for left in range(min(fewest, 5)):
            right = fewest - left - 1
            if right > 5 or left + right == 0:
                continue
            note = (
                f"Cut at single blanks: {left} before a column of several words, {right} behind it."
            )
            steps, fields = _cut_single(left, right)
            begin, names = _find_names(body, first, last, len(fields))
            if names:
                pairs = tuple(f"{old}={new}" for old, new in zip(fields, names, strict=True))
                yield body.make_chain((*steps, Clean(rename=pairs)), begin, last, note)
            else:
                yield body.make_chain(steps, first, last, note)


def _cut_single(left: int, right: int) -> tuple[tuple[Step, ...], list[str]]:
    """Return the steps that cut so many single words off both ends of a line, and what the columns are called."""
    at: dict[str, Any] = {"delimiter": ("space",), "heading": "none", "quote": ("none",)}
    ahead = Split(**at, fields=left + 1, cuts=f"first:{left}") if left else None
    behind: dict[str, Any] = {**at, "fields": right + 1, "cuts": f"last:{right}"}
    fields = [f"field-{place}" for place in range(1, left + right + 2)]
    if ahead is None:
        return (Split(**behind),), fields
    if not right:
        return (ahead,), fields
    rest = fields[left]
    within = [f"{rest}-{place}" for place in range(1, right + 2)]
    return (ahead, Split(**behind, column=rest)), [*fields[:left], *within]


def _find_names(body: Body, first: int, last: int, number: int) -> tuple[int, list[str]]:
    """Return the first line below a line of so many names, and the names; none if there is no such line."""
    above = body.find_names(first, number)
    if above and not _UNSAFE & set("".join(above)):
        return first, list(above)
    full = [k for k in body.full if first <= k < last]
    for nth, k in enumerate(full[:-1]):
        words, below = body.lines[k].split(), full[nth + 1 :]
        if len(words) != number or below[0] != k + 1 or any(word.endswith(":") for word in words):
            continue
        n_figures = sum(any(map(str.isdecimal, body.lines[line])) for line in below)
        is_bare = not any(map(str.isdecimal, body.lines[k])) and not _UNSAFE & set(body.lines[k])
        if is_bare and len(set(words)) == number and n_figures >= _FIGURES * len(below):
            return below[0], words
        break
    return 0, []


def _list_runs(body: Body) -> Iterator[tuple[int, int]]:
    """Yield all of the text, and the longest run of lines in it that begin alike."""
    yield 0, len(body.lines)
    for pattern in find_starts([body.lines[k] for k in body.full])[:1]:
        alike = [begins_so(pattern, body.lines[k]) for k in body.full]
        runs = itertools.groupby(zip(body.full, alike, strict=True), lambda pair: pair[1])
        found = [[k for k, _ in run] for is_alike, run in runs if is_alike]
        longest = max(found, key=len, default=[])
        if 2 * _LEAST <= len(longest) < len(body.full):
            yield longest[0], longest[-1] + 1
