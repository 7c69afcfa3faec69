"""Draw blocks on a terminal, with rich."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TextIO

from rich.console import Console
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from wetcomb.views.blocks import Block, Fact, Grid, Styled, TextLines, make_visible

__all__ = ["make_console", "render_blocks"]

_STYLES = {
    "plain": "",
    "strong": "bold",
    "faint": "dim",
    "cut": "cyan",
    "snag": "yellow",
    "good": "green",
    "bad": "bold red",
}
_LABEL = 9


def make_console(stream: TextIO, *, has_color: bool) -> Console:
    """Return a console that writes to a stream; without colour it writes plain characters only."""
    return Console(
        file=stream,
        highlight=False,
        markup=False,
        emoji=False,
        soft_wrap=False,
        no_color=not has_color,
        color_system="auto" if has_color else None,
    )


def render_blocks(console: Console, blocks: Sequence[Block]) -> None:
    """Draw blocks one under another; facts that follow each other line up."""
    facts: list[Fact] = []
    for block in blocks:
        if isinstance(block, Fact):
            facts.append(block)
            continue
        _render_facts(console, facts)
        facts = []
        if isinstance(block, TextLines):
            _render_lines(console, block)
        else:
            _render_grid(console, block)
    _render_facts(console, facts)


def _join(parts: Sequence[Styled]) -> Text:
    return Text.assemble(*((make_visible(part.text), _STYLES[part.role]) for part in parts))


def _draw(text: str, style: str = "") -> Text:
    """Return text that is safe on a terminal, whatever a paste, a comb or a file's name holds."""
    return Text(make_visible(text), style)


def _render_facts(console: Console, facts: Sequence[Fact]) -> None:
    if not facts:
        return
    if not console.is_terminal:  # a log keeps its lines whole
        for fact in facts:
            console.print(
                _draw(f"{fact.label:>{_LABEL}} "), _join(fact.parts), sep="", soft_wrap=True
            )
        return
    grid = Table.grid(padding=(0, 1))
    grid.add_column(width=_LABEL, justify="right")
    grid.add_column(overflow="fold")
    for fact in facts:
        grid.add_row(_draw(fact.label, "dim"), _join(fact.parts))
    console.print(grid)


def _render_title(console: Console, title: str) -> None:
    console.print(_draw(title, "bold"))


def _render_lines(console: Console, block: TextLines) -> None:
    _render_title(console, block.title)
    for parts in block.lines:
        if block.may_wrap:
            console.print(_join(parts), soft_wrap=not console.is_terminal)
        else:
            console.print(_join(parts), overflow="ellipsis", no_wrap=True)
    console.print()


def _render_grid(console: Console, block: Grid) -> None:
    _render_title(console, block.title)
    has_reasons = any(block.reasons)
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="underline")
    for place, name in enumerate(block.names):
        is_line = place == 0
        table.add_column(
            _draw(name),
            justify="right" if is_line else "left",
            style="dim" if is_line else "",
            no_wrap=True,
            overflow="ellipsis",
            min_width=len(name) if is_line else 1,
        )
    if has_reasons:
        table.add_column(Text("snag"), style=_STYLES["snag"], no_wrap=True)
    if block.n_more_columns > 0:
        table.add_column(Text(f"… {block.n_more_columns} more"), style="dim", no_wrap=True)
    for values, reason in zip(block.rows, block.reasons, strict=True):
        cells = [_draw_cell(value) for value in values]
        table.add_row(*cells, *([_draw(reason)] if has_reasons else []))
    console.print(Padding(table, (0, 0, 1, 0)))


def _draw_cell(value: str | Styled | None) -> Text:
    if value is None:
        return Text("∅", "dim")
    return _join([value]) if isinstance(value, Styled) else _draw(value)
