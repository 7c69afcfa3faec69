"""What moves have in common: which step makes the table, and a chain with a step stated anew."""

from __future__ import annotations

from msgspec.structs import replace

from wetcomb.drafts.pricing.chains import Chain
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step

__all__ = ["find_split", "restate"]


def find_split(chain: Chain) -> tuple[int, Split] | None:
    """Return the split that makes the table, and its place; None where another step does."""
    for place, step in enumerate(chain.steps):
        if isinstance(step, Split) and not step.column:
            return place, step
    return None


def restate(chain: Chain, place: int, step: Step, note: str = "") -> Chain:
    """Return a chain with another step in some place, and what that is for."""
    steps = (*chain.steps[:place], step, *chain.steps[place + 1 :])
    return replace(chain, steps=steps, notes=(*chain.notes, note) if note else chain.notes)
