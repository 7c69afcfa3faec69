"""The book closes exactly where every byte has one home; built values tell where they came from."""

from __future__ import annotations

from itertools import pairwise
from unittest.mock import patch

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wetcomb.core import bookkeeping
from wetcomb.core.bookkeeping import check_tiling
from wetcomb.core.errors import BrokenPromise
from wetcomb.core.rewrite import rewrite
from wetcomb.core.text import Text

SIZE = 7
spans = st.tuples(st.integers(-1, SIZE + 1), st.integers(-1, SIZE + 1))


@st.composite
def homes(draw: st.DrawFn) -> list[tuple[np.ndarray, np.ndarray]]:
    """Spans that tile the bytes, mostly, in any order, with empty ones and one wrong one among them."""
    cuts = sorted({0, SIZE, *draw(st.lists(st.integers(0, SIZE), max_size=5))})
    all_spans = list(pairwise(cuts))
    all_spans += [(place, place) for place in draw(st.lists(st.integers(-1, SIZE), max_size=3))]
    all_spans += draw(st.lists(spans, max_size=1))
    if draw(st.booleans()):
        all_spans.pop(draw(st.integers(0, len(all_spans) - 1)))
    all_spans = draw(st.permutations(all_spans))
    at = draw(st.integers(0, len(all_spans)))
    parts = [np.array(part, np.int64).reshape(-1, 2) for part in (all_spans[:at], all_spans[at:])]
    return [(part[:, 0], part[:, 1]) for part in parts]


@settings(max_examples=800, deadline=None)
@given(homes(), st.sampled_from([0, 64]))
def test_the_book_closes_where_every_byte_has_one_home(
    spans: list[tuple[np.ndarray, np.ndarray]], few: int
) -> None:
    listed = [span for home in spans for span in zip(*map(np.ndarray.tolist, home), strict=True)]
    depth = [sum(start <= byte < end for start, end in listed) for byte in range(-1, SIZE + 1)]
    is_sound = depth == [0, *[1] * SIZE, 0] and all(start <= end for start, end in listed)
    with patch.object(bookkeeping, "_FEW", few):  # a few are sorted, of many the chain is followed
        if is_sound:
            check_tiling(SIZE, spans)
            return
        with pytest.raises(BrokenPromise, match="the book does not close: byte"):
            check_tiling(SIZE, spans)


def test_what_is_put_between_lines_counts_to_the_line_behind_it() -> None:
    chunk = Text.of("ab\ncd\n\nef\n", first_line=5)
    kept, glue = (
        (np.array([0, 3, 7]), np.array([2, 5, 9])),
        (np.array([1, 2, 1]), (b"", b"+", b"--")),
    )
    result = rewrite(chunk, 10, kept, glue, []).result
    assert result is not None and result.value(0, result.body_size) == "ab+cd--ef+"
    assert result.line_numbers(np.arange(10)).tolist() == [5, 5, 6, 6, 6, 8, 8, 8, 8, 9]
    assert result.count_puts(np.array([0]), np.array([10])) == 4


pieces = st.lists(st.tuples(st.integers(0, 20), st.integers(0, 6)), min_size=1, max_size=4)


@settings(max_examples=200, deadline=None)
@given(st.lists(pieces, min_size=1, max_size=4), st.sampled_from([b"", b" ", b"--"]), st.data())
def test_a_built_value_is_traced_to_its_pieces(
    values: list[list[tuple[int, int]]], glue: bytes, data: st.DataObject
) -> None:
    """Values built of the body, and a value built of stretches of these: each byte knows its place."""
    text = Text.of("abcdefghijklmnopqrstuvwxyz")
    first = [(start, start + size) for value in values for start, size in value]
    starts, ends = np.array(first, np.int64).T
    counts = np.array([len(value) for value in values], np.int64)
    built, begins, stops = text.build(starts, ends, counts, glue)
    letters = "abcdefghijklmnopqrstuvwxyz"
    told = [glue.decode().join(letters[a : a + n] for a, n in value) for value in values]
    assert [built.value(*span) for span in zip(begins, stops, strict=True)] == told
    real = [k for k in range(len(values)) if stops[k] > begins[k]]
    if not real:
        return
    k = data.draw(st.sampled_from(real))
    low = data.draw(st.integers(begins[k], stops[k] - 1))
    high = data.draw(st.integers(low + 1, stops[k]))
    again, (start,), (end,) = built.build(np.array([low]), np.array([high]), np.array([1]))
    assert again.value(start, end) == built.value(low, high)
    for one, span in ((built, (low, high)), (again, (start, end))):
        found = one.find_origins(*(np.array([place]) for place in span))
        came = "".join(one.value(a, b) for a, b in zip(found.starts, found.ends, strict=True))
        assert came == one.value(*span).replace(" ", "").replace("-", "")
        for a, b, place in zip(found.starts, found.ends, found.places, strict=True):
            assert one.value(place, place + b - a) == one.value(a, b)
