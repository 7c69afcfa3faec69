"""The price of a table, in bits: one measure for every way to cut a text.

The idea is the shortest description (the principle of minimum description length): a
text is cut rightly where the table can be written down in the fewest bits. A column
costs, whichever is less,

- its values one by one under their shapes: which shape comes next costs by how common it
  is in the column (so a value foreign to its column is dear), and then digits 3.3 bits
  each, letters 4.3, a date 15, other marks 6.5 and every change of kind 2 more, so that
  free text with a delimiter left in it is dear; or
- the list of its distinct values once, and then which of them comes next (a value of
  nothing but marks pays for one more: it is more likely a piece of the delimiter).

To that come the number of fields of each record by how common it is, each record that
does not fit (24 bits and its surplus text), each cut inside a number (5 bits), and the
options it takes to say how to cut. Delimiters that part fields cost nothing: they are
what the fewest bits are paid for.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Sequence
from functools import lru_cache

from wetcomb.match.shapes import find_shape, outline

__all__ = ["SNAG_PRICE", "price_column", "price_counts", "price_text"]

LETTER, DIGIT, BLANK, MARK, CHANGE, END = 4.3, 3.32, 2.5, 6.5, 2.0, 4.0
TAB = 16.0  # hardly ever typed inside a value
SNAG_PRICE = 24.0
_NEW_SHAPE = 6.0
_FLAT = {"empty": 0.0, "yes-no": 1.0, "time": 11.0}


def price_counts(counts: Iterable[int]) -> float:
    """Return the bits it takes to say which of several things comes next, over all of them."""
    numbers = Counter(counts)
    total = sum(numbers.values())
    return sum(n * math.log2(total / n) for n in numbers.values())


def price_column(values: Sequence[str]) -> float:
    """Return the bits of one column, under its shapes or as a list of values, whichever is less."""
    if not any(values):
        return 2 * MARK * len(values)  # what parts nothing from nothing saves nothing
    tagged = [_tag_and_price(value) for value in values]
    tags = Counter(tag for tag, _ in tagged)
    by_shape = sum(bits for _, bits in tagged) + _NEW_SHAPE * len(tags)
    by_shape += sum(n * math.log2(len(values) / n) for n in tags.values())
    distinct = Counter(values)
    if len(distinct) == len(values):
        return by_shape + MARK * sum(map(_is_marks, values))
    listed = sum(_NEW_SHAPE + _tag_and_price(value)[1] for value in distinct)
    listed += sum(n * math.log2(len(values) / n) for n in distinct.values())
    return min(by_shape, listed) + MARK * sum(map(_is_marks, values))


@lru_cache(maxsize=1 << 16)
def _is_marks(value: str) -> bool:
    """Return whether a value is nothing but marks: more likely a piece of the delimiter."""
    return bool(value) and not any(map(str.isalnum, value))


@lru_cache(maxsize=1 << 16)
def _tag_and_price(value: str) -> tuple[str, float]:
    """Return a value's kind within its column, and its bits once the kind is known."""
    shape = find_shape(value)
    if shape in _FLAT:
        return shape, _FLAT[shape]
    n_digits = sum(map(str.isdecimal, value))
    if shape == "digits":
        return f"digits {n_digits}", DIGIT * n_digits
    if shape in ("number", "percent", "money"):
        return f"{shape} {outline(value)}", DIGIT * n_digits + 2
    if shape == "date":
        return f"date {outline(value)}", 26.0 if ":" in value else 15.0
    if shape == "code":
        letters = sum(map(str.isalpha, value))
        return f"code {outline(value)}", DIGIT * n_digits + LETTER * letters
    return shape, price_text(value)


def price_text(value: str) -> float:
    """Return the bits of free text: its characters by kind, and every change of kind."""
    bits, last = END, ""
    for character in value:
        if character.isalpha():
            kind, cost = "word", LETTER
        elif character == " ":
            kind, cost = "word", BLANK
        elif character.isdecimal():
            kind, cost = "digits", DIGIT
        else:
            kind, cost = "mark", TAB if character == "\t" else MARK
        bits += cost + (CHANGE if last and kind != last else 0.0)
        last = kind
    return bits
