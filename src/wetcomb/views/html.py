"""Draw blocks as HTML: the same description as the terminal draws from."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape

from wetcomb.views.blocks import Block, Fact, Grid, Styled, TextLines, make_visible

__all__ = ["draw_blocks", "draw_text"]


def draw_text(text: str) -> str:
    """Return text that is safe in a page: nothing in it is markup, and every control can be seen."""
    return escape(make_visible(text), quote=True)


def draw_blocks(blocks: Sequence[Block]) -> str:
    """Return blocks one under another; facts that follow each other are one list."""
    parts: list[str] = []
    facts: list[Fact] = []
    for block in blocks:
        if isinstance(block, Fact):
            facts.append(block)
            continue
        parts.append(_draw_facts(facts))
        facts = []
        parts.append(_draw_lines(block) if isinstance(block, TextLines) else _draw_grid(block))
    return "\n".join(filter(None, [*parts, _draw_facts(facts)]))


def _draw_styled(parts: Sequence[Styled]) -> str:
    return "".join(
        draw_text(part.text)
        if part.role == "plain"
        else f'<span class="{part.role}">{draw_text(part.text)}</span>'
        for part in parts
    )


def _draw_facts(facts: Sequence[Fact]) -> str:
    if not facts:
        return ""
    rows = "".join(
        f"<tr><th scope=row>{draw_text(fact.label)}</th><td>{_draw_styled(fact.parts)}</td></tr>"
        for fact in facts
    )
    return f'<table class="facts">{rows}</table>'


def _draw_lines(block: TextLines) -> str:
    lines = "\n".join(_draw_styled(parts) for parts in block.lines)
    return f"<h3>{draw_text(block.title)}</h3><pre>{lines}</pre>"


def _draw_grid(block: Grid) -> str:
    has_reasons = any(block.reasons)
    heads = "".join(
        f"<th scope=col>{draw_text(name)}</th>" for name in (*block.names, *["snag"] * has_reasons)
    )
    rows = []
    for cells, reason in zip(block.rows, block.reasons, strict=True):
        drawn = "".join(f"<td>{_draw_cell(cell)}</td>" for cell in cells)
        rows.append(f"<tr>{drawn}{f'<td class=snag>{draw_text(reason)}</td>' * has_reasons}</tr>")
    body = "".join(rows)
    return f"<h3>{draw_text(block.title)}</h3><table><thead><tr>{heads}</tr></thead><tbody>{body}</tbody></table>"


def _draw_cell(cell: str | Styled | None) -> str:
    if cell is None:
        return '<span class="faint">∅</span>'
    return _draw_styled([cell]) if isinstance(cell, Styled) else draw_text(cell)
