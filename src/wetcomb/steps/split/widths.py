"""How many fields a record has: what the options say of it, and how many are too many."""

from __future__ import annotations

import numpy as np

from wetcomb.core.cutting.specials import Specials
from wetcomb.core.errors import InputError
from wetcomb.core.text import Text
from wetcomb.steps.split.options import Split

__all__ = ["MOST_FIELDS", "check_widths", "count_fields"]

#: Fields of a record; what has more is none.
MOST_FIELDS = 1_000_000


def check_widths(chunk: Text, specials: Specials) -> None:
    """Raise for a record of so many fields that it is none: each takes many times its own room."""
    ends = specials.line_cuts
    starts = np.append(-1, ends)[: max(1, ends.size)]
    counts = np.append(ends, specials.cut_starts.size)[: starts.size] - starts
    row = int(counts.argmax())
    if counts[row] > MOST_FIELDS:
        place = np.array([specials.cut_starts[starts[row] + 1]])
        raise InputError(
            f"a record has more than {MOST_FIELDS:,} fields; does its line end at all? Another -d, or --each-a-record, where every piece is a record",
            line=int(chunk.line_numbers(place)[0]),
        )


def count_fields(options: Split) -> int | None:
    """Return the number of columns where the options alone say it."""
    if options.way == "pieces":
        return 1
    if options.per_record:
        return options.per_record
    if options.n_heading:
        return None
    if options.n_stated:
        return options.n_stated
    if options.learns_edges:
        return None
    if options.has_edges_only and not options.names:
        return (len(options.edge_columns) + 1) // options.panels
    return max(len(options.names), *(abs(n) for n in options.take_positions or (0,)))
