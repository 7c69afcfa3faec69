"""What examples leave open: the record on which two rules differ that both give them."""

from __future__ import annotations

from collections.abc import Sequence
from shlex import quote

import numpy as np

from wetcomb.core.doubts import Doubt
from wetcomb.core.table import Table
from wetcomb.drafts.examples.example import MARK, Example
from wetcomb.drafts.examples.fitting import Fitted
from wetcomb.drafts.telling import count_noun

__all__ = ["ask", "ask_beyond"]

#: Bits that another rule may take more and be meant as well: in all; and where it is told as shortly.
_CLOSE, _FAR, _AS_SHORT = 12.0, 90.0, 2.9
_ELSEWHERE = 30.0  # in another table
_SHOWN = 3  # lines that are told


def ask(
    examples: Sequence[Example], best: Fitted, others: Sequence[tuple[Fitted, float]]
) -> tuple[Doubt, ...]:
    """Return the doubt which of two rules is meant, with the record on which they differ most.

    Parameters
    ----------
    others : other rules, and how many bits dearer they are
    """
    doubts = list[Doubt]()
    mine = _by_line(best)
    for other, dearer in others:
        if not _may_be_meant(best, other, dearer):
            continue
        theirs = _by_line(other)
        differ = [line for line, row in mine.items() if theirs[line] != row]
        if not differ:
            continue
        line = max(differ, key=lambda at: (_count_differing(mine[at], theirs[at]), -at))
        said = (
            f"the examples allow another rule, which differs in {count_noun(len(differ), 'record')}: "
            f"{_tell(mine[line])} by this one, {_tell(theirs[line])} by the other"
        )
        command = "wetcomb rebuild {input} " + " ".join(_type(examples, line, theirs[line]))
        doubts.append(Doubt("example-open", said, ((line, line),), command))
        break
    if best.n_odd:
        said = f"{count_noun(best.n_odd, 'value')} that were cut by example lack a piece, or one is left over"
        doubts.append(Doubt("example-odd", said))
    return tuple(doubts)


def ask_beyond(example: Example, rule: Fitted, head: Table, whole: Table) -> tuple[Doubt, ...]:
    """Return the doubt that a rule cuts nothing out of records behind the lines that it was learnt from.

    Parameters
    ----------
    head, whole : what it makes of those lines, and of all of the text
    """
    blank: set[int] = set()
    for place, source in enumerate(rule.sources):
        column = whole.names.index(example.names[place]) if example.names else place
        if not source.is_whole and (head.ends > head.starts)[:, column].all():
            blank |= {*np.flatnonzero(whole.ends[:, column] <= whole.starts[:, column]).tolist()}
    if not blank:
        return ()
    firsts, lasts = whole.line_numbers(np.array(sorted(blank)))
    said = f"{count_noun(len(blank), 'record')} behind the lines that the rule was learnt from lack what it cuts out"
    lines = [*zip(firsts.tolist(), lasts.tolist(), strict=True)][:_SHOWN]
    return (Doubt("example-odd", said, tuple(lines)),)


def _may_be_meant(best: Fitted, other: Fitted, dearer: float) -> bool:
    """Return whether another rule may be meant: no more speaks against it, and it is nearly as good."""
    if other is best or other.odd > best.odd:
        return False
    is_short = other.rule < best.rule + _AS_SHORT or not best.cuttings
    is_near = other.base is not best.base and dearer < _ELSEWHERE
    return dearer < _CLOSE or is_near or (dearer < _FAR and is_short)


def _by_line(rule: Fitted) -> dict[int, tuple[str, ...]]:
    return {first: row for row, (first, _) in zip(rule.rows, rule.base.lines, strict=True)}


def _count_differing(one: Sequence[str], other: Sequence[str]) -> int:
    return sum(a != b for a, b in zip(one, other, strict=True))


def _tell(row: Sequence[str]) -> str:
    return MARK.join(value or "(nothing)" for value in row)


def _type(examples: Sequence[Example], line: int, row: Sequence[str]) -> list[str]:
    """Return all examples as they are typed, and one more: the record as the other rule has it."""
    names = examples[0].names
    cells = [f"{name}={value}" for name, value in zip(names, row, strict=True)] if names else row
    said = [*(example.said for example in examples), f"@{line} = {MARK.join(cells)}"]
    return [word for text in said for word in ("--example", quote(text))]
