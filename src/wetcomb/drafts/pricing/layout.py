"""What blanks and marks between the cells of a table cost, wherever steps have put their lines together."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence

import msgspec

from wetcomb.core.arrays import Ints
from wetcomb.drafts.pricing.terms import measure_width, price_cut, price_padding

__all__ = ["Pieces", "price_layout"]

_BESIDE = 4  # records on a line whose cells stand in columns of their own
_CHOICE = 4  # different values of a short list
_NO_QUOTES = str.maketrans("", "", "\"'")  # they are priced by themselves


class Pieces(msgspec.Struct):
    """Where the cells of a table stand in the text: one piece a line, in the order of the text."""

    rows: Ints
    columns: Ints
    starts: Ints
    ends: Ints
    lines: Ints  # from 0, of the whole text
    lasts: Ints


def _is_choice(values: Sequence[str]) -> bool:
    """Return whether each value is one of a few: a cut beside it goes through no name."""
    return len(set(values)) <= min(_CHOICE, len(values) / 3)


def price_layout(pieces: Pieces, lines: Sequence[str], raw: bytes) -> float:
    """Return the bits of what stands between cells, column by column, as they are least dear.

    Parameters
    ----------
    pieces : the cells, with the lines that they begin and end on
    lines : of the source, in which the cells are looked for
    raw : the text that the cells are spans of
    """
    gaps: defaultdict[tuple[int, int], list[str]] = defaultdict(list)
    places: defaultdict[tuple[int, int], list[tuple[int, int]]] = defaultdict(list)
    between: defaultdict[int, float] = defaultdict(float)  # cuts of a column at single blanks
    values: defaultdict[int, list[str]] = defaultdict(list)
    bits, before, last_line, n_commas = 0.0, 0, -1, 0
    goes_on, tail = -1, ""  # the line on which a value ends that began above, and its last word
    beside: dict[int, int] = {}  # records on the line, in order
    for row, column, start, end, line, last in zip(
        pieces.rows.tolist(), pieces.columns.tolist(), pieces.starts.tolist(),
        pieces.ends.tolist(), pieces.lines.tolist(), pieces.lasts.tolist(), strict=True,
    ):  # fmt: skip
        value = raw[start:end].decode(errors="replace")
        is_new, here = line != last_line, lines[line]
        if is_new:
            before, last_line, beside, n_commas = 0, line, {}, 0
            if goes_on == line:
                before = max(0, here.find(tail)) + len(tail)
        head, goes_on = value, last
        if last > line:  # steps may have put its lines together
            head, tail = value.split()[0], value.split()[-1]
        at = max(before, here.find(head, before))
        gap = here[before:at].translate(_NO_QUOTES)
        if before:
            cut = price_cut(here[before - 1 : before], gap, head[:5])
            n_commas = n_commas + 1 if cut and gap == "," else 0
            # two in a row part figures, and stand in none; what was paid for the first comes back
            if gap == " ":
                between[column] += cut
            else:
                bits += cut if n_commas < 2 else -cut if n_commas == 2 else 0.0
        key = column, beside.setdefault(row, len(beside))
        gaps[key].append(gap)
        values[column].append(value)
        begin = measure_width(here[:at])
        places[key].append((begin, begin + measure_width(head)))
        before = at + len(head)
    if any(nth > _BESIDE for _, nth in gaps):  # they run on, and have no columns of their own
        for key in [key for key in gaps if key[1]]:
            gaps[key[0], 0] += gaps.pop(key)
            places[key[0], 0] += places.pop(key)
    listed = {column for column in values if _is_choice(values[column])}
    bits += sum(cut for k, cut in between.items() if k not in listed and k - 1 not in listed)
    return bits + sum(price_padding(places[key], gaps[key]) for key in gaps)
