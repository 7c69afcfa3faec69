"""What is cut out of the values of a column, learnt from the stretches that examples want.

For every stretch all places that agree with the examples are kept, put together by what they give
in all values: rules that never differ are one. What is left is told apart by its price, the bits of
the new columns and of the rule; the ways that differ are what may have to be asked.
"""

from __future__ import annotations

import itertools
from bisect import insort
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cache, lru_cache
from itertools import pairwise
from operator import itemgetter
from typing import Any, Literal, NamedTuple, TypeVar

from wetcomb.drafts.examples.places import (
    Place,
    find_kinds,
    list_ends,
    list_starts,
    seat_end,
    seat_start,
)
from wetcomb.drafts.pricing.columns import ColumnPrices
from wetcomb.drafts.pricing.tokens import TOKEN, Tokens

__all__ = ["Cutting", "Prices", "Span", "Wanted", "learn_cuttings"]

_T = TypeVar("_T")
Span = tuple[int, int] | None  # None where a value has no such stretch

_BEAM, _WIDE = 14, 60  # ways that are kept for each stretch and in the end, and for all together
_STARTS = 10
#: Bits: of a value whose stretches overlap, of one that lacks a stretch, of one cut within a run of
#: letters or digits though no example is, or within other filled text, of a letter or digit that no
#: stretch takes though the examples take all of theirs, of a stretch that holds a mark by which the
#: examples part theirs, of one that is made of other kinds of signs.
_OVERLAP, _LACKS, _TORN, _TOUCHES, _LOST, _HOLDS, _FOREIGN = 40.0, 10.0, 12.0, 4.0, 4.0, 16.0, 6.0
_BRACKETED = 8.0
BRACKETS = {"(": ")", "[": "]", "{": "}", "<": ">", "«": "»", "“": "”", "（": "）"}
_COMMON = 0.5  # share of the values in which a word stands that places may go by


class Wanted(NamedTuple):
    """The stretches of a value that an example wants; None where it is to have none."""

    row: int
    spans: tuple[Span | Literal["free"], ...]


class Prices:
    """What things cost in one text, in bits, and the ways to cut that were learnt already."""

    def __init__(self, tokens: Tokens) -> None:
        self._tokens, self._columns = tokens, ColumnPrices(tokens)
        self._sums: dict[str, list[float]] = {}
        self.known: dict[object, list[Cutting]] = {}
        self.ones: dict[object, list[_One]] = {}

    def tell_raw(self, value: str, start: int, end: int) -> float:
        """Return the bits of a stretch of a value as plain text; of a token that it cuts, its share."""
        sums = self._sums.get(value)
        if sums is None:
            each = (
                self._tokens.price_token(found[0]) / len(found[0])
                for found in TOKEN.finditer(value)
                for _ in found[0]
            )
            sums = self._sums[value] = [0.0, *itertools.accumulate(each)]
        return sums[end] - sums[start]

    def price(self, values: Sequence[str], spans: Sequence[Span]) -> float:
        """Return what a column of stretches takes more than they would as plain text.

        What is not taken stays plain text, so that to take less is no gain.
        """
        pairs = [*zip(values, spans, strict=True)]
        raw = sum(self.tell_raw(value, *span) for value, span in pairs if span)
        texts = [value[span[0] : span[1]] if span else "" for value, span in pairs]
        return self._columns.price(texts) - raw


class Cutting(NamedTuple):
    """A way to cut: the stretches of every value, its price, and how many values it leaves odd.

    Attributes
    ----------
    spans : for each value, for each stretch
    rule : bits of the places alone
    odd : bits of all that speaks against it
    """

    spans: tuple[tuple[Span, ...], ...]
    bits: float
    rule: float
    odd: float
    n_odd: int


class _One(NamedTuple):
    """A way for one stretch."""

    spans: tuple[Span, ...]
    bits: float
    rule: float
    odd: float


