"""What stands around the values of lines that are read one by one, as charges."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from wetcomb.core.arrays import Ints
from wetcomb.core.errors import BrokenPromise
from wetcomb.core.text import Text

__all__ = ["Span", "charge_edge", "prove_charges", "to_arrays"]

Span = tuple[int, int]


def charge_edge(chunk: Text, gone: dict[str, list[Span]], start: int, end: int) -> None:
    """Charge what stands beside a value: spacing, and form feeds by themselves."""
    place = start
    for at in range(start, end):
        if chunk.data[at] == 0x0C:
            if at > place:
                gone["spacing"].append((place, at))
            gone["page-mark"].append((at, at + 1))
            place = at + 1
    if end > place:
        gone["spacing"].append((place, end))


def prove_charges(chunk: Text, gone: dict[str, list[Span]]) -> None:
    """Raise BrokenPromise unless what is charged is what it is charged as."""
    for reason, signs in (("spacing", b" \t"), ("line-end", b"\r\n"), ("outline-mark", b".")):
        for start, end in gone.get(reason, ()):
            if chunk.data[start:end].tobytes().strip(signs):
                raise BrokenPromise(f"a cut cannot be proved: what is charged as {reason} is none")


def to_arrays(spans: Sequence[Span]) -> tuple[Ints, Ints]:
    """Return spans, in order, as arrays of starts and ends."""
    array = np.array(sorted(spans), np.int64).reshape(-1, 2)
    return array[:, 0], array[:, 1]
