"""A table as arrays of Arrow, pyarrow's: strings, exact decimals, days; spans are copied, not read one by one."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from wetcomb.core.arrays import Bytes, Ints, Spans, list_positions
from wetcomb.core.decimals import measure_decimals
from wetcomb.core.errors import UsageError

if TYPE_CHECKING:
    from wetcomb.core.table import Table

__all__ = [
    "NotOfItsKind",
    "check_digits",
    "convert_strings",
    "find_digits",
    "make_arrow",
    "make_strings",
]

_MOST_DIGITS = 38  # of a decimal of 128 bits
_MOST_BYTES = np.iinfo(np.int32).max  # that offsets of 32 bits reach


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


def make_arrow(table: Table) -> Any:
    """Return a table as one of pyarrow's; what no column could take is a last column `rest`."""
    import pyarrow

    names, arrays = [*table.names], []
    for column, kind in enumerate(table.types or [""] * len(names)):
        spans = table.starts[:, column], table.ends[:, column]
        strings = make_strings(table.text.data, *spans, is_text=not kind)
        try:
            digits = find_digits([strings]) if kind == "number" else (1, 0)
            arrays.append(convert_strings(strings, kind, digits))
        except NotOfItsKind as error:
            raise UsageError(
                f"column {names[column]!r}, record {error.row + 1:,}: {strings[error.row].as_py()!r} {error.why}, and a column of arrow is of one kind; leave the column as text"
            ) from error
    if table.has_rest:
        arrays.append(make_strings(table.text.data, table.rest_starts, table.rest_ends))
        names.append("rest")
    return pyarrow.Table.from_arrays(arrays, names=names)


def make_strings(
    data: Bytes, starts: Ints | Spans, ends: Ints | Spans, *, is_text: bool = True
) -> Any:
    """Return spans as an array of strings, those that begin before the text as null; empty ones too, if it is no text."""
    import pyarrow

    is_there = starts >= 0 if is_text else ends > np.maximum(starts, 0)
    gone = None if is_there.all() else ~is_there
    edges = np.zeros(2 * starts.size + 1, np.int64)
    edges[:-1:2], edges[1::2] = starts, ends
    if gone is not None:
        edges[:-1].reshape(-1, 2)[gone] = 0
    sizes = edges[1::2] - edges[:-1:2]
    if sizes.sum() > _MOST_BYTES:
        raise NotOfItsKind(0, "more text than an array holds")
    rising = np.maximum.accumulate(edges)
    is_in_order = (rising[:-1:2] == edges[:-1:2])[is_there].all()
    if not is_in_order or data.size > _MOST_BYTES:
        pairs = edges[:-1].reshape(-1, 2)[is_there]
        data = data.take(list_positions(pairs[:, 0], pairs[:, 1]))
        rising = np.repeat(np.append(0, np.cumsum(sizes)), 2)[1:]
    # values and what lies between them are one array, of which every second one is taken
    buffers = [None, *map(pyarrow.py_buffer, (rising.astype(np.int32), np.ascontiguousarray(data)))]
    both = pyarrow.Array.from_buffers(pyarrow.utf8(), 2 * starts.size, buffers)
    return both.take(pyarrow.array(np.arange(0, 2 * starts.size, 2, dtype=np.int32), mask=gone))


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
    found = measure_decimals(data, starts[real], ends[real])
    if not found.is_one.all():
        raise NotOfItsKind(int(real[found.is_one.argmin()]), "is no number")
    return int(found.whole.max()), int(found.decimals.max())


def _take_spans(strings: Any) -> tuple[Bytes, Ints, Ints]:
    """Return the text of an array of strings, and where each stands in it."""
    _, offsets, laid = strings.buffers()
    begin = strings.offset
    edges = np.frombuffer(offsets, np.int32)[begin : begin + len(strings) + 1].astype(np.int64)
    data = np.frombuffer(laid, np.uint8) if laid is not None else np.zeros(0, np.uint8)
    return data, edges[:-1], edges[1:]


def convert_strings(strings: Any, kind: str, digits: tuple[int, int]) -> Any:
    """Return an array of texts as what they were converted to; none is empty where it is no text.

    Parameters
    ----------
    kind : "number", "date", "date-time" or "" for text
    digits : of a number, before the point and behind it

    Raises
    ------
    NotOfItsKind : one is none of its kind, or is too long
    """
    import pyarrow

    if not kind:
        return strings
    if kind == "number":
        check_digits(digits)
        return strings.cast(pyarrow.decimal128(max(1, sum(digits)), digits[1]))
    made = pyarrow.date32() if kind == "date" else pyarrow.timestamp("s")
    try:
        return strings.cast(made)
    except pyarrow.ArrowInvalid:
        row = next(k for k, text in enumerate(strings.to_pylist()) if text and not _is(text, made))
        raise NotOfItsKind(row, "is no day" if kind == "date" else "is no day with a time") from None  # fmt: skip


def check_digits(digits: tuple[int, int]) -> None:
    """Raise NotOfItsKind where a decimal of 128 bits cannot hold so many digits before and behind the point."""
    if sum(digits) > _MOST_DIGITS:
        raise NotOfItsKind(
            0,
            f"stands in a column that takes {sum(digits)} digits, and {_MOST_DIGITS} are the most",
        )


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
