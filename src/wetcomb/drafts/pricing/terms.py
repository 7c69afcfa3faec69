"""What single things cost that no column tells: cuts, padding, roles of lines, options, furniture."""

from __future__ import annotations

import math
import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from functools import lru_cache
from itertools import pairwise

import numpy as np

from wetcomb.drafts.pricing.tokens import list_bits, price_once
from wetcomb.match.characters import find_widths, read_code_points
from wetcomb.steps.step import Step, list_options

__all__ = [
    "find_common_start", "measure_width", "price_cut", "price_furniture", "price_options", "price_padding", "price_roles",
]  # fmt: skip

_IN_NUMBER, _IN_WORD, _BETWEEN_WORDS, _BEFORE_UNIT = 5.0, 3.0, 1.5, 1.0  # a cut there
_IN_ADDRESS = 16.0  # of mail


def price_cut(left: str, gap: str, right: str) -> float:
    """Return what a cut costs that may go through a number, a word or a name."""
    if gap == " ":
        if left.isalpha() and right[:1].isalpha():
            return _BETWEEN_WORDS
        return _BEFORE_UNIT if left.isdecimal() and right.isalpha() and len(right) < 5 else 0.0
    if len(gap) != 1:
        return 0.0
    right = right[:1]
    if gap in ".,:/-'" and left.isdecimal() and right.isdecimal():
        return _IN_NUMBER
    if gap == "@" and left.isalnum() and right.isalpha():
        return _IN_ADDRESS
    return _IN_WORD if gap in "-'._/" and left.isalnum() and right.isalnum() else 0.0


def price_padding(places: Sequence[tuple[int, int]], gaps: Sequence[str]) -> float:
    """Return what it costs to say where the cells of a column stand: at one start, end or middle, or behind like gaps."""
    starts = [start for start, _ in places]
    ends = [end for _, end in places]
    middles = [(start + end) // 2 for start, end in places]
    return 2.0 + min(
        list_bits(starts, 0.3, 4.0),
        list_bits(ends, 0.3, 4.0),
        list_bits(middles, 0.3, 4.0) + 0.6 * len(places),
        list_bits(gaps, 0.3, 4.0),
    )


def find_common_start(values: Sequence[str]) -> str:
    """Return how all of some values begin: what the first and the last of them in order share."""
    first, last = min(values), max(values)
    size = next((k for k, (a, b) in enumerate(zip(first, last, strict=False)) if a != b), None)
    return first[:size]


@lru_cache(1 << 16)
def measure_width(text: str) -> int:
    """Return the display cells of a text."""
    if text.isascii():
        return len(text)
    points, _ = read_code_points(np.frombuffer(text.encode(), np.uint8))
    return int(find_widths(points).sum())


def price_furniture(lines: Iterable[str], patterns: Iterable[str]) -> float:
    """Return the bits of what varies in lines that recur: what is the same stands in the options.

    A pattern that holds more than figures open says nothing of what it covers.
    """
    known = set(patterns)
    groups: defaultdict[str, list[str]] = defaultdict(list)
    for line in lines:
        groups[re.sub(r"\d+", "9", " ".join(line.split()))].append(line)
    bits = 0.0
    for group in groups.values():
        pattern = re.sub(r"\d+", "{digits}", " ".join(group[0].split()))
        bits += 0.0 if pattern in known else price_once(group[0])
        for before, after in pairwise(group):
            bits += 1.0
            for old, new in zip(
                re.findall(r"\d+", before), re.findall(r"\d+", after), strict=False
            ):
                bits += (
                    0.2 if old == new else 0.5 if int(new) - int(old) == 1 else 2 + 3.32 * len(new)
                )
    return bits


@lru_cache(4096)
def price_roles(roles: tuple[str, ...]) -> float:
    """Return the bits to say what each line is, told by the line before (an adaptive bigram)."""
    pairs: defaultdict[str, Counter[str]] = defaultdict(Counter)
    totals: Counter[str] = Counter()
    bits, last, seen = 0.0, "^", set[str]()
    for role in roles:
        if pairs[last][role]:
            bits -= math.log2(pairs[last][role] / (totals[last] + 0.5))
        else:
            bits -= math.log2(0.5 / (totals[last] + 0.5))
            bits += math.log2(len(seen) + 1) if role in seen else 1.5
        pairs[last][role] += 1
        totals[last] += 1
        seen.add(role)
        last = role
    return bits


#: Options that say no more than the structure does, or what the columns' own models say.
_FREE = frozenset(
    [
        "quote",
        "fields",
        "heading",
        "rename",
        "each",
        "cell_shapes",
        "glue",
        "shape",
        "values",
        "names",
        "optional",
    ]
)
#: Options whose values name labels or columns that are named already, or one of a few words.
_NAMED = frozenset(["multiline", "until", "again", "carry", "records_at", "key", "cuts", "absorb", "column", "boundary", "strip"])  # fmt: skip
_REGEX = 16.0  # a regular expression of ours says a kind of line, not a text
_PLACEHOLDER = re.compile(r"\{[^{}]*\}")


def price_options(step: Step) -> float:
    """Return the bits it takes to say the options of a step."""
    bits = 0.0
    for entry in list_options(type(step)):
        value = getattr(step, entry.name)
        if value == entry.default or entry.name in _FREE or not value:
            continue
        values = value if isinstance(value, tuple) else (value,)
        for one in values:
            if entry.name == "delimiter":
                mark = one.strip() or one
                bits += 5.0 + 3.0 * (len(mark) if len(mark) < 4 or not mark.isalpha() else 1)
            elif (
                entry.name == "edges"
                or entry.choices
                or (entry.name in _NAMED and (not isinstance(one, str) or len(one) > 2))
            ):
                bits += 4.0
            elif isinstance(one, str) and one:
                if one.startswith("regex:"):
                    bits += _REGEX
                    continue
                said = one.rpartition(" as ")[2] if one.startswith("mail.") else one
                left, n_held = _PLACEHOLDER.subn("", said.removeprefix("text:"))
                bits += 4.0 + 3.0 * n_held + price_once(left)
            else:
                bits += 2.0
    return bits + 2.0
