"""The parts of clean against plain Python: numbers at once and one by one, repeats, cuts, order."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import datetime
from decimal import Decimal

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wetcomb import Clean, Comb, Split
from wetcomb.core.arrays import cut_out
from wetcomb.core.decimals import read_decimals
from wetcomb.core.plain_numbers import read_plain
from wetcomb.core.text import Text
from wetcomb.match.characters import drop_spacing
from wetcomb.match.letter_case import fold_case, make_capital, make_small
from wetcomb.steps.clean.dates import DateReading
from wetcomb.steps.clean.edits import Cut
from wetcomb.steps.clean.marks import (
    make_one_space,
    make_strip,
    make_take_out,
    make_unquote,
    trim,
)
from wetcomb.steps.clean.month_names import find_month
from wetcomb.steps.clean.numbers import NumberReading
from wetcomb.steps.clean.plain_dates import read_plain_dates
from wetcomb.steps.clean.repeats import Repeats, Seams, find_last

#: Signs of figures, few enough to meet every way they can stand together.
FIGURES = st.text("0123456789.,-", min_size=0, max_size=12)


@settings(max_examples=500, deadline=None)
@given(
    values=st.lists(FIGURES, min_size=1, max_size=12),
    example=st.sampled_from(["1.234,5", "1,234.5", "1234.5", "12345", "1.234.567", "12,5"]),
)
def test_plain_numbers_are_read_as_each_is_alone(values: list[str], example: str) -> None:
    reading = NumberReading(example)
    data = np.frombuffer("".join(values).encode(), np.uint8)
    ends = np.cumsum([len(value) for value in values])
    starts = ends - np.array([len(value) for value in values])
    read = read_plain(data, starts, ends, *reading.marks)
    alone = [reading.read(value) if value else None for value in values]
    assert read.is_read.tolist() == [one is not None for one in alone]
    texts = [one.text for one in alone if one is not None]
    stops = np.cumsum(read.sizes)
    laid = [
        read.laid[end - size : end].tobytes().decode()
        for end, size in zip(stops.tolist(), read.sizes.tolist(), strict=True)
    ]
    assert laid == texts
    plain = [value for value, one in zip(values, alone, strict=True) if one is not None]
    assert read.is_same.tolist() == [a == b for a, b in zip(plain, texts, strict=True)]
    if read.ints is not None:
        worth = [Decimal(int(one)).scaleb(-read.scale) for one in read.ints]
        assert worth == [Decimal(text) for text in texts]


KEYS = st.lists(st.tuples(st.integers(0, 3), st.integers(0, 2)), max_size=30)


@settings(max_examples=300, deadline=None)
@given(keys=KEYS, size=st.integers(1, 7))
def test_repeats_are_those_of_a_set(keys: list[tuple[int, int]], size: int) -> None:
    firsts: dict[tuple[int, int], int] = {}
    expected = []
    for number, key in enumerate(keys):
        expected.append(firsts.get(key, -1))
        firsts.setdefault(key, number)
    repeats, found = Repeats(), []
    for begin in range(0, len(keys), size):
        piece = np.array(keys[begin : begin + size], np.uint64).reshape(-1, 2)
        found += repeats.find(piece).tolist()
    assert found == expected


@settings(max_examples=200, deadline=None)
@given(keys=KEYS)
def test_the_last_of_each_key(keys: list[tuple[int, int]]) -> None:
    lasts = sorted({key: number for number, key in enumerate(keys)}.values())
    found = find_last(np.array(keys, np.uint64).reshape(-1, 2))
    assert found.tolist() == lasts


@pytest.mark.parametrize(
    ("originals", "found"),
    [
        ([-1, -1, -1, 0, 1, 2], [(4, 3)]),
        ([-1, -1, -1, 0, 1, -1, 2], []),
        ([-1, -1, -1, 0, 1, 2, -1, 0, 1, 2], [(4, 3), (8, 3)]),
        ([-1, 0, 0, 0, 0], []),
        ([-1, -1, -1, -1, 0, 1, 2, 3], [(5, 4)]),
    ],
)
def test_seams(originals: list[int], found: list[tuple[int, int]]) -> None:
    for size in (1, 2, len(originals)):
        seams = Seams()
        for begin in range(0, len(originals), size):
            piece = originals[begin : begin + size]
            lines = np.arange(begin + 1, begin + len(piece) + 1)
            seams.look(np.array(piece), lines.__getitem__)
        seams.close()
        assert seams.found == found


EDITS: dict[str, Callable[[bytes], Cut | None]] = {
    "trim": trim,
    "unquote": make_unquote(),
    "one space": make_one_space(),
    "strip": make_strip("*é"),
    "take out": make_take_out("*é"),
}


@settings(max_examples=300, deadline=None)
@given(value=st.text(" \t*éa\"'“”", min_size=1, max_size=10), name=st.sampled_from(sorted(EDITS)))
def test_what_is_kept_and_what_goes_make_up_the_value(value: str, name: str) -> None:
    raw = value.encode()
    cut = EDITS[name](raw)
    if cut is None:
        return
    spans = sorted([*((a, b) for a, b in cut.kept), *((a, b) for a, b, _ in cut.gone)])
    assert [0, *(b for _, b in spans)] == [*(a for a, _ in spans), len(raw)]
    assert cut.gone and all(a < b for a, b in spans)
    left = b"".join(raw[a:b] for a, b in cut.kept).decode()
    if name == "trim":
        assert left == value.strip(" \t")
    elif name == "take out":
        assert left == value.replace("*", "").replace("é", "")
    elif name == "strip":
        assert left == value.strip("*é \t")
    elif name == "one space":
        assert "  " not in left and " \t" not in left and left.split() == value.split()


@settings(max_examples=200, deadline=None)
@given(
    rows=st.lists(st.tuples(st.integers(-99, 99), st.sampled_from("abC")), min_size=1, max_size=12)
)
def test_order_is_that_of_a_stable_sort(rows: list[tuple[int, str]]) -> None:
    text = "a;b;c\n" + "".join(f"{a};{b};{n}\n" for n, (a, b) in enumerate(rows))
    split = Split(delimiter=";", heading="first", fields=3)
    table = Comb((split, Clean(sort=("-b", "a")))).run(text)
    named = [(a, b, n) for n, (a, b) in enumerate(rows)]
    by_value = sorted(named, key=lambda row: row[0])
    letters = sorted({b for _, b in rows}, key=lambda b: (b.casefold(), b))
    expected = sorted(by_value, key=lambda row: -letters.index(row[1]))
    assert [row[2] for row in table.rows()] == [str(n) for *_, n in expected]


@settings(max_examples=200, deadline=None)
@given(
    cuts=st.lists(st.integers(0, 9), min_size=4, max_size=4),
    values=st.lists(st.binary(min_size=1, max_size=4), min_size=2, max_size=2),
)
def test_forms_stand_for_what_they_were_made_of(cuts: list[int], values: list[bytes]) -> None:
    a, b, c, d = sorted(cuts)
    text = Text.of("0123456789")
    spans = np.array([[a, b], [c, d]])
    laid = np.frombuffer(b"".join(values), np.uint8)
    sizes = np.array([len(value) for value in values])
    grown, starts, ends = text.alter(spans[:, 0], spans[:, 1], laid, sizes)
    assert [grown.data[i:j].tobytes() for i, j in zip(starts, ends, strict=True)] == values
    again, begins, stops = grown.alter(starts[1:], ends[1:], laid[:1], np.array([1]))
    for made, i, j, k in ((grown, starts, ends, [0, 1]), (again, begins, stops, [1])):
        found = made.find_sources(i, j)
        pieces = {
            owner: (x, y)
            for owner, x, y in zip(
                found.owners.tolist(), found.starts.tolist(), found.ends.tolist(), strict=True
            )
            if y > x
        }
        expected = {n: tuple(spans[m]) for n, m in enumerate(k) if spans[m][1] > spans[m][0]}
        assert pieces == expected
    assert again.forms.find(np.array([0]), np.array([1])).tolist() == [-1]


#: Signs of dates, few enough to meet every way they can stand together.
DATES = st.one_of(
    st.text("0123456789./ :", min_size=1, max_size=17),
    st.datetimes(min_value=datetime(1, 1, 1)).map(lambda at: f"{at:%d.%m.}{at.year:04d} {at:%H:%M}"),
    st.builds(
        "{}{}{}.{}{}".format,
        st.integers(0, 40), st.sampled_from([".", " .", "/"]), st.integers(0, 14),
        st.sampled_from([24, 1899, 2000, 2031, 12345]), st.sampled_from(["", " 23:59", " 9:60", " 7:05:09", " 07:5"]),
    ),
)  # fmt: skip


@settings(max_examples=500, deadline=None)
@given(
    values=st.lists(DATES, min_size=1, max_size=8),
    example=st.sampled_from(["31.12.2024", "31.12.24", "31.12.2024 14:56", "24.12.31 14:56:09", "31/12.2024", "2024.12.31"]),
)  # fmt: skip
def test_plain_dates_are_read_as_each_is_alone(values: list[str], example: str) -> None:
    reading = DateReading(example, (), 1970, "T")
    assert reading.form is not None
    data = np.frombuffer("".join(values).encode(), np.uint8)
    ends = np.cumsum([len(value) for value in values])
    starts = ends - np.array([len(value) for value in values])
    read = read_plain_dates(data, starts, ends, reading.form)
    plain = [value for value, is_read in zip(values, read.is_read.tolist(), strict=True) if is_read]
    alone = [reading.read(value) for value in plain]
    size = int(read.sizes[0]) if plain else 1
    laid = read.laid.tobytes().decode()
    assert [laid[k : k + size] for k in range(0, len(laid), size)] == alone
    assert read.is_same.tolist() == [a == b for a, b in zip(plain, alone, strict=True)]
    assert np.argsort(read.ranks, kind="stable").tolist() == sorted(
        range(len(plain)), key=lambda k: alone[k]
    )  # type: ignore[arg-type, return-value]
    for value, is_read in zip(values, read.is_read.tolist(), strict=True):
        if not is_read and re.fullmatch(r"\d\d\.\d\d\.\d{4}", value) and example == "31.12.2024":
            assert reading.read(value) is None  # one that is so plain is left for no other reason


@settings(max_examples=200, deadline=None)
@given(edges=st.lists(st.integers(0, 60), max_size=16), is_ordered=st.booleans())
def test_bytes_are_cut_out_as_they_stand(edges: list[int], is_ordered: bool) -> None:
    data = np.arange(60, dtype=np.uint8)
    edges = sorted(edges) if is_ordered else edges
    spans = [(a, b) for a, b in zip(edges[::2], edges[1::2], strict=False) if a <= b]
    starts, ends = np.array(spans, np.int64).reshape(-1, 2).T
    assert cut_out(data, starts, ends).tolist() == [k for a, b in spans for k in range(a, b)]


@pytest.mark.parametrize(
    ("word", "month"),
    [("mar", 3), ("Mar.", 3), ("marras", 11), ("červen", 6), ("červenec", 7), ("jui", 0), ("ΙΑΝΟΥΑΡΙΟΣ", 0), ("Ιανουάριος", 1), ("Mrz", 3), ("ma", 0)],
)  # fmt: skip
def test_months_are_told_by_whole_names_first(word: str, month: int) -> None:
    assert find_month(word) == month


def test_letters_change_by_the_frozen_table() -> None:
    assert fold_case("ΣΊΣΥΦΟΣ ﬀ Straße") == "σίσυφοσ ff strasse"
    assert (make_capital("straße ǆ"), make_small("ÀÇ İ")) == ("STRASSE Ǆ", "àç i̇")
    assert drop_spacing("a\u00a0b\u2003 c\td") == "abcd"
    rows = Comb((Split(delimiter=";", heading="first", fields=0), Clean(drop_repeats=True, ignore_case=True, ignore_spacing=True))).run("a\nΣas\nσ\u00a0AS\n").rows()  # fmt: skip
    assert list(rows) == [["Σas"]]


@settings(max_examples=200, deadline=None)
@given(
    st.lists(
        st.from_regex(r"-?[0-9]{1,9}(\.[0-9]{1,7})?|n/a|1E5|-|\.5|3\.", fullmatch=True),
        min_size=1,
        max_size=8,
    )
)
def test_decimals_are_read_as_floats_are(texts: list[str]) -> None:
    raw = np.frombuffer("".join(texts).encode(), np.uint8)
    ends = np.cumsum([len(text) for text in texts])
    starts = ends - [len(text) for text in texts]
    read, odd = read_decimals(raw, starts, ends)
    plain = [re.fullmatch(r"-?[0-9]+(\.[0-9]+)?", text) is not None and sum(map(str.isdigit, text)) <= 15 for text in texts]  # fmt: skip
    assert odd.tolist() == [k for k, is_one in enumerate(plain) if not is_one]
    assert [value for value, one in zip(read, plain, strict=True) if one] == [
        float(text) for text, one in zip(texts, plain, strict=True) if one
    ]
