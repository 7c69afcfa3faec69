"""What a column costs to write down, under the best of some models.

Its values may be constant, named from a list, equal to the one above, or told one by one: a rigid
value (a date, a number, a code, a few words) by its outline and what stands in each slot of it,
which may be one of a list, any, or rising by small steps; all else as text, of which the beginning
up to a mark of paths may be one of a list.
"""

from __future__ import annotations

import itertools
import math
import re
from collections import Counter, defaultdict
from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

from wetcomb.drafts.lacking import LACKING_MARKS
from wetcomb.drafts.pricing.tokens import TOKEN, Tokens, count_bits, find_kind, flag_bits, list_bits

__all__ = ["COLUMN", "ColumnPrices", "find_rigid"]

COLUMN = 7.0
_CONSTANT = 12.0
_END = 2.0  # of a value that is told as text
_EMPTY = 20.0
_UNITS = 14.0  # several words behind figures: rather another column than their units
_MARKS = 4.0  # of a value of nothing but marks: more likely a piece of a delimiter
_BLANKS = " \u00a0\u2009\u202f\u2007"

_SPACE = f"[{_BLANKS}]"
_NUMBER = re.compile(
    rf"[<>~≈(\-+−–]{{0,2}} ?(?:[A-Z]{{0,2}}[£$€¥₽]|[A-Z]{{3}}{_SPACE})?{_SPACE}?[-−]?"
    rf"(?:\d{{1,3}}(?:[ .,'’\u2009\u202f\u00a0]\d{{3}})+(?:[.,]\d+)?|\d+(?:[.,]\d+)?)"
    rf"(?:{_SPACE}?(?:[€£$¥₽%‰°²³]|[^\W\d_]{{1,4}}[²³]?(?:/[^\W\d_]{{1,3}})?))?\)?-?"
)
_WORD = r"[^\W\d_]+(?:['’.-][^\W\d_]+)*"
_CLOCK = r"\d{1,2}[:.]\d\d(?:[:.]\d\d(?:[.,]\d{1,9})?)?(?: ?[AaPp]\.?[Mm]\.?)?"
_ZONE = r"(?:Z|,? ?[+-]\d\d:?\d\d|,? [A-Z]{2,4})?"
_NAMED = r"[^\W\d_]{2,12}\.?,? "  # a day of the week, a month
#: Rigid values by their shape, the first that fits.
_SHAPES = (
    ("date", re.compile(
        r"\d{1,4}[./-]\d{1,2}[./-]\d{2,4}|\d{1,2}\.? ?(?:de )?[^\W\d_]{3,12}\.?,? ?(?:de )?\d{2,4}"
        r"|\d{1,2}-[^\W\d_]{3}-\d{2,4}|[^\W\d_]{3,12}\.? \d{1,2}[,;] \d{4}|\d{4}[年.-]\d{1,2}[月.-]\d{1,2}日?"
    )),
    ("time", re.compile(r"\d{1,2}[:.h]\d\d(?::\d\d(?:[.,]\d{1,9})?)?")),
    ("datetime", re.compile(
        rf"(?:{_NAMED})?(?:\d{{4}}[-./]\d{{1,2}}[-./]\d{{1,2}}|\d{{1,2}}[-./]\d{{1,2}}[-./]\d{{2,4}}|\d{{1,2}}\.?[ -][^\W\d_]{{3,12}}\.?,?[ -]\d{{2,4}})(?:,? |T){_CLOCK}{_ZONE}"
        rf"|(?:{_NAMED}){{1,2}} ?\d{{1,2}},? (?:\d{{4}},? )?{_CLOCK}{_ZONE}(?: \d{{4}}{_ZONE})?"
    )),
    ("number", _NUMBER),
    ("code", re.compile(r"(?=.*\d)(?:[A-Z0-9]{1,6}|[^\W\d_]{1,3}\d{1,6})(?:[-./_ ]?[A-Z0-9]{1,6}){0,3}")),
    ("mail", re.compile(r"[\w.+-]+@[\w.-]+\.\w+")),
    ("phone", re.compile(r"[+(]?\d[\d ()/-]{5,}\d")),
    ("words", re.compile(rf"(?:\d{{1,6}} )?{_WORD}(?:,?{_SPACE}{_WORD}){{0,4}}")),
)  # fmt: skip
_PATH = re.compile(r"\S*(?:::|[/\\@])")  # up to the last mark of a path
_HEX = re.compile(r"(?=.*\d)(?=.*[a-f])[0-9a-f]{6,12}")


class Rigid(NamedTuple):
    """A value of one outline: its shape, the outline, and what stands in each slot with its kind."""

    shape: str
    outline: str
    slots: tuple[tuple[str, str], ...]


@lru_cache(1 << 17)
def find_rigid(value: str) -> Rigid | None:
    """Return a value as its outline and slots; None for free text."""
    for shape, regex in _SHAPES:
        if regex.fullmatch(value):
            outline, slots = [], []
            for token in TOKEN.findall(value):
                kind = find_kind(token)
                if kind in "dw":
                    outline.append(kind)
                    slots.append((kind, token))
                else:
                    outline.append(token)
            return Rigid(shape, "".join(outline), tuple(slots))
    if _HEX.fullmatch(value):
        return Rigid("hex", f"h{len(value)}", (("h", value),))
    return None


