"""Chains of several sources in turn, so that none keeps the others from being tried."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import suppress

from wetcomb.core.errors import WetCombError
from wetcomb.drafts.pricing.chain import Chain

__all__ = ["take_in_turn"]


def take_in_turn(sources: Iterable[Iterator[Chain]]) -> Iterator[Chain]:
    """Yield one chain of each source after another; a source whose options contradict each other ends."""
    waiting = list(sources)
    while waiting:
        for source in list(waiting):
            chain = None
            with suppress(WetCombError):
                chain = next(source, None)
            if chain is None:
                waiting.remove(source)
            else:
                yield chain
