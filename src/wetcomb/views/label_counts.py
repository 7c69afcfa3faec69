"""Labels as they are looked over by hand: how many blocks have each, its values, how they end."""

from __future__ import annotations

from collections.abc import Sequence

from wetcomb.core.batch import LabelCount
from wetcomb.views.blocks import Styled, TextLines, make_visible

__all__ = ["build_label_counts"]

_WIDEST = 30  # characters of a value, or of a label
_MOST_LINES = 8  # lines of blocks without a label


def build_label_counts(counts: Sequence[LabelCount]) -> TextLines:
    """Return the labels one under another, with what their values look like."""
    n_blocks = max((count.of_blocks for count in counts), default=0)
    width = max((len(_clip(count.name)) for count in counts), default=0)
    lines: list[list[Styled]] = []
    for count in counts:
        has_all = count.n_blocks == count.of_blocks
        number = f"{count.n_blocks:,} of {count.of_blocks:,}"
        ends = ", ".join(f"{word} {times:,}" for word, times in count.endings)
        lines.append(
            [
                Styled(f"  {_clip(count.name).ljust(width)}  ", "strong"),
                Styled(number, "plain" if has_all else "snag"),
                Styled(f"; values end at: {ends}" if ends else ""),
            ]
        )
        indent = " " * (width + 4)
        if count.lines:
            lines.append([Styled(f"{indent}not in blocks that begin in {_tell_lines(count)}")])
        if count.n_blocks:
            said = (
                f"shortest {_tell_length(count.shortest)}, longest {_tell_length(count.longest)}, "
            )
            lines.append([Styled(f"{indent}{said}{_tell_rarest(count)}", "faint")])
    return TextLines(f"labels in {n_blocks:,} blocks", lines, may_wrap=True)


def _tell_lines(count: LabelCount) -> str:
    shown = ", ".join(map(str, count.lines[:_MOST_LINES]))
    left = count.of_blocks - count.n_blocks - min(len(count.lines), _MOST_LINES)
    noun = "line" if count.of_blocks - count.n_blocks == 1 else "lines"
    return f"{noun} {shown}" + (f" and {left:,} more" if left else "")


def _tell_length(value: tuple[int, str]) -> str:
    return f"{value[0]:,} ({_clip(value[1])})" if value[0] else "empty"


def _tell_rarest(count: LabelCount) -> str:
    """Return the rarest value and how often it stands, where some values come more often than others."""
    value, number, n_rare, n_kinds = count.rarest
    if n_kinds < 0:
        return "too many differ to know the rarest"
    if n_kinds <= 1:
        return "all alike"
    if n_rare == n_kinds:
        return (
            f"all {n_kinds:,} differ"
            if number == 1
            else f"{n_kinds:,} kinds, each {number:,} times"
        )
    others = f" and {n_rare - 1:,} others" if n_rare > 1 else ""
    times = "once" if number == 1 else f"{number:,} times"
    return f"rarest {_clip(value) or 'empty'}{others}, {times}"


def _clip(text: str) -> str:
    shown = make_visible(text)
    return shown if len(shown) <= _WIDEST else shown[: _WIDEST - 1] + "…"
