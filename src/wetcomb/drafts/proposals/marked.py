"""Fields parted by a mark: a record a line, or on several lines that something tells to be one.

What begins a record is told apart from the mark: an indent, an outline of the first token that
recurs, a bullet, blank lines, or that a record has so many marks.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Any

from wetcomb.drafts.pricing.chains import Chain
from wetcomb.drafts.proposals.body import Body
from wetcomb.drafts.proposals.starts import begins_so, find_bullet, find_starts
from wetcomb.drafts.turns import take_in_turn
from wetcomb.match.marks import name_mark
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step
from wetcomb.steps.unwrap.options import Unwrap

__all__ = ["list_marks", "propose"]

_MOST_MARKS, _MOST_FIELDS = 5, 40
_LEAST = 3  # lines or records
_MOST_COUNTED = 12  # marks that a line is told to be a record by
_NEAR = 2  # lines from one record to the next
#: Marks that part fields, by name where they have one; the longer ones first.
_USUAL = ("\t", ";", "|", ",", ":")
_OTHERS = (
    "=",
    "/",
    "*",
    "#",
    "~",
    "&",
    "^",
    "¦",
    "·",
    "•",
    "§",
    "$",
    "@",
    "+",
    "\\",
    "%",
    "!",
    "_",
    "-",
    "–",
    "—",
)
_WITHIN_WORDS = re.compile(r"[-'.,/–]")  # marks that stand within words and figures, too
_RUN = re.compile(r"[^\w\s\"'()]{2,4}|\s[^\w\s\"'().,]{1,3}\s|(?<=\w)[;:,] ")


def propose(body: Body) -> Iterator[Chain]:
    """Yield chains for records whose fields are parted by a mark."""
    lines = [body.lines[k] for k in body.full]
    if len(lines) < 2:
        return
    # which mark it is shows in the records that each makes
    yield from take_in_turn(_propose_mark(body, mark) for mark in list_marks(lines))


def _propose_mark(body: Body, mark: str) -> Iterator[Chain]:
    """Yield chains that cut at a mark."""
    for first, last, before, note in _list_records(body, mark):
        records = _put_together(body.lines[first:last], before)
        yield from _cut(body, mark, records, before, first, last, note)


def list_marks(lines: Sequence[str]) -> list[str]:
    """Return texts that may part fields, the likeliest first."""
    counts: dict[str, list[int]] = {}
    texts = {*_USUAL, *_OTHERS}
    for line in lines[:200]:
        texts.update(_RUN.findall(line))
    for text in texts:
        found = [line.count(text) for line in lines]
        if sum(n > 0 for n in found) >= 2 or sum(found) >= 6:
            counts[text] = found
    ranked = sorted(counts, key=lambda text: (-_weigh(counts[text], text), text))
    kept: list[str] = []
    for text in ranked:
        if any(counts[text] == counts[other] and text in other for other in kept):
            continue  # a part of a longer one
        kept.append(text)
        if len(kept) == _MOST_MARKS:
            break
    often = max(
        (text for text in _USUAL if text in counts), key=lambda text: sum(counts[text]), default=""
    )
    if often and not any(
        often in text and sum(counts[text]) == sum(counts[often]) for text in kept
    ):
        kept[_MOST_MARKS - 1 :] = [often]  # lines may be torn, so that none has as many as others
    return kept


def _weigh(counts: Sequence[int], text: str) -> float:
    """Return how likely a text parts fields: how often it stands, and how alike in all lines."""
    held = [n for n in counts if n]
    usual = Counter(held).most_common(1)[0][1]
    value = (usual / len(held)) ** 2 * len(held) ** 0.5 * min(4, sum(held) / len(held)) ** 0.7
    is_apart = text[0] == text[-1] == " " and bool(text.strip())
    value *= 1.0 if is_apart or (text.strip() and not _WITHIN_WORDS.search(text)) else 0.6
    return value * (1.15 if len(text) > 1 else 1.0)


def _list_records(body: Body, mark: str) -> Iterator[tuple[int, int, tuple[Step, ...], str]]:
    """Yield the part in which records stand, and what puts their lines together."""
    marked = [k for k in body.full if mark in body.lines[k]]
    if not marked:
        return
    first, last = body.widen(marked)
    yield first, last, (), "a record a line"
    counts = Counter(body.lines[k].count(mark) for k in marked)
    usual = counts.most_common(1)[0][0]
    fit = [k for k in marked if body.lines[k].count(mark) == usual]
    if (fit[0], fit[-1] + 1) != (first, last) and fit[-1] - fit[0] >= 1:
        yield fit[0], fit[-1] + 1, (), "a record a line"
    dense = _find_dense(body, fit)
    if dense not in ((first, last), (fit[0], fit[-1] + 1)):
        yield *dense, (), "a record a line"
    inside = [k for k in body.full if first <= k < last]
    if _has_open_quotes([body.lines[k] for k in inside], mark):
        return  # cells in quotes go on over lines by themselves
    indents = [len(body.lines[k]) - len(body.lines[k].lstrip()) for k in inside]
    least = min(indents)
    n_deep = sum(indent > least for indent in indents)
    if n_deep >= 2 and len(inside) - n_deep >= 2:
        yield first, last, (Unwrap(indent=True),), "lines that are indented go on"
    texts = [body.lines[k] for k in inside]
    for pattern in find_starts(texts):
        at = [k for k in inside if begins_so(pattern, body.lines[k])]
        if _LEAST <= len(at) < len(inside):
            for begin in dict.fromkeys((at[0], first)):
                yield begin, last, (Unwrap(starts=(pattern,)),), f"records begin with {pattern}"
    yield from _fill_up(body, mark, usual, marked)
    if len(body.stretches) > _LEAST and len(inside) > len(body.stretches):
        yield first, last, (Unwrap(blank_lines=True),), "blank lines part the records"


def _has_open_quotes(lines: Sequence[str], mark: str) -> bool:
    """Return whether several lines open a cell in quotes that ends on another."""
    sign = re.escape(mark.strip() or mark)
    opens, closes = (
        re.compile(rf'(?:^|{sign} {{0,8}})"(?!")'),
        re.compile(rf'(?<!")" {{0,8}}(?:$|{sign})'),
    )
    return sum(len(opens.findall(line)) > len(closes.findall(line)) for line in lines) >= 2


def _fill_up(
    body: Body, mark: str, usual: int, marked: Sequence[int]
) -> Iterator[tuple[int, int, tuple[Step, ...], str]]:
    """Yield the part in which lines with fewer marks than most go on with the record above, if there are some."""
    whole = [k for k in marked if body.lines[k].count(mark) == usual]
    short = [k for k in body.full if k > whole[0] and body.lines[k].count(mark) < usual]
    goes_on = all(body.lines[k - 1].strip() for k in short)
    ends = [body.lines[k - 1].rpartition(mark)[2].strip() for k in short]
    n_figures = sum(not any(map(str.isalpha, end)) for end in ends if end)
    goes_on &= 3 * n_figures <= len(ends)  # a figure does not go on
    if usual > 1 and len(whole) >= _LEAST and goes_on and 2 <= len(short) <= 2 * len(whole):
        first, last = body.widen([whole[0], max(whole[-1], short[-1])])
        sign = re.escape(mark.strip() or mark)
        if len(mark.strip() or mark) == 1 and usual <= _MOST_COUNTED:
            starts = f"regex:^{rf'[^{sign}]{{0,200}}{sign}' * usual}"
            note = f"a line with fewer than {usual} of them goes on with the one above"
            yield max(first, whole[0]), last, (Unwrap(starts=(starts,)),), note


def _find_dense(body: Body, fit: Sequence[int]) -> tuple[int, int]:
    """Return the part in which most of some lines stand near each other, with the line right above it."""
    place = {k: nth for nth, k in enumerate(body.full)}
    runs: list[list[int]] = [[]]
    for k in fit:
        if runs[-1] and place[k] - place[runs[-1][-1]] > _NEAR:
            runs.append([])
        runs[-1].append(k)
    best = max(runs, key=len)
    nth = place[best[0]]
    above = body.full[nth - 1] if nth and best[0] - body.full[nth - 1] == 1 else best[0]
    return above, best[-1] + 1


def _put_together(lines: Sequence[str], before: Sequence[Step]) -> list[str]:
    """Return the records that lines make, a text each: near enough to count marks in them."""
    if not before:
        return [line for line in lines if line.strip()]
    unwrap = before[-1]
    assert isinstance(unwrap, Unwrap)
    full = [line for line in lines if line.strip()]
    least = min((len(line) - len(line.lstrip()) for line in full), default=0)
    records: list[str] = []
    is_parted = True
    for line in lines:
        if not line.strip():
            is_parted = True
            continue
        if unwrap.indent:
            begins = len(line) - len(line.lstrip()) <= least
        elif unwrap.blank_lines:
            begins = is_parted
        else:
            begins = any(begins_so(pattern, line) for pattern in unwrap.starts)
        if begins or not records:
            records.append(line.strip())
        else:
            records[-1] += " " + line.strip()
        is_parted = False
    return records


def _cut(
    body: Body, mark: str, records: Sequence[str], before: tuple[Step, ...], first: int, last: int, note: str
) -> Iterator[Chain]:  # fmt: skip
    """Yield the ways to cut records at a mark: all fields, or as many as the fewest have."""
    counts = Counter(record.count(mark) for record in records)
    if not counts or max(counts) == 0 or len(records) < 2:
        return
    usual = max(counts, key=lambda n: (counts[n] * (n > 0), n))
    if usual + 1 > _MOST_FIELDS:
        return
    told = f"Cut at {mark.strip() or mark!r}: {usual + 1} fields in {counts[usual]} of {len(records)} records; {note}."
    after: tuple[Step, ...] = ()
    bullet = find_bullet(records)
    if bullet:
        after = (Clean(strip=(f"1={bullet}",)),)
        told += f" The {bullet} before each record is taken off."
    base: dict[str, Any] = {
        "delimiter": (name_mark(mark),),
        "heading": "none",
        "quote": ("none",) if before else ("double",),
    }
    yield body.make_chain((*before, Split(**base, fields=usual + 1), *after), first, last, told)
    fewest = min(n for n in counts if n) if sum(counts[n] for n in counts if n) > 1 else usual
    share = sum(number for n, number in counts.items() if n >= fewest) / len(records)
    if len(counts) > 1 and share > 0.9:
        split = Split(**base, fields=fewest + 1, cuts=f"first:{fewest}")
        yield body.make_chain((*before, split, *after), first, last, told)
