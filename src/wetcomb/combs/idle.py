"""Options that did nothing in a whole text: they are told, for they were meant to."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from wetcomb.core.ledger import Ledger
from wetcomb.steps.step import Step, list_options

__all__ = ["tell_idle"]


def tell_idle(steps: Sequence[Step], ledger: Ledger) -> Iterator[str]:
    """Yield a note for each option whose work would be charged, and never was."""
    for step in steps:
        for entry in list_options(type(step)):
            reason = step.traces.get(entry.name)
            value = getattr(step, entry.name)
            if reason is None or value == entry.default or ledger.dropped[reason]:
                continue
            said = " ".join(value) if isinstance(value, tuple) else str(value)
            yield f"{entry.flag} {said}: nothing in the text matches it"
