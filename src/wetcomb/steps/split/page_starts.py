"""Where pages begin: at a form feed, or at a line that begins as was said."""

from __future__ import annotations

import numpy as np

from wetcomb.core.arrays import Bytes, Ints
from wetcomb.core.cutting.ragged import Ragged
from wetcomb.match.lines import find_lines
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.split.options import Split

__all__ = ["PageStarts"]

_FORM_FEED = 0x0C


class PageStarts:
    """Finds where pages begin, as the options of one `Split` say."""

    def __init__(self, options: Split) -> None:
        ignored = options.ignore_case
        self._patterns = [compile_pattern(text, ignore_case=ignored) for text in options.page_start]

    def find(self, data: Bytes, ragged: Ragged) -> Ints:
        """Return the positions of form feeds and of the lines that begin a page, rising."""
        feeds = np.flatnonzero(data == _FORM_FEED)
        if not self._patterns or not ragged.stops.size:
            return feeds
        starts, ends = ragged.record_starts, ragged.outer_ends[ragged.offsets[1:] - 1]
        begins = starts[find_lines(data, starts, ends, self._patterns, "start")]
        return np.sort(np.concatenate([feeds, begins]))