def learn_cuttings(
    values: Sequence[str], wanted: Sequence[Wanted], prices: Prices
) -> list[Cutting]:
    """Return the ways to cut that give what is wanted and differ, the cheapest first; none if there is none.

    Parameters
    ----------
    values : of the column; an empty one is missing
    """
    key = tuple(values), tuple(wanted)
    if key not in prices.known:
        prices.known[key] = _learn(key[0], wanted, prices)
    return prices.known[key]


def _learn(values: tuple[str, ...], wanted: Sequence[Wanted], prices: Prices) -> list[Cutting]:
    number = len(wanted[0].spans)
    ways: list[tuple[tuple[_One, ...], float]] = [((), 0.0)]
    for piece in range(number):
        one_wanted = tuple((one.row, one.spans[piece]) for one in wanted)
        found = prices.ones.get((values, one_wanted))
        if found is None:
            found = prices.ones[values, one_wanted] = _learn_one(values, one_wanted, prices)
        longer = [((*taken, one), bits + one.bits) for taken, bits in ways for one in found]
        near = sorted(longer, key=lambda way: way[1])[: 2 * _WIDE]
        overlapping = ((way[1] + _count_overlaps(way[0]) * _OVERLAP, way) for way in near)
        ways = [way for _, way in _keep_best(overlapping, (way[1] for way in near), _WIDE)]
    ways.sort(key=lambda way: way[1])
    marks, bare = _find_marks(values, wanted), _find_bare(values, wanted)

    @cache
    def tell_odd(row: int, spans: tuple[Span, ...]) -> tuple[float, bool]:
        return _price_cut(values[row], spans, marks, bare)

    made = (_put_together(taken, bits, tell_odd) for taken, bits in ways)
    best = _keep_best(
        ((cutting.bits, cutting) for cutting in made), (bits for _, bits in ways), _BEAM
    )
    priced = [
        one._replace(bits=one.bits + _price_left(values, one.spans, prices)) for _, one in best
    ]
    return sorted(priced, key=lambda cutting: cutting.bits)


def _keep_best(
    priced: Iterator[tuple[float, _T]], least: Iterable[float], most: int
) -> list[tuple[float, _T]]:
    """Return the cheapest, the first of those alike; what cannot be among them is not priced.

    Parameters
    ----------
    priced : each with its price, worked out as it is asked for
    least : of each, what its price is not below; in ascending order
    """
    kept: list[tuple[float, _T]] = []
    for bound in least:
        if len(kept) == most and bound >= kept[-1][0]:
            break
        insort(kept, next(priced), key=itemgetter(0))
        del kept[most:]
    return kept


def _learn_one(
    values: Sequence[str], wanted: Sequence[tuple[int, Span | Literal["free"]]], prices: Prices
) -> list[_One]:
    """Return the ways to cut one stretch that differ, the cheapest first."""
    there = [(values[row], *span) for row, span in wanted if span is not None and span != "free"]
    lacking = [row for row, span in wanted if span is None]
    if not there:
        return []
    starts = set[Place].intersection(*(set(list_starts(v, s)) for v, s, _ in there))
    ends = set[Place].intersection(*(set(list_ends(v, s, e)) for v, s, e in there))
    starts, ends = (_leave_rare(values, places) for places in (starts, ends))
    torn = max(_price_torn(value, (start, end)) for value, start, end in there)
    begins: dict[tuple[int, ...], Place] = {}
    for place in sorted(starts, key=lambda place: place.bits):
        seats = tuple(seat_start(value, place.find(value)) for value in values)
        begins.setdefault(seats, place)
    found: dict[tuple[Span, ...], float] = {}
    bracketed: set[tuple[Span, ...]] = set()
    fixed = {end: tuple(_seat_end(v, end, 0) for v in values) for end in ends if not end.is_from_start}  # fmt: skip
    for seats, place in itertools.islice(begins.items(), _STARTS):
        for end in ends:
            stops = fixed.get(end) or [_seat_end(v, end, max(0, start)) for v, start in zip(values, seats, strict=True)]  # fmt: skip
            spans = tuple(
                (start, stop) if 0 <= start < stop else None
                for start, stop in zip(seats, stops, strict=True)
            )
            if not any(spans[row] for row in lacking):
                found[spans] = min(found.get(spans, 1e9), place.bits + end.bits)
                if end.kind == "next" and BRACKETS.get(place.text) == end.text:
                    bracketed.add(spans)
    likes = {_find_make(value[start:end]) for value, start, end in there}
    odd = {spans: _price_odd(values, spans, torn, likes) for spans in found}
    for spans in bracketed:  # what has no brackets has nothing in them
        found[spans] -= _BRACKETED
        odd[spans] -= _LACKS * sum(
            s is None and bool(v) for v, s in zip(values, spans, strict=True)
        )
    near = sorted(found, key=lambda spans: found[spans] + odd[spans])[: 2 * _BEAM]
    ways = [
        _One(
            spans,
            found[spans] + odd[spans] + prices.price(values, spans),
            found[spans],
            odd[spans],
        )
        for spans in near
    ]
    return sorted(ways, key=lambda way: way.bits)[:_BEAM]


