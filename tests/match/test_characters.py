"""Characters: kinds, widths and display columns, against a plain reckoning."""

from __future__ import annotations

import unicodedata

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plain_cuts import kind_of, width_of
from wetcomb.core.text import Text
from wetcomb.match.characters import (
    KIND_SIGNS,
    Columns,
    find_ascii_kinds,
    find_kinds,
    find_widths,
    read_code_points,
)

signs = st.characters(codec="utf-8", exclude_categories=("Cs", "Cn", "Co"))


@settings(max_examples=300, deadline=None)
@given(st.text(signs, max_size=20))
def test_kinds_and_widths_are_those_of_the_standard(text: str) -> None:
    """The table is frozen at Unicode 14; a sign that came later may differ from Python's."""
    text = "".join(sign for sign in text if unicodedata.ucd_3_2_0.category(sign) != "Cn")
    points, places = read_code_points(np.frombuffer(text.encode(), np.uint8))
    assert points.tolist() == list(map(ord, text))
    assert places.tolist() == [len(text[:k].encode()) for k in range(len(text))]
    for sign, kind in zip(text, find_kinds(points).tolist(), strict=True):
        if unicodedata.category(sign)[0] in "LNZ":
            assert kind in KIND_SIGNS[kind_of(sign)], (sign, kind)
    widths = find_widths(points).tolist()
    for place, (sign, width) in enumerate(zip(text, widths, strict=True)):
        joined = place > 0 and text[place - 1] == "\u200d"
        if not 0x1160 <= ord(sign) <= 0x11FF and sign != "\xad":
            assert width == (0 if joined else width_of(sign)), repr(sign)


def test_ascii_has_a_short_cut_that_agrees() -> None:
    data = np.arange(128, dtype=np.uint8)
    assert (find_ascii_kinds(data) == find_kinds(data.astype(np.int64))).all()
    wide = np.append(data.astype(np.int64), ord("漢"))
    assert (find_kinds(wide)[:128] == find_ascii_kinds(data)).all()
    assert (find_widths(wide)[:128] == find_widths(data.astype(np.int64))).all()


def find_column(line: str, place: int, tab_width: int) -> int:
    column = 0
    for sign in line[:place]:
        column += tab_width - column % tab_width if sign == "\t" else width_of(sign)
    return column


lines = st.text(st.sampled_from("ab \t漢é\u0301\u200b"), max_size=12)


@settings(max_examples=300, deadline=None)
@given(st.lists(lines, min_size=1, max_size=4), st.sampled_from([1, 4, 8]), st.integers(0, 30))
def test_columns_are_counted_as_a_terminal_counts_them(
    texts: list[str], tab_width: int, wanted: int
) -> None:
    whole = Text.of("\n".join(texts))
    starts = whole.line_starts
    ends = np.append(starts[1:] - 1, whole.data.size)
    columns = Columns(whole.data, starts, ends, tab_width)
    places, torn = columns.find_places(np.array([wanted]))
    for row, line in enumerate(texts):
        place = len(whole.value(int(starts[row]), int(places[row, 0])))
        column = find_column(line, place, tab_width)
        assert column <= wanted
        assert column == wanted or torn[row, 0] or place == len(line)
        if place < len(line):  # the next sign would be beyond it, and no mark is left behind
            assert find_column(line, place + 1, tab_width) > wanted
    all_ends = columns.find_columns(ends, np.arange(len(texts)))
    assert all_ends.tolist() == [find_column(line, len(line), tab_width) for line in texts]


@pytest.mark.parametrize("count", [1, 5000])
def test_tabs_are_no_slower_for_being_many(count: int) -> None:
    data = np.frombuffer(b"\t" * count, np.uint8)
    columns = Columns(data, np.array([0]), np.array([count]), 8)
    assert columns.find_columns(np.array([count]), np.array([0])).tolist() == [8 * count]
