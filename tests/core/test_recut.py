"""The kernels behind finer cuts: runs, trimming, refining, merging, each against a plain loop."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wetcomb.core.arrays import LONGEST_RUN, measure_runs, skip_runs, sort_unique
from wetcomb.core.cutting import recut
from wetcomb.core.cutting.ragged import Ragged
from wetcomb.core.cutting.recut import cut_grid, merge, refine, trim

masks = st.lists(st.booleans(), max_size=90).map(lambda bits: np.array(bits, np.bool_))


@settings(max_examples=200, deadline=None)
@given(masks)
def test_runs_are_measured_and_skipped(mask: np.ndarray) -> None:
    bits = mask.tolist()

    def count(place: int) -> int:
        return next((k for k, bit in enumerate(bits[place:]) if not bit), len(bits) - place)

    runs = measure_runs(mask)
    assert runs.tolist() == [min(count(k), LONGEST_RUN) for k in range(len(bits))]
    places = np.arange(len(bits) + 1)
    limits = np.minimum(places + 40, len(bits))
    expected = [min(k + count(k), limit) for k, limit in enumerate(limits.tolist())]
    assert skip_runs(runs, places, limits).tolist() == expected


@given(st.lists(st.integers(0, 9)))
def test_values_are_sorted_and_made_single(values: list[int]) -> None:
    assert sort_unique(np.array(values, np.int64)).tolist() == sorted(set(values))


@settings(max_examples=200, deadline=None)
@given(st.text(st.sampled_from("a  \t"), max_size=60), st.data())
def test_spans_are_trimmed_alike_whichever_way(text: str, data: st.DataObject) -> None:
    raw = np.frombuffer(text.encode(), np.uint8)
    bounds = sorted(data.draw(st.lists(st.integers(0, len(text)), min_size=2, max_size=6)))
    starts, ends = np.array(bounds[:-1]), np.array(bounds[1:])
    for many in (0, 10_000):  # one by one, and by measuring all runs first
        old, recut._MANY = recut._MANY, many
        try:
            begins, stops = trim(raw, starts, ends)
        finally:
            recut._MANY = old
        for start, end, begin, stop in zip(starts, ends, begins, stops, strict=True):
            assert text[begin:stop] == text[start:end].strip(" \t")
            assert start <= begin <= stop <= end


def make_lines(texts: list[str]) -> tuple[np.ndarray, Ragged]:
    """One field a line, as it stands."""
    raw = np.frombuffer("".join(f"{line}\n" for line in texts).encode(), np.uint8)
    stops = np.cumsum([len(line.encode()) + 1 for line in texts])
    starts = np.append(0, stops[:-1])
    begins, ends = trim(raw, starts, stops - 1)
    none = np.zeros(len(texts), np.bool_)
    return raw, Ragged(begins, ends, starts, stops - 1, none, np.arange(len(texts) + 1), stops)


lines = st.lists(st.text(st.sampled_from("ab ,"), max_size=8), min_size=1, max_size=5)


@settings(max_examples=200, deadline=None)
@given(lines, st.data())
def test_refined_fields_join_to_their_line_and_merge_back(
    texts: list[str], data: st.DataObject
) -> None:
    raw, ragged = make_lines(texts)
    cuts: list[int] = []
    for start, end in zip(ragged.outer_starts.tolist(), ragged.outer_ends.tolist(), strict=True):
        cuts += data.draw(st.lists(st.integers(start, end), max_size=3))
    finer = refine(ragged, raw, np.array(sorted(cuts), np.int64))
    assert finer.counts.sum() == len(texts) + len(cuts)
    for row, line in enumerate(texts):
        fields = range(*finer.offsets[row : row + 2].tolist())
        outer = [
            raw[finer.outer_starts[f] : finer.outer_ends[f]].tobytes().decode() for f in fields
        ]
        inner = [raw[finer.starts[f] : finer.ends[f]].tobytes().decode() for f in fields]
        assert "".join(outer) == line
        assert inner == [piece.strip(" ") for piece in outer]
    taken_back = np.ones(finer.starts.size, np.bool_)
    taken_back[finer.offsets[:-1]] = False
    whole = merge(finer, raw, taken_back)
    for name in ("starts", "ends", "outer_starts", "outer_ends", "offsets", "stops"):
        assert (getattr(whole, name) == getattr(ragged, name)).all()


@settings(max_examples=100, deadline=None)
@given(lines, st.lists(st.integers(0, 8), min_size=1, max_size=3).map(sorted))
def test_a_grid_is_what_refining_gives(texts: list[str], columns: list[int]) -> None:
    raw, ragged = make_lines(texts)
    places = np.minimum(ragged.outer_starts[:, None] + columns, ragged.outer_ends[:, None])
    grid = cut_grid(ragged, raw, places)
    finer = refine(ragged, raw, np.sort(places.ravel()))
    for name in ("starts", "ends", "outer_starts", "outer_ends", "offsets", "stops"):
        assert (getattr(grid, name) == getattr(finer, name)).all()


@pytest.mark.parametrize("texts", [["a,b"], ["", "x"], ["  "]])
def test_nothing_asked_for_changes_nothing(texts: list[str]) -> None:
    raw, ragged = make_lines(texts)
    assert refine(ragged, raw, np.zeros(0, np.int64)) is ragged
    assert merge(ragged, raw, np.zeros(len(texts), np.bool_)) is ragged
