"""Neutral blocks: what a view has to say, before anyone has decided how it is drawn."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

__all__ = ["Block", "Fact", "Grid", "Styled", "TextLines", "make_visible"]


class Styled(msgspec.Struct, frozen=True):
    """Some text in one role: plain, strong, faint, cut, snag, good or bad."""

    text: str
    role: str = "plain"


class Fact(msgspec.Struct, frozen=True):
    """A line of the account: what it is about, and what there is to say."""

    label: str
    parts: Sequence[Styled]


class TextLines(msgspec.Struct, frozen=True):
    """Lines as they stand, under a title; where they may wrap, none of their ends is left out."""

    title: str
    lines: Sequence[Sequence[Styled]]
    may_wrap: bool = False


class Grid(msgspec.Struct, frozen=True):
    """A table under a title; `None` is a missing value; a row with a reason is set off."""

    title: str
    names: Sequence[str]
    rows: Sequence[Sequence[str | Styled | None]]
    reasons: Sequence[str]
    n_more_columns: int = 0


Block = Fact | TextLines | Grid

_LINE_BREAKS = {"\r\n": "↵", "\n": "↵", "\r": "↵"}


def make_visible(text: str) -> str:
    """Return text that is safe to draw: line breaks and other controls as visible signs."""
    for breaks, sign in _LINE_BREAKS.items():
        text = text.replace(breaks, sign)
    if text.isprintable():
        return text
    return "".join(map(_show_character, text))


def _show_character(character: str) -> str:
    if character.isprintable() or character in "\u00a0\u3000":
        return character
    if character == "\t":
        return "⇥"
    code = ord(character)
    return chr(0x2400 + code) if code < 32 else "␡" if code == 127 else "�"
