"""A table as arrays of Arrow, pyarrow's: strings, exact decimals, days; spans are copied, not read one by one."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from wetcomb.core.arrays import Bytes, Ints, list_positions

__all__ = ["NotOfItsKind", "convert_strings", "make_strings"]

_MOST_DIGITS = 38  # of a decimal of 128 bits
_POINT, _MINUS, _ZERO, _NINE = 0x2E, 0x2D, 0x30, 0x39


class NotOfItsKind(ValueError):
    """A value of a converted column is none of its kind.

    Parameters
    ----------
    row : the first such, from 0
    why : in words
    """

    def __init__(self, row: int, why: str) -> None:
        super().__init__(why)
        self.row, self.why = row, why


def make_strings(data: Bytes, starts: Ints, ends: Ints) -> Any:
    """Return spans as an array of strings, those that begin before the text as null."""
    import pyarrow  # type: ignore[import-untyped,unused-ignore]

    is_there = starts >= 0
    sizes = np.where(is_there, ends - starts, 0)
    offsets = np.append(0, np.cumsum(sizes))
    if offsets[-1] > np.iinfo(np.int32).max:
        raise NotOfItsKind(0, "more text than an array holds")
    laid = data[list_positions(starts[is_there], ends[is_there])]
    mask = None if is_there.all() else pyarrow.py_buffer(np.packbits(is_there, bitorder="little"))
    buffers = [mask, pyarrow.py_buffer(offsets.astype(np.int32)), pyarrow.py_buffer(laid)]
    return pyarrow.Array.from_buffers(pyarrow.utf8(), starts.size, buffers)


def measure_numbers(strings: Any) -> tuple[int, int]:
    """Return how many digits before the point and how many behind it the numbers of some texts have at most.

    Raises
    ------
    NotOfItsKind : one is no number
    """
    data, starts, ends = _take_spans(strings)
    real = np.flatnonzero(ends > starts)
    if not real.size:
        return 1, 0
    begins, stops = starts[real], ends[real]
    places = list_positions(begins, stops)
    signs, owners = data[places], np.repeat(np.arange(real.size), stops - begins)
    points = np.flatnonzero(signs == _POINT)
    is_minus = signs == _MINUS
    good = (signs >= _ZERO) & (signs <= _NINE) | (signs == _POINT)
    good |= is_minus & (places == begins[owners])
    n_points = np.bincount(owners[points], minlength=real.size)
    bad = n_points > 1
    bad[owners[~good]] = True
    bad[owners[points[(places[points] == begins[owners[points]]) | (places[points] + 1 == stops[owners[points]])]]] = True  # fmt: skip
    if bad.any():
        raise NotOfItsKind(int(real[bad.argmax()]), "is no number")
    decimals = np.zeros(real.size, np.int64)
    decimals[owners[points]] = stops[owners[points]] - places[points] - 1
    whole = stops - begins - decimals - n_points - np.bincount(owners[is_minus], minlength=real.size)  # fmt: skip
    return int(whole.max()), int(decimals.max())


def _take_spans(strings: Any) -> tuple[Bytes, Ints, Ints]:
    """Return the text of an array of strings, and where each stands in it."""
    _, offsets, laid = strings.buffers()
    begin = strings.offset
    edges = np.frombuffer(offsets, np.int32)[begin : begin + len(strings) + 1].astype(np.int64)
    data = np.frombuffer(laid, np.uint8) if laid is not None else np.zeros(0, np.uint8)
    return data, edges[:-1], edges[1:]


def convert_strings(strings: Any, kind: str, digits: tuple[int, int]) -> Any:
    """Return an array of texts as what they were converted to; empty ones are null.

    Parameters
    ----------
    kind : "number", "date", "date-time" or "" for text
    digits : of a number, before the point and behind it

    Raises
    ------
    NotOfItsKind : one is none of its kind, or is too long
    """
    import pyarrow
    from pyarrow import compute

    if not kind:
        return strings
    filled = compute.if_else(compute.equal(strings, ""), None, strings)
    if kind == "number":
        if sum(digits) > _MOST_DIGITS:
            raise NotOfItsKind(
                0, f"numbers of {sum(digits)} digits, and {_MOST_DIGITS} are the most"
            )
        return filled.cast(pyarrow.decimal128(max(1, sum(digits)), digits[1]))
    made = pyarrow.date32() if kind == "date" else pyarrow.timestamp("s")
    try:
        return filled.cast(made)
    except pyarrow.ArrowInvalid:
        row = next(k for k, text in enumerate(filled.to_pylist()) if text and not _is(text, made))
        raise NotOfItsKind(row, "is no day" if kind == "date" else "is no day with a time") from None  # fmt: skip


def _is(text: str, kind: Any) -> bool:
    import pyarrow

    try:
        pyarrow.scalar(text).cast(kind)
    except pyarrow.ArrowInvalid:
        return False
    return True


def find_digits(columns: Sequence[Any]) -> tuple[int, int]:
    """Return the digits before and behind the point that hold all numbers of several arrays."""
    sizes = [measure_numbers(one) for one in columns] or [(1, 0)]
    return max(whole for whole, _ in sizes), max(decimals for _, decimals in sizes)
