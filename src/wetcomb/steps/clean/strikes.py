"""How often signs that were to go struck: at a value's edge, or inside, where it is worth a look."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import msgspec

from wetcomb.steps.clean.edits import Cut

__all__ = ["Strikes", "Watched"]

_SHOWN, _EXCERPT = 3, 30  # values with a sign inside that are shown, and characters of each


class _Strike(msgspec.Struct):
    """What was struck by one option: values at an edge, values inside, the first of these."""

    at_edge: int = 0
    inside: int = 0
    values: list[str] = msgspec.field(default_factory=list)


class Watched:
    """An edit that takes signs away, and what it struck."""

    def __init__(self, edit: Callable[[bytes], Cut | None], strike: _Strike) -> None:
        self._edit, self._strike = edit, strike

    def __call__(self, value: bytes) -> Cut | None:
        return self._edit(value)

    def count(self, hits: Sequence[tuple[bytes, object, int]]) -> None:
        """Count the values that were struck."""
        for value, cut, number in hits:
            assert isinstance(cut, Cut)
            is_inside = any(begin > 0 and end < len(value) for begin, end, _ in cut.gone)
            self._strike.inside += number * is_inside
            self._strike.at_edge += number * (not is_inside)
            if is_inside and len(self._strike.values) < _SHOWN:
                self._strike.values.append(value.decode()[:_EXCERPT])


class Strikes:
    """What all such options struck, over all pieces of a table."""

    def __init__(self) -> None:
        self._found: dict[tuple[str, str, str], _Strike] = {}

    def watch(
        self, flag: str, name: str, signs: str, edit: Callable[[bytes], Cut | None]
    ) -> Watched:
        """Return an edit whose strikes are counted."""
        return Watched(edit, self._found.setdefault((flag, name, signs), _Strike()))

    def give_counts(self) -> dict[tuple[str, str, str], _Strike]:
        """Return what was struck so far, and begin to count anew."""
        found, self._found = self._found, {}
        return found

    def add_counts(self, found: dict[tuple[str, str, str], _Strike]) -> None:
        """Add what was struck behind what was so far."""
        for key, behind in found.items():
            strike = self._found.setdefault(key, _Strike())
            strike.at_edge += behind.at_edge
            strike.inside += behind.inside
            strike.values += behind.values[: _SHOWN - len(strike.values)]

    def tell(self) -> Iterator[str]:
        """Yield how often each option struck, and the first values it struck inside."""
        for (flag, name, signs), strike in self._found.items():
            said = f"{flag} {name}={signs}: at the edge of {strike.at_edge:,}"
            said += f", inside {strike.inside:,}"
            if strike.values:
                said += f" ({', '.join(map(repr, strike.values))})"
            yield said
