"""Tables of odd values, as what writes them is given them."""

from __future__ import annotations

import numpy as np
from hypothesis import strategies as st

from wetcomb.core.table import MISSING
from wetcomb.files.columns import CellGrid

__all__ = ["build", "tables", "values"]

values = st.one_of(
    st.none(),
    st.lists(st.sampled_from(["a", "é", "漢", ",", "\t", '"', "'", " ", "\n", "\r", "\r\n", "\\", "|", "\x01", "-"]), max_size=6).map("".join),
)  # fmt: skip


@st.composite
def tables(draw: st.DrawFn) -> tuple[list[str], list[list[str | None]]]:
    width = draw(st.integers(1, 4))
    names = [f"{'name é,'[: place + 4]}{place}" for place in range(width)]
    rows = draw(st.lists(st.lists(values, min_size=width, max_size=width), max_size=6))
    return names, rows


def build(rows: list[list[str | None]], width: int, shuffle: int) -> CellGrid:
    """Lay the values into a text in some order, with something between them."""
    data, spans = b"", {}
    order = sorted(range(len(rows) * width), key=lambda place: (place * shuffle) % 7)
    for place in order:
        value = rows[place // width][place % width]
        if value is not None:
            raw = value.encode()
            spans[place] = (len(data) + 1, len(data) + 1 + len(raw))
            data += b";" + raw
    flat = [spans.get(place, (MISSING, MISSING)) for place in range(len(rows) * width)]
    array = np.array(flat, np.int64).reshape(-1, width, 2)
    body = len(data) * (shuffle % 3) // 2
    return CellGrid(np.frombuffer(data, np.uint8), body, array[:, :, 0], array[:, :, 1])
