"""What a whole text costs to write down, given a chain of steps: the price of the chain.

The steps are run as a comb would run them. What they keep is priced column by column; of what
they drop or leave outside, and of how the records lie in the lines, whatever the chain does not
explain costs what it takes to say it. So a table, a form, a list of cells, an outline and plain text
are compared by one number. It is wrong where two readings say the same in as many bits.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

import msgspec

from wetcomb.combs.memory import make_text
from wetcomb.core.batch import Batch
from wetcomb.core.errors import InputError
from wetcomb.core.ledger import Charge
from wetcomb.core.text import Text
from wetcomb.drafts.pricing.chain import Chain
from wetcomb.drafts.pricing.columns import ColumnPrices
from wetcomb.drafts.pricing.made import KIND, Made
from wetcomb.drafts.pricing.tokens import Tokens
from wetcomb.steps.registry import begin
from wetcomb.steps.step import Step
from wetcomb.steps.wash.options import Wash

__all__ = ["Chain", "Priced", "PricedText"]


class Priced(msgspec.Struct, frozen=True, eq=False):
    """A chain with its price by what it is paid for, and what it makes."""

    chain: Chain
    bits: dict[str, float]
    batch: Batch

    @property
    def price(self) -> float:
        """The bits of all of it."""
        return sum(self.bits.values())


class PricedText:
    """A text under which chains are priced.

    Attributes
    ----------
    lines : without their ends
    said : the same, with what cannot be seen taken off and wrong decoding mended: what their words are
    plain : bits of the text as it stands
    """

    def __init__(self, raw: bytes, first_line: int = 1) -> None:
        self.raw, self.first_line = raw, first_line
        self._ends = _find_line_ends(raw)
        self.lines = [line.strip("\r\n\f") for line in self._cut(raw)]
        self.said = _wash(self.lines, raw)
        self._tokens = Tokens(self.said)
        self._columns = ColumnPrices(self._tokens)
        self._begun: dict[tuple[Step, int, int], Batch] = {}  # what the same wash leaves each time
        self.plain = sum(map(self._tokens.price, self.said)) + KIND

    def _cut(self, raw: bytes) -> list[str]:
        starts = [0, *self._ends[:-1]]
        return [raw[a:b].decode() for a, b in zip(starts, self._ends, strict=True)]

    def take(self, first: int, last: int) -> bytes:
        """Return some of its lines."""
        ends = [0, *self._ends]
        return self.raw[ends[first] : ends[last]]

    def price(self, chain: Chain) -> Priced:
        """Return a chain priced.

        Raises
        ------
        WetCombError : the chain cannot run over this text, or nothing comes out
        """
        stages, batch = self._run(chain)
        assert batch.table is not None
        if not batch.table.names:
            raise InputError("no column comes out")
        made = Made((self.lines, self.said), self.first_line, chain, stages, batch, batch.table)
        return Priced(chain, made.price(self._tokens, self._columns), batch)

    def _run(self, chain: Chain) -> tuple[list[tuple[Text, Sequence[Charge]]], Batch]:
        """Return the texts that steps work on with what they drop of them, and the last batch."""
        stages: list[tuple[Text, Sequence[Charge]]] = []
        batch: Batch | None = None
        for place, step in enumerate(chain.steps):
            key = (step, chain.first, chain.last)
            if place == 0 and key in self._begun:
                batch = self._begun[key]
                continue
            if batch is None:
                batch = Batch(
                    Text.of(self.take(chain.first, chain.last), self.first_line + chain.first)
                )
            if batch.result is not None:
                stages.append((batch.text, batch.charges))
                batch = Batch(batch.result)
            (batch,) = begin(step).feed(batch, is_last=True)
            batch = batch.sign(step.name)
            if place == 0 and isinstance(step, Wash):
                self._begun[key] = batch
        assert batch is not None
        return [*stages, (batch.text, batch.charges)], batch


def _wash(lines: Sequence[str], raw: bytes) -> list[str]:
    """Return lines as a wash leaves them; as they are where it takes some off."""
    if raw.isascii():
        return list(lines)
    washed = make_text([Wash()], raw)
    starts = [0, *_find_line_ends(washed)[:-1]]
    found = [
        washed[a:b].decode().strip("\r\n\f")
        for a, b in zip(starts, _find_line_ends(washed), strict=True)
    ]
    return found if len(found) == len(lines) else list(lines)


def _find_line_ends(raw: bytes) -> list[int]:
    ends = [match.end() for match in re.finditer(rb"\r\n|\n|\r", raw)]
    return ends if ends and ends[-1] == len(raw) else [*ends, len(raw)]
