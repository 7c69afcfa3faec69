"""Doubts about a text that is combed by options that were all stated."""

from __future__ import annotations

from collections.abc import Sequence

from wetcomb.combs.memory import make_batch
from wetcomb.core.batch import Batch
from wetcomb.core.doubts import Doubt
from wetcomb.core.text import Text
from wetcomb.drafts.doubts.find import raise_doubts
from wetcomb.drafts.doubts.seen import Drafted
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step, list_options

__all__ = ["find_stated_doubts"]


def find_stated_doubts(
    steps: Sequence[Step], sample: bytes, first_line: int = 1, batch: Batch | None = None
) -> tuple[Doubt, ...]:
    """Return what a text's own values say against a table; nothing that was stated is in doubt.

    Parameters
    ----------
    steps : with nothing left open
    sample : whole lines from the beginning of the part they are for
    first_line : number of its first line in the source
    batch : what the steps make of the sample, where that is known
    """
    split = next((step for step in steps if isinstance(step, Split)), None)
    if split is None or split.column:
        return ()
    given = {entry.name: getattr(split, entry.name) for entry in list_options(Split)}
    batch = batch or make_batch(steps, Text.of(sample, first_line))
    if batch.table is None:
        return ()
    seen = Drafted(given, sample, (), (), 1, steps, split, None, batch)
    return tuple(raised.doubt for raised in raise_doubts(seen))