def _leave_rare(values: Sequence[str], places: set[Place]) -> set[Place]:
    """Leave out places by a word that hardly any other value has."""
    words = {place.text for place in places if place.kind == "word"}
    least = max(2.0, _COMMON * len(values))
    common = {word for word in words if sum(word in value for value in values) >= least}
    return {place for place in places if place.kind != "word" or place.text in common}


def _price_odd(values: Sequence[str], spans: Sequence[Span], torn: float, likes: set[str]) -> float:
    """Return the bits of what is odd.

    Parameters
    ----------
    torn : bits at which an example tears what it takes: so far others may too
    likes : of what the examples are made
    """
    pairs = [*zip(values, spans, strict=True)]
    lacking = sum(span is None and bool(value) for value, span in pairs)
    foreign = sum(span is not None and _find_make(value[slice(*span)]) not in likes for value, span in pairs)  # fmt: skip
    return (
        _LACKS * lacking
        + _FOREIGN * foreign
        + sum(max(0.0, _price_torn(*pair) - torn) for pair in pairs)
    )


@lru_cache(1 << 16)
def _find_make(text: str) -> str:
    """Return of what a text is made: letters, digits, both, or marks alone."""
    kinds = find_kinds(text)
    return "".join(name for name, signs in (("letters", "Aa"), (" digits", "9")) if any(sign in kinds for sign in signs))  # fmt: skip


@lru_cache(1 << 16)
def _price_torn(value: str, span: Span) -> float:
    """Return the bits of a stretch that begins or ends within a word, a figure, or a filled run."""
    if span is None:
        return 0.0
    kinds = find_kinds(value).replace("A", "a")
    bits = 0.0
    for place in span:
        if 0 < place < len(value) and "_" not in kinds[place - 1 : place + 1]:
            near = kinds[max(0, place - 2) : place + 2]
            is_within = kinds[place - 1] == kinds[place] not in ".-" or "9.9" in near
            bits += _TORN if is_within else _TOUCHES
    return bits


def _seat_end(value: str, place: Place, start: int) -> int:
    """Return where a stretch that begins at `start` ends, -1 for nowhere."""
    end = place.find(value, start)
    return seat_end(value, end) if end >= 0 else -1


def _count_overlaps(taken: Sequence[_One]) -> int:
    """Return in how many values the last stretch lies over one before it."""
    *before, last = taken
    if not before:
        return 0
    return sum(
        any(_overlap(one.spans[row], span) for one in before)
        for row, span in enumerate(last.spans)
        if span is not None
    )


def _overlap(one: Span, other: Span) -> bool:
    return one is not None and other is not None and one[0] < other[1] and other[0] < one[1]


def _list_gaps(value: str, spans: Sequence[Any]) -> list[str]:
    """Return what stands before, between and behind stretches, in their order in the value."""
    real = sorted(span for span in spans if span is not None and span != "free")
    edges = [0, *itertools.chain(*real), len(value)]
    return [value[a:b] for a, b in zip(edges[::2], edges[1::2], strict=True)]


