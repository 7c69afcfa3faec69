"""The tokens of a text and what each costs to write down: the measure of all raw text.

A two-part code: a token is named by how common it is among those of its kind, and spelled once;
which kind comes next is told by the kind before. The model is made from the source once and does
not change, so that costs add up, have no order, and can be kept.
"""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Iterable, Sequence

__all__ = [
    "TOKEN",
    "Tokens",
    "count_bits",
    "find_kind",
    "flag_bits",
    "list_bits",
    "price_once",
    "spell_bits",
]

_RUNS = "".join(f"{re.escape(mark)}{{4,}}|" for mark in "-=*_.~#+─━═·")  # of rules and leaders
TOKEN = re.compile(
    rf"[\u3040-\u30ff\u3400-\u9fff]|[^\W\d_\u3040-\u30ff\u3400-\u9fff]+|\d+| +|{_RUNS}.", re.S
)
_SPACES = " \u00a0\u2009\u202f\u2007"
_LETTER, _WIDE, _DIGIT, _MARK, _NEW = 4.2, 9.0, 3.32, 6.5, 2.0
_WIDE_FROM = "\u3000"
_UNKNOWN = 3.0
_GLUED = 8.0  # a figure and a word with nothing between: either hardly ever stands so but where fields met


def find_kind(token: str) -> str:
    """Return the kind of a token: d digits, w word, s one space, S several, m a mark."""
    first = token[0]
    if first.isdecimal():
        return "d"
    if first.isalpha():
        return "w"
    if first in _SPACES or first in "\r\n":
        return "s" if len(token) == 1 else "S"
    return "m"


def _is_glued(last: str, token: str) -> bool:
    """Return whether a word and a figure meet, and the word is neither a unit, an ordinal's end nor a code's letters."""
    if token[0].isdecimal():
        return last[-1:].islower() and len(last) > 2
    is_word = len(token) > 3 or (len(token) == 3 and token[0].isupper())
    return last[:1].isdecimal() and is_word and token[-1].islower()


def spell_bits(token: str) -> float:
    """Return the bits of a token's characters."""
    kind = find_kind(token)
    if kind == "w":
        is_wide = len(token) == 1 and token > _WIDE_FROM
        return 3 + (_WIDE if is_wide else _LETTER * len(token))
    if kind == "d":
        return 1 + _DIGIT * len(token)
    if kind in "sS":
        return 2 * math.log2(len(token) + 1) + 3 * (token[0] != " ")
    return _MARK + 2 * math.log2(len(token))


def _log_gamma(value: float) -> float:
    return math.lgamma(value) / math.log(2)


def count_bits(counts: Iterable[int], theta: float = 1.0) -> float:
    """Return the bits to say which of several things comes next, each so many times in all.

    The things themselves are priced when they are new (the Chinese restaurant process).
    """
    numbers = list(counts)
    total = sum(numbers)
    if not total:
        return 0.0
    bits = _log_gamma(total + theta) - _log_gamma(theta) - len(numbers) * math.log2(theta)
    return bits - sum(map(_log_gamma, numbers))


def flag_bits(yes: int, no: int) -> float:
    """Return the bits of so many flags (the rule of Krichevsky and Trofimov)."""
    return (
        _log_gamma(yes + no + 1)
        - _log_gamma(yes + 0.5)
        - _log_gamma(no + 0.5)
        + 2 * _log_gamma(0.5)
    )


def list_bits(values: Sequence[object], theta: float = 1.0, each: float = 0.0) -> float:
    """Return the bits of choices among values that cost so much each when they are new."""
    counts = Counter(values)
    return count_bits(counts.values(), theta) + each * len(counts)


class Tokens:
    """The tokens of one source, counted."""

    def __init__(self, lines: Iterable[str]) -> None:
        counts: Counter[str] = Counter()
        pairs: Counter[tuple[str, str]] = Counter()
        for line in lines:
            last = "^"
            for token in TOKEN.findall(line):
                kind = find_kind(token)
                counts[token] += 1
                pairs[last, kind] += 1
                last = kind
            pairs[last, "$"] += 1
        self._counts, self._pairs = counts, pairs
        self._firsts: Counter[str] = Counter()
        for (first, _), number in pairs.items():
            self._firsts[first] += number
        self._kinds: Counter[str] = Counter()
        for token, number in counts.items():
            self._kinds[find_kind(token)] += number
        self._known: dict[str, float] = {}
        self._texts: dict[str, float] = {}
        self._insides: dict[str, float] = {}
        self._steps: dict[tuple[str, str], float] = {}
        self._shares: dict[str, float] = {}

    def price_token(self, token: str) -> float:
        """Return the bits of a token whose kind is known."""
        found = self._known.get(token)
        if found is None:
            kind, count = find_kind(token), self._counts.get(token, 0)
            if token in "\r\n":
                found = 1.0
            elif not count:
                found = spell_bits(token) + _UNKNOWN
            else:
                found = math.log2(self._kinds[kind] / count) + (spell_bits(token) + _NEW) / count
                if kind == "d":
                    found = min(found, spell_bits(token))
            self._known[token] = found
        return found

    def share(self, text: str) -> float:
        """Return what the words of a text still cost each further time, where a list names it once."""
        found = self._shares.get(text)
        if found is None:
            words = (t for t in TOKEN.findall(text) if find_kind(t) == "w")
            found = sum(
                (spell_bits(t) + _NEW) / self._counts[t]
                for t in words
                if self._counts.get(t, 0) > 1
            )
            self._shares[text] = found
        return found

    def _price_step(self, first: str, second: str) -> float:
        found = self._steps.get((first, second))
        if found is None:
            found = math.log2((self._firsts[first] + 3) / (self._pairs[first, second] + 0.5))
            self._steps[first, second] = found
        return found

    def price_inside(self, text: str) -> float:
        """Return the bits of a text whose first kind of token and whose end are told otherwise."""
        found = self._insides.get(text)
        if found is None:
            found, last, before = 0.0, "", ""
            for token in TOKEN.findall(text):
                kind = find_kind(token)
                found += self.price_token(token) + (self._price_step(last, kind) if last else 0.0)
                found += _GLUED * _is_glued(before, token)
                last, before = kind, token
            self._insides[text] = found
        return found

    def price(self, text: str) -> float:
        """Return the bits of a text written as it stands."""
        found = self._texts.get(text)
        if found is None:
            found, last, before = 0.0, "^", ""
            for token in TOKEN.findall(text):
                kind = find_kind(token)
                found += self._price_step(last, kind) + self.price_token(token)
                found += _GLUED * _is_glued(before, token)
                last, before = kind, token
            found += self._price_step(last, "$")
            self._texts[text] = found
        return found


def price_once(text: str) -> float:
    """Return the bits of a text that explains every other time it stands."""
    return sum(min(spell_bits(token) + 1.5, 40) for token in TOKEN.findall(text))
