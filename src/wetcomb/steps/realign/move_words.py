"""Readings in words: what was done with a record, why, and what came next."""

from __future__ import annotations

from collections.abc import Sequence

from wetcomb.core.arrays import Bytes
from wetcomb.core.moves import Move
from wetcomb.core.table import Table
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.realign.found import BestReadings
from wetcomb.steps.realign.laid_pieces import LaidPieces
from wetcomb.steps.realign.profiles import Column, Profile
from wetcomb.steps.realign.readings import IMPOSSIBLE, MOST_PIECES, MOST_TAKEN

__all__ = ["MoveWords"]

_EXCERPT = 30  # characters of a value that are quoted


class MoveWords:
    """Tells the records of one table that were read, one by one."""

    def __init__(
        self, table: Table, laid: LaidPieces, found: BestReadings, states: Bytes, profile: Profile
    ) -> None:
        self._table, self._laid, self._found = table, laid, found
        self._states, self._profile = states, profile

    def tell(self, place: int) -> Move:
        """Return one record, before and after, with the reason."""
        table, row = self._table, int(self._laid.rows[place])
        before = self._laid.texts(table, place)
        firsts, lasts = table.line_numbers(self._laid.rows[place : place + 1])
        after = [table.value(row, column) for column in range(len(table.names))]
        is_taken = bool(self._found.is_taken[place])
        reason = self._tell_taken(place, before) if is_taken else self._tell_doubt(place, before)
        states = tuple(self._states[place].tolist())
        return Move(int(firsts[0]), int(lasts[0]), before, tuple(after), states, reason)

    def _tell_taken(self, place: int, before: tuple[str, ...]) -> str:
        found = self._found
        said = "; ".join(self._tell_reading(before, found.takes[place].tolist(), place))
        distance = int(found.next_costs[place] - found.costs[place])
        if found.next_costs[place] >= IMPOSSIBLE:
            return f"{said}; there is no other way"
        return f"{said}; next best costs {distance} more"

    def _tell_doubt(self, place: int, before: tuple[str, ...]) -> str:
        found = self._found
        if len(before) > MOST_PIECES:
            return f"it has {len(before)} pieces; records of more than {MOST_PIECES} are not read"
        if found.costs[place] >= IMPOSSIBLE:
            few = f"; a column takes {MOST_TAKEN} at most" if len(before) > MOST_TAKEN else ""
            return f"{len(before)} pieces cannot be laid under {len(self._profile.columns)} columns{few}"
        best = self._tell_short(found.takes[place].tolist())
        other = self._tell_short(found.next_takes[place].tolist())
        distance = int(found.next_costs[place] - found.costs[place])
        if distance >= self._profile.options.margin:
            odd = self._tell_odd(place)
            return f"{best} is the best reading, but {odd}"
        if not distance:
            return f"two readings cost the same: {best}, or {other}"
        return f"two readings are close: {best}, or {other} (costs {distance} more)"

    def _tell_reading(self, before: tuple[str, ...], takes: list[int], place: int) -> list[str]:
        """Return what is out of the ordinary in a reading, a phrase for each column or run of blank ones."""
        said, at = [], int(self._found.skipped[place])
        blank: list[Column] = []
        for column, taken in [*zip(self._profile.columns, takes, strict=True), (None, 1)]:
            if not taken and column is not None:
                blank.append(column)
                continue
            if blank:
                said.append(_tell_blank(blank, before[at] if at < len(before) else ""))
                blank = []
            if taken > 1 and column is not None:
                said.append(
                    f"{column.name} takes {' + '.join(map(_quote, before[at : at + taken]))}"
                )
            at += taken
        return said or ["every piece in its place"]

    def _tell_short(self, takes: list[int]) -> str:
        """Return a reading in a few words."""
        columns = self._profile.columns
        blank = [c.name for c, taken in zip(columns, takes, strict=True) if not taken]
        merged = [c.name for c, taken in zip(columns, takes, strict=True) if taken > 1]
        said = [f"{' and '.join(blank)} blank"] if blank else []
        said += [f"{' and '.join(merged)} of several pieces"] if merged else []
        return ", ".join(said) or "every piece as it was cut"

    def _tell_odd(self, place: int) -> str:
        """Return which value does not fit its column in the best reading."""
        spans = zip(
            self._found.starts[place].tolist(), self._found.ends[place].tolist(), strict=True
        )
        for column, (start, end) in zip(self._profile.columns, spans, strict=True):
            value = self._table.text.value(start, end) if end > start else ""
            if value and _is_foreign(column, value):
                return f"{_quote(value)} is no {column.name}"
        if self._found.is_known[place]:
            return "these columns are not optional"
        return "it has nothing that only a record of this table has, or a value out of its order"


def _tell_blank(columns: Sequence[Column], value: str) -> str:
    """Return that columns are blank, and why the next value is none of theirs where that can be seen."""
    said = f"{' and '.join(column.name for column in columns)} left blank"
    foreign = [column.name for column in columns if value and _is_foreign(column, value)]
    if not foreign:
        return said
    if len(foreign) == len(columns) == 2:
        return f"{said}: {_quote(value)} is neither"
    return f"{said}: {_quote(value)} is no {' and no '.join(foreign)}"


def _is_foreign(column: Column, value: str) -> bool:
    if column.listed is not None and value not in column.listed.values:
        return True
    pattern = column.test.pattern
    return bool(pattern) and not compile_pattern(pattern).covers(value.encode())


def _quote(text: str) -> str:
    return repr(text if len(text) <= _EXCERPT else text[: _EXCERPT - 1] + "…")
