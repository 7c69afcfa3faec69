"""Entries of running text with a number before each that rises by one: references, notes, paragraphs."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from wetcomb.drafts.pricing.chains import Chain
from wetcomb.drafts.proposals.body import Body
from wetcomb.drafts.proposals.fields import PATTERN
from wetcomb.steps.pull.options import Pull
from wetcomb.steps.unwrap.options import Unwrap

__all__ = ["propose"]

_LEAST = 3  # entries
_MOSTLY = 0.8  # share of the lines that begin with such a number which are in order
_NAMED = 0.9  # share of the entries that a mark parts a name from their text
#: What stands before and behind a number.
_FORMS = (("[", "]"), ("(", ")"), ("", "."), ("", ")"), ("", ":"))
_TEXT = r"\S.{0,100000}"
#: What stands behind a name, and how it is written in a pattern.
_NAME = r"[^\W\d_](?:[^:\s]| (?! )){0,50}?"
_MARKS = (r":\s{1,9}", " – ", " - ")


def propose(body: Body) -> Iterator[Chain]:
    """Yield chains for entries that numbers begin."""
    for before, behind in _FORMS:
        left, right = re.escape(before), re.escape(behind)
        regex = re.compile(rf"[ \t]*{left}(\d{{1,4}}){right}[ \t]+(\S.*)")
        found = {k: at for k in body.full if (at := regex.match(body.lines[k]))}
        mine = _take_rising([(k, int(at[1])) for k, at in found.items()])
        if len(mine) < max(_LEAST, _MOSTLY * len(found)) or len(mine) == len(body.full):
            continue
        starts = rf"regex:^\s*{left}\d{{1,4}}{right}\s"
        lead = rf"regex:^\s*{left}(?P<number>\d{{1,4}}){right}\s+"
        texts = [found[k][2] for k in mine]
        for named in (*_list_named(texts), ""):
            pattern = f"{lead}{named}(?P<text>{_TEXT})$"
            steps = (Unwrap(starts=(starts,)), Pull(each=(pattern,), blocks="line"))
            note = f"{len(mine)} entries with a number before each that rises by one."
            for last in dict.fromkeys((len(body.lines), _find_end(body, mine[-1]))):
                yield body.make_chain(
                    steps, mine[0], last, note, bits=-PATTERN / 2
                )  # what begins them is said twice


def _take_rising(numbers: Sequence[tuple[int, int]]) -> list[int]:
    """Return the lines whose numbers rise by one from the first of them on."""
    mine: list[int] = []
    last = 0
    for line, number in numbers:
        if not mine or number == last + 1:
            mine.append(line)
            last = number
    return mine


def _list_named(texts: Sequence[str]) -> Iterator[str]:
    """Yield patterns of the names that nearly all entries begin with."""
    for said in _MARKS:
        regex = re.compile(rf"{_NAME}{said}")
        if sum(regex.match(text) is not None for text in texts) >= _NAMED * len(texts):
            yield rf"(?P<name>{_NAME}){said}"


def _find_end(body: Body, begin: int) -> int:
    """Return where the stretch of lines ends that a line stands in."""
    return next((end for first, end in body.stretches if first <= begin < end), len(body.lines))
