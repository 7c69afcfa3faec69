"""Regular expressions that could run without end, told from their parts before they ever run.

A search that goes back and tries again takes endlessly long where a repeat can match one text
in many ways: their number doubles with every sign. So each repeat must be *deterministic*: from
every sign of it, and from every beginning, each next sign leads on in one way only (after V.
Glushkov's automaton and A. Brüggemann-Klein's strong determinism; ways are counted, so that two
that lead to the same place are two). That is more than would be needed, so that a harmless
pattern may be refused; none that doubles is let through. What several repeats in a row cost is
bounded elsewhere, by how long a line may be.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

import msgspec

from wetcomb.core.errors import UsageError

__all__ = ["refuse_endless"]

_Node = tuple[Any, Any]  # a part of a regular expression: what it is, and its value
_FEW = 3  # rounds of a repeat that are too few to matter
_UNROLLED = 16  # rounds up to which they are told apart
_MOST = 4000  # signs of a pattern, rounds told apart; what has more is refused
#: Signs of every kind there is; of those behind ASCII a letter, a letter without case, a space, a digit.
_SAMPLE = [*map(chr, range(9, 14)), *map(chr, range(32, 127)), "é", "漢", "\u00a0", "٣"]
_ALL = (1 << len(_SAMPLE)) - 1
_BEYOND = 126


def refuse_endless(source: str, text: str, flags: int = 0) -> None:
    """Refuse a pattern with a repeat that can match one text in many ways.

    Raises
    ------
    UsageError : there is one, or it is too large to be told
    """
    from re import _parser  # type: ignore[attr-defined]  # the only way to see a pattern's parts

    try:
        _Automaton().build(list(_parser.parse(text, flags)), is_folded=bool(flags & re.IGNORECASE))
    except _ManyWays as error:
        raise UsageError(f"pattern {source!r} could run without end: {error}") from None


class _ManyWays(Exception):
    """A repeat can match one text in many ways."""


class _Part(msgspec.Struct, frozen=True):
    """Which signs a part can begin and end with, once for each way, and in how many ways it is empty."""

    firsts: tuple[int, ...] = ()
    lasts: tuple[int, ...] = ()
    n_empty: int = 1


class _Automaton:
    """The signs of a pattern, each with what it matches and what may follow it."""

    def __init__(self) -> None:
        self._masks: list[int] = []
        self._next: list[list[int]] = []

    def build(self, nodes: Sequence[_Node], *, is_folded: bool) -> _Part:
        """Return a row of parts as one."""
        whole = _Part()
        for node in nodes:
            whole = self._join(whole, self._build_one(*node, is_folded=is_folded))
        return whole

    def _build_one(self, kind: Any, value: Any, *, is_folded: bool) -> _Part:
        name = str(kind)
        if name in ("MAX_REPEAT", "MIN_REPEAT", "POSSESSIVE_REPEAT"):
            return self._repeat(*value, is_folded=is_folded)
        if name == "SUBPATTERN":
            _, added, _, body = value
            return self.build(list(body), is_folded=is_folded or bool(added & re.IGNORECASE))
        if name == "ATOMIC_GROUP":
            return self.build(list(value), is_folded=is_folded)
        if name == "BRANCH":
            return self._choose([list(branch) for branch in value[1]], is_folded=is_folded)
        if name == "GROUPREF_EXISTS":
            return self._choose([list(branch or ()) for branch in value[1:]], is_folded=is_folded)
        if name in ("ASSERT", "ASSERT_NOT"):
            _Automaton().build(list(value[1]), is_folded=is_folded)
            return _Part()
        if name == "AT":
            return _Part()
        part = self._add(_find_mask(name, value, is_folded=is_folded))
        return part if name != "GROUPREF" else _Part(part.firsts, part.lasts, 1)

    def _add(self, mask: int) -> _Part:
        if len(self._masks) >= _MOST:
            raise _ManyWays("it is too large to be looked through")
        self._masks.append(mask)
        self._next.append([])
        place = len(self._masks) - 1
        return _Part((place,), (place,), 0)

    def _join(self, left: _Part, right: _Part) -> _Part:
        for last in left.lasts:
            self._next[last] += right.firsts
        return _Part(
            left.firsts + right.firsts * left.n_empty,
            right.lasts + left.lasts * right.n_empty,
            min(2, left.n_empty * right.n_empty),
        )

    def _choose(self, branches: Sequence[Sequence[_Node]], *, is_folded: bool) -> _Part:
        parts = [self.build(branch, is_folded=is_folded) for branch in branches]
        return _Part(
            tuple(first for part in parts for first in part.firsts),
            tuple(last for part in parts for last in part.lasts),
            min(2, sum(part.n_empty for part in parts)),
        )

    def _repeat(self, low: int, high: int, body: Any, *, is_folded: bool) -> _Part:
        begin = len(self._masks)
        if high > _UNROLLED:
            inner = self.build(list(body), is_folded=is_folded)
            self._join(inner, inner)  # a round may follow itself
            n_empty = inner.n_empty + (low == 0)  # no round, or an empty one
            whole = _Part(inner.firsts, inner.lasts, min(2, n_empty + (low > 1) * inner.n_empty))
            if low > 1 and inner.n_empty:
                self._check(inner.firsts * 2)
        else:
            tail = _Part()
            for _ in range(high - low):  # the last rounds first: each only behind the one before
                tail = self._join(self.build(list(body), is_folded=is_folded), tail)
                tail = _Part(tail.firsts, tail.lasts, min(2, tail.n_empty + 1))
            whole = _Part()
            for _ in range(low):
                whole = self._join(whole, self.build(list(body), is_folded=is_folded))
            whole = self._join(whole, tail)
        if high > _FEW:
            self._check(whole.firsts)
            for following in self._next[begin:]:
                self._check(following)
        return whole

    def _check(self, places: Sequence[int]) -> None:
        """Raise if two of these can match the same sign."""
        taken = 0
        for place in places:
            if taken & self._masks[place]:
                raise _ManyWays("a repeat in it can match the same text in many ways")
            taken |= self._masks[place]


def _find_mask(kind: str, value: Any, *, is_folded: bool) -> int:
    """Return which signs of the sample something matches that takes one sign, a bit each."""
    if kind == "GROUPREF":
        return _ALL
    mask = 0
    for place, sign in enumerate(_SAMPLE):
        signs = {sign, sign.lower(), sign.upper()} if is_folded and sign.isascii() else {sign}
        mask |= any(_is_matched(kind, value, one) for one in signs) << place
    return mask


def _is_matched(kind: str, value: Any, sign: str) -> bool:
    if kind == "LITERAL":
        return value == ord(sign) or (value > _BEYOND and ord(sign) > _BEYOND)
    if kind == "NOT_LITERAL":
        return bool(value != ord(sign))
    if kind == "ANY":
        return sign != "\n"
    if kind == "IN":
        items = list(value)
        if items and str(items[0][0]) == "NEGATE":  # what lies beyond ASCII is never left out whole
            is_beyond = ord(sign) > _BEYOND
            return is_beyond or not any(_is_in_set(str(what), item, sign) for what, item in items)
        return any(_is_in_set(str(what), item, sign) for what, item in items)
    return True


def _is_in_set(what: str, item: Any, sign: str) -> bool:
    if what == "LITERAL":
        return item == ord(sign) or (item > _BEYOND and ord(sign) > _BEYOND)
    if what == "RANGE":
        low, high = item
        return low <= ord(sign) <= high or (high > _BEYOND and ord(sign) > _BEYOND)
    if what == "CATEGORY":
        word = str(item)
        test = (
            sign.isdecimal()
            if "DIGIT" in word
            else sign.isspace()
            if "SPACE" in word
            else sign.isalnum() or sign == "_"
        )
        return test != ("NOT" in word)
    return False
