"""Whether records lost or gained pieces, and what the columns hold that tells where.

It is learnt from the records with the right number of pieces (`holdings`). The others are then
read by that alone, no column being optional: columns that are left blank in readings that are
certain are optional, those that take several pieces absorb. A holding that more than a few
records with the right number contradict is believed only if most of these are mended by it:
they lost one piece and gained another. What is not needed to read as many records is left out
again, so that a comb says only what matters.

No step of the search may make wrong moves more: each is tried on records that fit, of which cells
were taken away on purpose (`losses`), so that what is right is known.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from functools import cache
from typing import Any

import numpy as np
from msgspec.structs import replace

from wetcomb.combs.memory import make_table
from wetcomb.core.arrays import Ints, is_among, leave_out, sort_unique
from wetcomb.core.batch import Batch
from wetcomb.core.errors import InputError
from wetcomb.core.moves import BLANK, MERGED, Moves
from wetcomb.core.snags import SNAG_CODES
from wetcomb.core.table import Table, take_records
from wetcomb.drafts.holdings import Holding, is_rising, list_holdings
from wetcomb.drafts.losses import TrialOutcome, take_away
from wetcomb.steps.realign.options import Realign
from wetcomb.steps.realign.rereading import Rereader
from wetcomb.steps.registry import begin
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step

__all__ = ["find_realign", "part_records", "run_realign"]

_LINES = 2000  # of the sample; more would only take time
_FEWEST = 6  # records that agree, from which anything is learnt
_SHARE_READ = 0.2  # of the records that do not fit, below which moving cells is not the cure
_OFTEN, _TWICE = 0.05, 2  # of the records read, from which a column counts as optional or absorbing
_TRIED = 300  # of the records that do not fit or contradict a holding; more would only take time
_FEW, _FEW_RECORDS = 0.02, 4  # that may contradict a holding without being mended: they are odd
_MENDED = 0.5  # of more than these, from which it is believed all the same
_KINDS = 2  # of values that contradict a shape, up to which they are words for what is missing


def find_realign(
    text: bytes, before: Sequence[Step], split: Split
) -> tuple[Realign | None, list[str]]:
    """Return the step that puts shifted cells back, if it reads enough of what does not fit.

    Parameters
    ----------
    text : the sample, as the source has it
    before, split : the steps that make the table of it
    """
    if split.has_edges_only or split.take or split.way != "lines":
        return None, []  # the records have as many fields as these say, or are no lines
    table = _make_table(text, before, split)
    if table is None or len(set(table.names)) < len(table.names):
        return None, []
    firm, odd = part_records(table)
    if not odd.size or firm.size < _FEWEST:
        return None, []
    sought = _Sought(
        table, firm, odd, may_take_rest=not split.blanks and "\t" not in split.literals
    )
    step = sought.find()
    if step is None:
        return None, []
    return step, sought.tell(step)


def _make_table(text: bytes, before: Sequence[Step], split: Split) -> Table | None:
    lines = text.splitlines(keepends=True)
    for sample in (b"".join(lines[:_LINES]), text):
        try:
            table = make_table((*before, split), sample)
        except InputError:
            return None
        if len(sample) == len(text) or part_records(table)[1].size:
            return table
    return None


def part_records(table: Table) -> tuple[Ints, Ints]:
    """Return the records with the right number of pieces, and the others."""
    counts = [SNAG_CODES["short"], SNAG_CODES["long"]]
    odd = sort_unique(table.snags.records[is_among(table.snags.kinds, np.array(counts))])
    return leave_out(np.arange(table.n_records), odd), odd


class _Sought:
    """The search for what reads most of the records that do not fit."""

    def __init__(self, table: Table, firm: Ints, odd: Ints, *, may_take_rest: bool) -> None:
        self._may_take_rest = may_take_rest
        self._values = {
            name: {row: value for row in firm.tolist() if (value := table.value(row, column))}
            for column, name in enumerate(table.names)
            if "=" not in name
        }
        self._levels = {
            name: list_holdings(values) if len(values) >= _FEWEST else [Holding()]
            for name, values in self._values.items()
        }
        contradicting = [row for levels in self._levels.values() for row in levels[0].odd]
        rows = sort_unique(np.concatenate([odd, np.array(contradicting, np.int64)]))
        sound = leave_out(firm, rows)
        few = rows if rows.size <= _TRIED else rows[:: rows.size // _TRIED]
        self._rows, self._table, self._whole = few, take_records(table, few), table
        self._n_odd, self._tried = int(is_among(few, odd).sum()), set(few.tolist())
        self._on_losses = cache(take_away(table, sound).try_step)
        self._try = cache(Rereader(self._table).read)

    def find(self) -> Realign | None:
        """Return the options that read most, and no more of them than it takes."""
        known = self._believe({name: levels[0] for name, levels in self._levels.items()})
        step = self._add_usual(known)
        n_read, n_wrong = self._count(step), self._on_losses(step).n_wrong
        if n_read < max(_TWICE, _SHARE_READ * self._n_odd):
            return None
        kinds = Counter(levels[-2].shape for levels in self._levels.values() if len(levels) > 1)
        for name, levels in self._levels.items():  # what is not needed is left out
            behind = levels[levels.index(known[name]) + 1 : -1]
            is_alone = kinds[levels[-2].shape] == 1 if len(levels) > 1 else True
            for weaker in reversed([h for h in behind if is_alone or h.shape == known[name].shape]):
                other = self._add_usual(known | {name: weaker})
                number = self._count(other)
                if number >= n_read and self._on_losses(other).n_wrong <= n_wrong:
                    known[name], step, n_read = weaker, other, number
                    break
        return self._add_rising(step, n_read)

    def _believe(self, known: dict[str, Holding]) -> dict[str, Holding]:
        """Return holdings weak enough that what contradicts them is mended by them, or strayed in.

        One at a time is made weaker: the one whose weakening has most records read. A list is
        given up only if more records are read without it.
        """
        while True:
            step = self._add_usual(known)
            n_wrong = self._on_losses(step).n_wrong
            mended = set(self._rows[self._try(step).rows].tolist())
            n_read, ways = self._count(_say(known)), []
            for name, holding in known.items():
                if self._is_refuted(name, holding, mended):
                    levels = self._levels[name]
                    weaker = known | {name: levels[levels.index(holding) + 1]}
                    number = self._count(_say(weaker))
                    is_safe = self._on_losses(self._add_usual(weaker)).n_wrong <= n_wrong
                    if is_safe and (number > n_read or not holding.listed):
                        ways.append((number, weaker))
            if not ways:
                return known
            known = max(ways, key=lambda way: way[0])[1]

    def _is_refuted(self, name: str, holding: Holding, mended: set[int]) -> bool:
        """Return whether what contradicts a holding is too much to have strayed into the column.

        Words that stand for nothing come again and again; what strayed in is of many kinds.
        """
        values, odd = self._values[name], holding.odd & self._tried
        left = odd - mended
        few = _FEW * len(values)  # a value left out of a list can be a seldom one
        if len(holding.odd) <= (few if holding.listed else max(_FEW_RECORDS, few)):
            return False
        if len(left) <= (1 - _MENDED) * len(odd):
            return False
        return bool(holding.listed) or len({values[row] for row in left}) <= _KINDS

    def _add_rising(self, step: Realign, n_read: int) -> Realign:
        """Return the step with the columns whose order reads more records, if any does."""
        for name, values in self._values.items():
            if n_read < self._n_odd and len(values) >= _FEWEST and is_rising([*values.values()]):
                other = replace(step, rising=(name,))
                if _count_settled(self._whole, other) > _count_settled(self._whole, step):
                    return other
        return step

    def _count(self, step: Realign) -> int:
        return self._try(step).rows.size

    def _add_usual(self, known: Mapping[str, Holding]) -> Realign:
        return _say(known, **self._find_usual(known))

    def _find_usual(self, known: Mapping[str, Holding]) -> dict[str, tuple[str, ...]]:
        """Return the columns that are blank, and that take several pieces, in readings that are certain."""
        takes = self._try(_say(known)).takes
        least = max(_TWICE, _OFTEN * len(takes))
        usual = {}
        for flag, is_so in (("optional", takes == 0), ("absorb", takes > 1)):
            often = np.flatnonzero(is_so.sum(axis=0) >= least)
            usual[flag] = tuple(self._table.names[column] for column in often.tolist())
        last = self._table.names[-1]
        if not self._may_take_rest and not known.get(last, Holding()).shape:
            usual["absorb"] = tuple(
                name for name in usual["absorb"] if name != last
            )  # it is `rest`
        before = self._on_losses(_say(known))
        if self._on_losses(_say(known, **usual)).n_wrong <= before.n_wrong:
            return usual
        return {
            flag: tuple(
                name for name in names if self._is_safe(before, _say(known, **{flag: (name,)}))
            )
            for flag, names in usual.items()
        }

    def _is_safe(self, before: TrialOutcome, step: Realign) -> bool:
        """Return whether of what a step reads more, where truth is known, no less is right than wrong.

        What is certain without it can tell that a column may be blank; what would be read only
        with it may lack another column all the same.
        """
        now = self._on_losses(step)
        more = now.settled & ~before.settled
        return bool(2 * (more & now.right).sum() >= more.sum())

    def tell(self, step: Realign) -> list[str]:
        """Return the evidence, a line for each kind."""
        moves = run_realign(self._whole, step)
        assert moves is not None
        states, odd = moves.states[moves.settled], part_records(self._whole)[1]
        n_told = int(is_among(moves.rows[moves.settled], odd).sum())
        n_more = moves.settled.size - n_told
        more = f", and for {n_more} with the right number" if n_more else ""
        said = [
            f"{_count(odd.size, 'record')} of {self._whole.n_records} {'has' if odd.size == 1 else 'have'} too few or too many fields;"
            f" what the columns hold tells for {n_told} of them{more} where each field belongs."
        ]
        for names, state, what in (
            (step.optional, BLANK, "may be missing"),
            (step.absorb, MERGED, "may take several fields"),
        ):
            numbers = [
                int((states[:, self._table.names.index(name)] == state).sum()) for name in names
            ]
            told = [f"{name} in {number}" for name, number in zip(names, numbers, strict=True)]
            if told:
                said.append(f"{', '.join(names)} {what} ({', '.join(told)}).")
        said += [
            f"{name} holds one of {len(values)} values wherever the count is right."
            for name, values in step.lists.items()
        ]
        said += [f"{name} never falls from one record to the next." for name in step.rising]
        return said


def _count_settled(table: Table, step: Realign) -> int:
    moves = run_realign(table, step)
    return moves.settled.size if moves is not None else 0


def run_realign(table: Table, step: Realign) -> Moves | None:
    """Return what a step moves in a table that is whole."""
    (made,) = begin(step).feed(Batch(table.text, table=table), is_last=True)
    return made.moves


def _say(known: Mapping[str, Holding], **more: Any) -> Realign:
    """Return what is known of columns as a step."""
    options: dict[str, Any] = {
        "shape": tuple(f"{name}={held.shape}" for name, held in known.items() if held.shape),
        "values": tuple(
            f"{name}={','.join(value.replace(',', chr(92) + ',') for value in held.listed)}"
            for name, held in known.items()
            if held.listed
        ),
    }
    return Realign(**options, **more)


def _count(number: int, noun: str) -> str:
    return f"{number} {noun}" + "s" * (number != 1)