class ColumnPrices:
    """Prices of columns over one source, each kept."""

    def __init__(self, tokens: Tokens) -> None:
        self._tokens = tokens
        self._known: dict[tuple[str, ...], float] = {}

    def price(self, values: Sequence[str]) -> float:
        """Return the bits of a column; an empty value is a missing one."""
        key = tuple(values)
        found = self._known.get(key)
        if found is None:
            found = self._known[key] = COLUMN + self._price(key)
        return found

    def _price(self, values: Sequence[str]) -> float:
        full = [value for value in values if value]
        bits = flag_bits(len(full), len(values) - len(full)) if len(full) < len(values) else 0.5
        if not full:
            return bits + _EMPTY + len(values)
        counts = Counter(full)
        share = self._tokens.share
        best = self._price_each(full)
        if len(counts) < len(full):
            listed = count_bits(counts.values()) + self._price_each(list(counts))
            listed += sum((n - 1) * share(value) for value, n in counts.items() if n > 1)
            best = min(best, listed)
            same = [place > 0 and full[place - 1] == value for place, value in enumerate(full)]
            if sum(same) > 1:
                changes = [value for value, is_same in zip(full, same, strict=True) if not is_same]
                above = flag_bits(sum(same), len(full) - sum(same)) + self._price_each(changes)
                above += sum(share(v) for v, is_same in zip(full, same, strict=True) if is_same)
                best = min(best, above)
        if len(counts) == 1 and len(full) > 2:
            best += _CONSTANT
        bare = (value for value in full if not any(map(str.isalnum, value)))
        best += sum(0.5 if value in LACKING_MARKS else _MARKS for value in bare)
        return bits + best + 2

    def _price_each(self, values: Sequence[str]) -> float:
        """Return the bits of values told one by one, those of one outline slot by slot."""
        groups: defaultdict[tuple[str, str] | None, list[tuple[str, Rigid | None]]] = defaultdict(
            list
        )
        for value in values:
            rigid = find_rigid(value)
            groups[rigid[:2] if rigid else None].append((value, rigid))
        free: list[str] = []
        bits, counts, shapes = 0.0, list[int](), set[str]()
        for key, items in groups.items():
            rigids = [rigid for _, rigid in items if rigid is not None]
            plain = sum(self._tokens.price_inside(value) + _END for value, _ in items)
            slots = 4 + 2.0 * len(key[1]) if key is not None and len(items) > 1 else math.inf
            for place, (kind, _) in enumerate(rigids[0].slots if slots < plain else ()):
                slots += self._price_slot(kind, [rigid.slots[place][1] for rigid in rigids])
            if key is None or slots >= plain:
                free += [value for value, _ in items]
                continue
            bits += slots + (len(items) if key[0] == "words" and key[1][0] == "d" else 0)
            is_number = key[0] == "number" and key[1].endswith(" w")
            if is_number and len({rigid.slots[-1] for rigid in rigids}) > 1:
                bits += _UNITS
            counts.append(len(items))
            shapes.add(key[0])
        if free:
            bits += 3 + min(self._price_free(free), self._price_paths(free))
            bits += list_bits([find_kind(value) for value in free], 0.5)
            counts.append(len(free))
            shapes.add("")
        return bits + count_bits(counts, 0.5) + 3 * (len(shapes) - 1)

    def _price_free(self, values: Sequence[str]) -> float:
        return sum(self._tokens.price_inside(value) + _END for value in values)

    def _price_paths(self, values: Sequence[str]) -> float:
        """Return the bits of values whose beginning up to the last mark of paths is one of a list."""
        heads = [value[: place.end()] if (place := _PATH.match(value)) else "" for value in values]
        if len(set(heads)) == len(heads):
            return math.inf
        counts = Counter(heads)
        bits = 4 + count_bits(counts.values()) + self._price_free(list(counts))
        bits += sum((n - 1) * self._tokens.share(head) for head, n in counts.items())
        tails = [value[len(head) :] for value, head in zip(values, heads, strict=True)]
        return bits + self._price_free(tails)

    def _price_slot(self, kind: str, values: Sequence[str]) -> float:
        """Return the bits of what stands in one slot of values of one outline."""
        if kind == "h":
            return 4.0 * sum(map(len, values))
        if kind == "w":
            counts = Counter(values)
            tokens = self._tokens
            bits = count_bits(counts.values())
            return bits + sum(
                tokens.price_token(t) + (n - 1) * tokens.share(t) for t, n in counts.items()
            )
        lengths = list_bits([len(value) for value in values], each=3.0)
        free = lengths + 3.32 * sum(map(len, values))
        listed = count_bits(Counter(values).values()) + sum(1 + 3.32 * len(v) for v in set(values))
        return min(free, listed, _price_steps(values))


def _price_steps(values: Sequence[str]) -> float:
    """Return the bits of figures told by their steps, each longer than the usual one dearer."""
    if len(values) < 3 or max(map(len, values)) > 12:
        return math.inf
    if (
        any(value[0] == "0" and len(value) > 1 for value in values)
        and len(set(map(len, values))) > 1
    ):
        return math.inf  # zeros in front that the numbers do not tell
    numbers = [int(value) for value in values]
    steps = [after - before for before, after in itertools.pairwise(numbers)]
    n_down = sum(step < 0 for step in steps)
    usual = sorted(map(abs, steps))[len(steps) // 2] + 1
    bits = 3.32 * len(values[0]) + 7 + flag_bits(n_down, len(steps) - n_down)
    for step in map(abs, steps):
        if step < 12 * usual:
            bits += math.log2(usual) + 1 + step / usual
        else:
            bits += math.log2(usual) + 14 + 2 * math.log2(step / usual + 1)
    return bits
