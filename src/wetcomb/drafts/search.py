"""The search for the cheapest chain: proposals priced, the best grown move by move.

Bounded by a number of trials, never by the clock: the same text gives the same comb everywhere.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from itertools import islice
from typing import Any

import msgspec
from msgspec.structs import replace

from wetcomb.combs.memory import make_text
from wetcomb.core.errors import WetCombError
from wetcomb.drafts.furniture import find_furniture
from wetcomb.drafts.moves.every import MOVES
from wetcomb.drafts.moves.restating import find_split
from wetcomb.drafts.pricing.chains import Chain, Priced, PricedText
from wetcomb.drafts.proposals import (
    displayed,
    listed,
    mails,
    marked,
    numbered,
    outlined,
    patterned,
    running,
    templated,
)  # fmt: skip
from wetcomb.drafts.proposals.body import Body, make_body
from wetcomb.drafts.proposals.surroundings import find_recurring, find_reply_mark
from wetcomb.drafts.telling import count_noun
from wetcomb.drafts.turns import take_in_turn
from wetcomb.steps.split.options import Split
from wetcomb.steps.wash.options import Wash

__all__ = ["Found", "Stated", "search"]

_MOST_TRIALS, _BEAM, _OTHERS, _ROUNDS = 220, 5, 2, 6
_MOST_PROPOSED, _OF_EACH = (
    90,
    60,
)  # from one way to see a text, and from each where there are several
#: Every kind of proposal there is.
PROPOSALS = (
    marked.propose,
    displayed.propose,
    listed.propose,
    outlined.propose,
    running.propose,
    patterned.propose,
    templated.propose,
    mails.propose,
    numbered.propose,
)


class Stated(msgspec.Struct, frozen=True):
    """What the analyst has stated, and a chain never overrules.

    Attributes
    ----------
    given : options of `Split`
    is_part : which lines are meant
    """

    given: Mapping[str, Any] = {}
    is_part: bool = False

    def put_into(self, chain: Chain, n_lines: int) -> Chain | None:
        """Return a chain with that in it; None where it contradicts the chain."""
        if self.is_part:
            chain = replace(chain, first=0, last=n_lines)
        if not self.given:
            return chain
        found = find_split(chain)
        if found is None or sum(isinstance(step, Split) for step in chain.steps) > 1:
            return None  # what is cut once more is cut at what was not stated
        place, split = found
        stated = Split(**self.given)
        with suppress(WetCombError):
            said = replace(split, **{name: getattr(stated, name) for name in self.given})
            return replace(chain, steps=(*chain.steps[:place], said, *chain.steps[place + 1 :]))
        return None


class Found:
    """What was tried on a text.

    Attributes
    ----------
    n_trials : how many chains were run
    text : the text, priced
    """

    def __init__(self, text: PricedText, stated: Stated) -> None:
        self.text = text
        self.n_trials = 0
        self._stated = stated
        self._known: dict[object, Priced | None] = {}

    def try_chain(self, chain: Chain) -> Priced | None:
        """Return a chain priced; None if it cannot run, or too much was tried already."""
        fitted = self._stated.put_into(chain, len(self.text.lines))
        return None if fitted is None else self.try_known(fitted)

    def try_known(self, chain: Chain) -> Priced | None:
        """Return a chain priced that holds what was stated; None as above."""
        key = chain.steps, chain.first, chain.last
        if key in self._known:
            return self._known[key]
        if self.n_trials >= _MOST_TRIALS:
            return None
        self.n_trials += 1
        try:
            priced = self.text.price(chain)
        except WetCombError:
            priced = None
        table = priced.batch.table if priced is not None else None
        if table is None or not table.n_records:
            priced = None
        self._known[key] = priced
        return priced

    @property
    def ways(self) -> list[Priced]:
        """Everything that could be priced, the cheapest first."""
        return sorted(filter(None, self._known.values()), key=lambda priced: priced.price)


def search(
    raw: bytes,
    first_line: int = 1,
    known: Sequence[Chain] = (),
    *,
    is_whole: bool = True,
    stated: Stated | None = None,
) -> Found:
    """Return what was tried on a text.

    Parameters
    ----------
    known : chains that were found otherwise, to be priced too
    is_whole : it does not go on behind this
    stated : what no chain may overrule
    """
    found = Found(PricedText(raw, first_line), stated or Stated())
    for chain in known:
        found.try_known(chain)
    for chain in _list_proposals(raw):
        if is_whole or not any(step.reach == "whole" for step in chain.steps):
            found.try_chain(chain)
    for _ in range(_ROUNDS):
        if not _grow(found):
            break
    return found


def _grow(found: Found) -> bool:
    """Grow the best chains by a move each; return whether one of them has become cheaper."""
    before = _take_best(found)
    for priced in before:
        for move in MOVES:
            with suppress(WetCombError):  # options that contradict each other make no chain
                for chain in move(found.text, priced):
                    found.try_chain(chain)
    after = _take_best(found)
    return [priced.price for priced in before] != [priced.price for priced in after]


def _take_best(found: Found) -> list[Priced]:
    """Return the cheapest chains, and the cheapest that cuts otherwise than they do.

    Of chains that say the same otherwise the first is taken.
    """
    best: dict[tuple[float, int, int], Priced] = {}
    kinds: set[str] = set()
    for priced in found.ways:
        table, kind = priced.batch.table, _find_kind(priced.chain)
        assert table is not None
        key = round(priced.price, 3), table.n_records, len(table.names)
        if len(best) < _BEAM or (kind not in kinds and len(best) < _BEAM + _OTHERS):
            best.setdefault(key, priced)
            kinds.add(kind)
    return list(best.values())


def _find_kind(chain: Chain) -> str:
    """Return what a chain cuts by."""
    found = find_split(chain)
    if found is None:
        return chain.steps[-1].name
    split = found[1]
    ways = ("edges", "boundary", "per_record", "column_by_column", "outline_level")
    return next((way for way in ways if getattr(split, way)), str(split.delimiter))


def _list_proposals(raw: bytes) -> Iterator[Chain]:
    """Yield proposals of all kinds in turn, so that none keeps the others from being tried.

    Where lines come again page by page the text without them goes first.
    """
    bodies = list(_list_bodies(raw))
    most = _MOST_PROPOSED if len(bodies) == 1 else _OF_EACH
    for body in reversed(bodies):
        yield from islice(take_in_turn(propose(body) for propose in PROPOSALS), most)


def _list_bodies(raw: bytes) -> Iterator[Body]:
    """Yield ways to see the text: washed where that does something, and without what recurs on pages."""
    plain = make_body(raw, ())
    washed = make_body(raw, (Wash(),))
    base = plain if list(plain.lines) == list(washed.lines) else washed
    quoting = find_reply_mark(plain.lines)
    if quoting:
        note = f"The {quoting} before quoted lines is taken off."
        base = make_body(raw, (Wash(reply_mark=quoting),), (note,))
    yield base
    furniture, notes = find_furniture(make_text(base.washes, raw) if base.washes else raw)
    if furniture is not None:
        yield make_body(raw, (*base.washes, furniture), (*base.notes, *notes))
    recurring = find_recurring(base.lines)
    if recurring:
        note = (
            f"Lines of {count_noun(len(recurring), 'kind')} recur on every page; they are left out."
        )
        # a wash of its own: lines are dropped as the text has them, signs and reply marks and all
        yield make_body(raw, (*base.washes, Wash(drop_lines=recurring)), (*base.notes, note))
