"""The steps of a chain one under another: what each left out, made, changed, and how its work begins."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from wetcomb.core.stage_seen import StageSeen
from wetcomb.views.blocks import Block, Fact, Grid, Styled, TextLines, make_visible

__all__ = ["build_steps"]

_CELL, _LEAST, _REASONS = 28, 9, 6


def build_steps(stages: Sequence[StageSeen], typed: Sequence[str], width: int) -> list[Block]:
    """Return what each step made.

    Parameters
    ----------
    typed : each step as it is typed
    """
    return [
        block
        for stage, words in zip(stages, typed, strict=True)
        for block in _draw(stage, words, width)
    ]


def _draw(stage: StageSeen, typed: str, width: int) -> Iterator[Block]:
    shown = make_visible(typed)
    room = 3 * width
    yield Fact(
        f"step {stage.number}",
        [Styled(shown if len(shown) <= room else shown[: room - 1] + "…", "strong")],
    )
    came, went = _count(stage.n_before, stage.unit_before), _count(stage.n_after, stage.unit_after)
    said = f"{came} in, {went} out" + (
        f", {_count(len(stage.names), 'column')}" if stage.names else ""
    )
    yield Fact("", [Styled(said)])
    if stage.dropped:
        told = [f"{why.replace('-', ' ')} {number:,}" for why, number in stage.dropped[:_REASONS]]
        more = f" and {len(stage.dropped) - _REASONS} more" if len(stage.dropped) > _REASONS else ""
        yield Fact("", [Styled("left out here, in characters: " + ", ".join(told) + more)])
    parts: list[Styled] = []
    if stage.n_changed:
        parts.append(Styled(f"{_count(stage.n_changed, 'record')} changed", "cut"))
    if stage.snags_settled:
        parts.append(Styled(f"{_count(stage.snags_settled, 'snag')} settled", "good"))
    if stage.snags_made:
        parts.append(
            Styled(
                f"{_count(stage.snags_made, 'record')} that {'does' if stage.snags_made == 1 else 'do'} not fit",
                "snag",
            )
        )
    if parts:
        spaced = [part for one in parts for part in (Styled("; "), one)][1:]
        yield Fact("", spaced)
    if not stage.names:
        lines = [
            [Styled(f"{line:>5}  ", "faint"), Styled(make_visible(cells[0] or ""))]
            for line, cells in stage.rows
        ]
        yield TextLines(f"the text after step {stage.number}", lines)
        return
    n_shown = max(1, min(len(stage.names), (width - 7) // _LEAST))
    rows: list[list[str | None]] = [
        [str(line), *(None if c is None else _clip(make_visible(c)) for c in cells[:n_shown])]
        for line, cells in stage.rows
    ]
    names = ["line", *(_clip(make_visible(name)) for name in stage.names[:n_shown])]
    title = f"the table after step {stage.number}"
    yield Grid(title, names, rows, [""] * len(rows), len(stage.names) - n_shown)


def _clip(text: str) -> str:
    return text if len(text) <= _CELL else text[: _CELL - 1] + "…"


def _count(number: int, noun: str) -> str:
    return f"{number:,} {noun}{'s' * (number != 1)}"
