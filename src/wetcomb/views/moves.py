"""Records whose cells were moved: before and after, one under the other, with the reason."""

from __future__ import annotations

from collections.abc import Sequence

from wetcomb.core.moves import BLANK, MERGED, MOVED, Move
from wetcomb.views.blocks import Styled, TextLines, make_visible

__all__ = ["MARKS", "build_moves", "mark_cell"]

#: What stands before a cell that was moved or put together, and what that means.
_SIGNS = {MOVED: "›", MERGED: "+"}
MARKS = "› moved, + put together, ∅ left blank"
_WIDEST = 28  # characters of a cell


def mark_cell(value: str | None, state: int) -> str | Styled | None:
    """Return a cell as it is drawn: marked where something became of it."""
    if state not in _SIGNS or value is None:
        return value
    return Styled(f"{_SIGNS[state]} {value}", "cut")


def build_moves(moves: Sequence[Move], n_moved: int, names: Sequence[str]) -> TextLines:
    """Return the records that were moved: each as it was cut, as it stands now, and why.

    Parameters
    ----------
    n_moved : how many there are; more than are told here where they are very many
    """
    title = f"{n_moved:,} records with moved cells ({MARKS})"
    if len(moves) < n_moved:
        title += f"; the first {len(moves):,}"
    heads = [_clip(make_visible(name)) for name in names]
    drawn = [(_draw_before(move, len(names)), _draw_after(move)) for move in moves]
    columns = list(zip(heads, *(row for pair in drawn for row in pair), strict=True))
    widths = [max(map(len, column)) + 2 for column in columns]
    lines: list[list[Styled]] = [[Styled(" " * 6), Styled(_pad(heads, widths), "faint")]]
    for move, (before, after) in zip(moves, drawn, strict=True):
        where = f" of {move.source}" if move.source else ""
        lines.append([Styled(f"line {move.first_line}{where}", "strong")])
        lines.append([Styled("  cut ", "faint"), Styled(_pad(before, widths))])
        cells = [
            Styled(text.ljust(width), "cut" if state in (MOVED, MERGED, BLANK) else "plain")
            for text, width, state in zip(after, widths, move.states, strict=True)
        ]
        lines.append([Styled("  now ", "faint"), *cells])
        lines.append([Styled("  why ", "faint"), Styled(make_visible(move.reason))])
    return TextLines(title, lines, may_wrap=True)


def _draw_before(move: Move, n_columns: int) -> list[str]:
    """Return the pieces as they were cut; what is over stands with the last."""
    pieces = [_clip(make_visible(text)) for text in move.before]
    over = pieces[n_columns - 1 :]
    if len(over) > 1:
        pieces = [*pieces[: n_columns - 1], " | ".join(over)]
    return pieces + [""] * (n_columns - len(pieces))


def _draw_after(move: Move) -> list[str]:
    cells = []
    for value, state in zip(move.after, move.states, strict=True):
        text = "∅" if value is None else _clip(make_visible(value))
        cells.append(f"{_SIGNS[state]} {text}" if state in _SIGNS and value is not None else text)
    return cells


def _pad(cells: Sequence[str], widths: Sequence[int]) -> str:
    return "".join(cell.ljust(width) for cell, width in zip(cells, widths, strict=True)).rstrip()


def _clip(text: str) -> str:
    return text if len(text) <= _WIDEST else text[: _WIDEST - 1] + "…"
