"""Source lines with the teeth of the comb under their cuts."""

from __future__ import annotations

from collections.abc import Sequence

from wetcomb.core.cut_lines import CutLine
from wetcomb.views.blocks import Styled, make_visible

__all__ = ["draw_cut_lines", "draw_ruler"]

_TOOTH = "╿"
_MARGIN = 7


def draw_cut_lines(lines: Sequence[CutLine], width: int) -> list[list[Styled]]:
    """Return each line with its number, what leaves it drawn faint, a tooth under every cut."""
    drawn: list[list[Styled]] = []
    for line in lines:
        visible = make_visible(line.text)[: width - _MARGIN - 1]
        parts, done, teeth = [Styled(f"{line.number:>5}  ", "faint")], 0, [" "] * len(visible)
        for begin, stop in line.gone:
            start, end = min(begin, len(visible)), min(stop, len(visible))
            if end <= start:
                continue
            parts += [Styled(visible[done:start]), Styled(visible[start:end], "cut")]
            done = max(done, end)
        parts.append(Styled(visible[done:]))
        drawn.append(parts)
        for place in line.teeth:
            if place < len(teeth):
                teeth[place] = _TOOTH
        if _TOOTH in teeth:
            drawn.append([Styled(" " * _MARGIN), Styled("".join(teeth).rstrip(), "cut")])
    return drawn


def draw_ruler(width: int) -> list[Styled]:
    """Return a ruler of display columns, a number at every tenth."""
    signs = [" "] * width
    for column in range(0, width, 5):
        signs[column] = "." if column % 10 else "0"
    ruler = "".join(signs)
    for column in range(10, width - 3, 10):
        number = str(column)
        ruler = ruler[:column] + number + ruler[column + len(number) :]
    return [Styled(" " * _MARGIN), Styled(ruler[:width].rstrip(), "faint")]
