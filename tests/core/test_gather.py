"""Weaving gives the same bytes whichever way it goes, and finding inside misses nothing."""

from __future__ import annotations

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from wetcomb.core.gather import find_inside, weave

TEXTS = [b",", b'",', b"\n", b'"\n"']


@st.composite
def cells(draw: st.DrawFn) -> tuple[bytes, int, list[tuple[int, int]], list[int]]:
    """Spans in a body and an appendix: mostly in order, some missing, some from elsewhere."""
    data = draw(st.binary(min_size=1, max_size=40).map(lambda raw: raw.replace(b"\0", b"a,")))
    body = draw(st.integers(0, len(data)))
    edges = sorted(draw(st.lists(st.integers(0, body), max_size=14)))
    spans = [(a, b) for a, b in zip(edges[::2], edges[1::2], strict=False)]
    for place in draw(st.lists(st.integers(0, len(spans)), max_size=3)):
        start = draw(st.integers(0, len(data)))
        stray = draw(st.sampled_from([(0, 0), (start, draw(st.integers(start, len(data))))]))
        spans.insert(place, stray)
    codes = draw(st.lists(st.integers(0, 3), min_size=len(spans), max_size=len(spans)))
    return data, body, spans, codes


@settings(max_examples=400, deadline=None)
@given(cells())
def test_weaves_as_joining_would(case: tuple[bytes, int, list[tuple[int, int]], list[int]]) -> None:
    data, body, spans, codes = case
    starts, ends = np.array(spans, np.int64).reshape(-1, 2).T
    array = np.frombuffer(data, np.uint8)
    wanted = b"".join(data[a:b] + TEXTS[code] for (a, b), code in zip(spans, codes, strict=True))
    assert weave(array, body, starts, ends, np.array(codes, np.int64), TEXTS).tobytes() == wanted


@settings(max_examples=400, deadline=None)
@given(cells())
def test_finds_every_wanted_byte(case: tuple[bytes, int, list[tuple[int, int]], list[int]]) -> None:
    data, body, spans, _ = case
    spans = [(a, b) for a, b in spans if b <= body or a >= body]  # no value lies across
    starts, ends = np.array(spans, np.int64).reshape(-1, 2).T
    found = find_inside(np.frombuffer(data, np.uint8), body, starts, ends, b',a"')
    wanted = [(k, p) for k, (a, b) in enumerate(spans) for p in range(a, b) if data[p] in b',a"']
    assert sorted(zip(*(array.tolist() for array in found), strict=True)) == wanted
