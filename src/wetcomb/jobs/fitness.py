"""A text's beginning held against a comb before anything is run: whether it fits, and what speaks against it.

The beginning is cut once for both.
"""

from __future__ import annotations

from contextlib import suppress

from wetcomb.combs.check import find_misfit
from wetcomb.combs.comb import Comb
from wetcomb.combs.memory import make_batch
from wetcomb.core.batch import Batch
from wetcomb.core.decoded import Sample
from wetcomb.core.doubts import Doubt
from wetcomb.core.errors import WetCombError
from wetcomb.core.text import Text

__all__ = ["Beginning"]


class Beginning:
    """The beginning of the part of a text that a comb is for."""

    def __init__(self, comb: Comb, sample: Sample) -> None:
        self._comb, self._sample = comb, sample
        self._batch: Batch | None = None
        with suppress(WetCombError):  # it is told where all of the text is combed
            if any(step.name == "split" for step in comb.steps):
                self._batch = make_batch(comb.steps, Text.of(sample.data, sample.first_line))

    def find_misfit(self) -> str:
        """Return in one line why the text does not fit the comb, nothing if it does."""
        return find_misfit(self._comb, self._sample.data, self._batch)

    def find_doubts(self) -> tuple[Doubt, ...]:
        """Return what its values say against the comb's table."""
        from wetcomb.drafts.doubts.stated import find_stated_doubts

        sample = self._sample
        return find_stated_doubts(self._comb.steps, sample.data, sample.first_line, self._batch)