def _find_bare(values: Sequence[str], wanted: Sequence[Wanted]) -> list[bool]:
    """Return which gaps before, between and behind all stretches hold no letter and no digit in any example."""
    full = [_list_gaps(values[one.row], one.spans) for one in wanted if None not in one.spans and "free" not in one.spans]  # fmt: skip
    return [not any(sign.isalnum() for gap in gaps for sign in gap) for gaps in zip(*full, strict=True)]  # fmt: skip


def _count_lost(value: str, spans: Sequence[Span], bare: Sequence[bool]) -> int:
    """Return how many letters and digits stand where the examples have none beside their stretches."""
    if None in spans or not bare:
        real = [span for span in spans if span is not None]
        return sum(map(str.isalnum, "".join(_list_gaps(value, real)))) if bare and all(bare) else 0
    gaps = zip(_list_gaps(value, spans), bare, strict=True)
    return sum(sign.isalnum() for gap, is_bare in gaps if is_bare for sign in gap)


def _find_marks(values: Sequence[str], wanted: Sequence[Wanted]) -> list[str]:
    """Return for each stretch the marks that stand in no example of it, but beside what examples take."""
    gaps, held = set[str](), [set[str]() for _ in wanted[0].spans]
    for row, spans in wanted:
        value = values[row]
        left = list(value)
        for piece, span in enumerate(spans):
            if span is None or span == "free":
                continue
            start, end = span
            held[piece] |= set(value[start:end])
            left[start:end] = " " * (end - start)
        gaps |= {sign for sign in left if not sign.isalnum() and not sign.isspace()}
    return ["".join(gaps - own) for own in held]


def _put_together(
    taken: Sequence[_One],
    bits: float,
    tell_odd: Callable[[int, tuple[Span, ...]], tuple[float, bool]],
) -> Cutting:
    """Return several stretches as one way, with what speaks against it.

    Parameters
    ----------
    tell_odd : tells of a value and its stretches
    """
    rows = tuple(zip(*(one.spans for one in taken), strict=True))
    each = [tell_odd(row, spans) for row, spans in enumerate(rows)]
    odd = sum(one for one, _ in each)
    rule, before = sum(one.rule for one in taken), sum(one.odd for one in taken)
    return Cutting(rows, bits + odd, rule, before + odd, sum(is_odd for _, is_odd in each))


def _price_cut(
    value: str, spans: Sequence[Span], marks: Sequence[str], bare: Sequence[bool]
) -> tuple[float, bool]:
    """Return the bits of what is odd about the stretches of one value together, and whether it is to be told.

    Parameters
    ----------
    marks : for each stretch, those that it should not hold
    bare : which gaps of the examples hold no letter and no digit
    """
    real = sorted(filter(None, spans))
    overlaps = any(a[1] > b[0] for a, b in pairwise(real))
    lost = 0 if overlaps else _count_lost(value, spans, bare)
    holds = sum(
        span is not None and any(mark in own for mark in value[span[0] : span[1]])
        for span, own in zip(spans, marks, strict=True)
    )
    is_uncut = bool(value) and not real
    odd = _OVERLAP * overlaps + _LOST * lost + _HOLDS * holds
    return odd, overlaps or lost > 0 or is_uncut or holds > 0


def _price_left(values: Sequence[str], rows: Sequence[tuple[Span, ...]], prices: Prices) -> float:
    """Return the bits that what stands beside stretches takes less as columns than as plain text."""
    full = [(value, sorted(filter(None, spans))) for value, spans in zip(values, rows, strict=True) if None not in spans]  # fmt: skip
    bits = 0.0
    for k in range(len(rows[0]) + 1):
        spans = [(own[k - 1][1] if k else 0, own[k][0] if k < len(own) else len(value)) for value, own in full]  # fmt: skip
        if sum(end > start for start, end in spans) > 1:
            real = [span if span[1] > span[0] else None for span in spans]
            bits += min(0.0, prices.price([value for value, _ in full], real))
    return bits
