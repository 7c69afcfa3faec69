"""The extremes of a table as they are shown: a line for each, with the source line to look at."""

from __future__ import annotations

from collections.abc import Iterator

from wetcomb.core.extremes import Place, TableExtremes
from wetcomb.views.blocks import Grid, Styled, make_visible

__all__ = ["build_extremes"]

_VALUE, _COLUMNS, _NAME, _WHY = 30, 40, 14, 34


def build_extremes(seen: TableExtremes) -> Grid:
    """Return the extremes, column by column."""
    rows = [list(row) for row in _list_rows(seen)]
    title = "where to look: the extremes of each column"
    if seen.n_shaped:
        title += f" (shapes from the first {seen.n_shaped:,} records)"
    if len(seen.columns) > _COLUMNS:
        title += f"; the first {_COLUMNS} of {len(seen.columns)} columns"
    return Grid(title, ["line", "what", "value", "why"], rows, [""] * len(rows))


def _list_rows(seen: TableExtremes) -> Iterator[list[str | Styled | None]]:
    for column in seen.columns[:_COLUMNS]:
        name = make_visible(column.name)
        for which in ("shortest", "longest", "rarest", "last"):
            place: Place | None = getattr(column, which)
            if place is not None:
                yield _draw(name, which, place)
    for what, place in (("fullest", seen.fullest), ("emptiest", seen.emptiest)):
        if place is not None:
            yield _draw("record", what, place)
    if seen.rarest_sign is not None:
        yield _draw("text", "rarest sign", seen.rarest_sign)


def _draw(name: str, which: str, place: Place) -> list[str | Styled | None]:
    text = make_visible(place.text)
    shown = text if len(text) <= _VALUE else text[: _VALUE - 1] + "…"
    said = make_visible(place.said)
    said = said if len(said) <= _WHY else said[: _WHY - 1] + "…"
    rare = Styled(said, "snag" if which == "rarest" else "faint")
    name = name if len(name) <= _NAME else name[: _NAME - 1] + "…"
    return [str(place.line), f"{name}: {which}", shown, rare]
