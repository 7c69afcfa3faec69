"""lines at work: every line of a text as a record of one value without a name."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from wetcomb.core.batch import Batch, StepRun
from wetcomb.core.cutting.ragged import Ragged
from wetcomb.core.cutting.records import OddPlaces
from wetcomb.core.cutting.specials import CutRules, find_specials
from wetcomb.core.ledger import Charge
from wetcomb.core.table import lay_out
from wetcomb.steps.lines.options import Lines

__all__ = ["LineReader", "begin"]

_RULES = CutRules(marks=())


def begin(options: Lines) -> LineReader:
    """Return the step ready to run."""
    return LineReader()


class LineReader(StepRun):
    """Makes records of the lines of one text."""

    def feed(self, batch: Batch, *, is_last: bool) -> Iterator[Batch]:
        """Yield the whole lines of a chunk as a table."""
        chunk = batch.text
        specials = find_specials(chunk.data[: chunk.body_size], _RULES, is_last=is_last)
        ends, stops = specials.cut_starts, specials.cut_ends
        starts = np.append(0, stops[:-1])[: stops.size]
        offsets = np.arange(stops.size + 1)
        doubled = np.zeros(stops.size, np.bool_)
        ragged = Ragged(starts, ends, starts, ends, doubled, offsets, stops)
        snags = OddPlaces(chunk.odd_places, chunk.odd_kinds).find_snags(ragged)
        used = int(stops[-1]) if stops.size else 0
        yield Batch(
            chunk,
            used,
            stops.size,
            lay_out(chunk, ragged, ("",), snags),
            charges=[Charge("line-end", ends, stops)],
        )
