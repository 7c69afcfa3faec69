"""Readings once more, record by record in plain Python: slow, and easy to follow."""

from __future__ import annotations

from functools import cache
from typing import NamedTuple

from wetcomb import Realign
from wetcomb.match.patterns import compile_pattern

__all__ = ["PlainReader", "PlainReading"]

_ANYTHING = ("", "{any}", "{text}")
_NAMES = ("{word}", "{words}")


class PlainReading(NamedTuple):
    """A reading: its cost, pieces passed over, and how many each column takes."""

    cost: int
    skipped: int
    takes: tuple[int, ...]


class PlainReader:
    """Reads records of one table; `glue` is what stands between pieces in the text."""

    def __init__(self, options: Realign, names: list[str], glue: str) -> None:
        self.options, self.names, self.glue = options, names, glue
        self.lists, self.shapes = options.lists, options.shapes
        checked = {name: text for name, text in self.shapes.items() if text not in _ANYTHING}
        self.covers = {name: compile_pattern(text).covers for name, text in checked.items()}
        self.typed = [name for name in checked if checked[name] not in _NAMES]
        self.is_of, self.strays = cache(self.is_of), cache(self.strays)  # type: ignore[method-assign]

    def is_of(self, name: str, text: str) -> bool:
        """Whether a value is of its column's shape."""
        return name not in self.covers or self.covers[name](text.encode())

    def strays(self, name: str, text: str) -> bool:
        """Whether a value is more like one of another column."""
        if name in self.lists:
            return False
        others = [text in self.lists[other] for other in self.lists]
        if name not in self.covers:
            others += [self.is_of(other, text) for other in self.typed]
        return any(others)

    def weigh(self, name: str, taken: list[str]) -> int | None:
        """Return what it costs that a column takes these pieces, None if it cannot."""
        options = self.options
        optional, absorbs = name in options.optional, name in options.absorb
        is_free = name not in self.covers and name not in self.lists
        if not taken:
            return 1 if optional else 12
        if taken == [""]:
            return 0 if optional else 3
        is_common = self.shapes.get(name, "") in (*_ANYTHING, *_NAMES) and name not in self.lists
        filling = options.margin + 2 if options.prefer == "absorb" and optional and is_common else 0
        if len(taken) == 1:
            text = taken[0]
            if not self.is_of(name, text):
                return filling + 16
            if name in self.lists and text not in self.lists[name]:
                return filling + 8
            return filling + 16 * self.strays(name, text)
        if "" in taken or len(taken) > (12 if absorbs else 1 if is_free else 2):
            return None
        one = 1 + options.margin * (options.prefer == "optional")
        cost = filling + (one * (len(taken) - 1) if absorbs else 12)
        text = self.glue.join(taken)
        if self.shapes.get(name) == "{words}" or not absorbs:
            cost += 16 * any(not self.is_of(name, piece) for piece in taken)
        elif not self.is_of(name, text):
            cost += 16
        if name in self.lists and text not in self.lists[name]:
            cost += 8
        return cost + 16 * sum(self.strays(name, piece) for piece in taken)

    def read(self, pieces: list[str]) -> list[PlainReading]:
        """Return the two cheapest readings of a record, the cheapest first."""
        begins = [0]
        while begins[-1] < len(pieces) and not pieces[begins[-1]]:
            begins.append(begins[-1] + 1)
        best = {at: [PlainReading(4 * at, at, ())] for at in begins}
        for (
            name
        ) in self.names:  # the two cheapest of the first so many pieces under the columns so far
            new: dict[int, list[PlainReading]] = {}
            for at, readings in best.items():
                for number in range(min(12, len(pieces) - at) + 1):
                    cost = self.weigh(name, pieces[at : at + number])
                    if cost is not None:
                        new.setdefault(at + number, []).extend(
                            PlainReading(r.cost + cost, r.skipped, (*r.takes, number))
                            for r in readings
                        )
            best = {at: sorted(readings)[:2] for at, readings in new.items()}
        return best.get(len(pieces), [])
