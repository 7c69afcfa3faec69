"""The language of patterns: text with placeholders, read as tokens and rendered as a regular expression."""

from __future__ import annotations

import re
from collections.abc import Sequence

import msgspec
from msgspec.structs import replace

from wetcomb.core.errors import UsageError, find_nearest
from wetcomb.match.shapes import SHAPES

__all__ = ["CHOICE", "Token", "find_literal", "read_pieces", "render"]

_SPACING = r"[ \t]"
_GAP = r"(?:[ \t]{2,}|\t)"
_PLACEHOLDER = re.compile(r"\s*(?:([1-9]\d?)\s+)?([a-z-]+)(?:\s+as\s+([^{}?]+?))?\s*(\?)?\s*")

#: Shapes that take any text, as they are where something must follow: as little as will do.
_LAZY = {"text": r"[^\s](?:[^\r\n]*?[^\s])??", "any": r"[^\r\n]*?"}
CHOICE = "choice"  # what is no shape, but one of some texts
_LIST = re.compile(r"\s*([^{}]*?)(?:\s+as\s+([^{}?|]+?))?\s*(\?)?\s*")
_INSIDE = r"A-Za-z0-9_\x80-\xff"


class Token(msgspec.Struct, frozen=True):
    """Literal text, or a placeholder."""

    text: str = ""
    shape: str = ""
    name: str = ""
    is_optional: bool = False
    number: str = ""  # how many, where that is stated
    choices: tuple[str, ...] = ()  # the texts of a closed list, whose shape is `CHOICE`


def read_pieces(source: str) -> list[Token]:
    """Return the tokens of a pattern.

    Raises
    ------
    UsageError : a brace is not closed or opened, or what stands in one is no placeholder
    """
    pieces, place = [], 0
    while place < len(source):
        opening = source.find("{", place)
        stray = source.find("}", place, opening if opening >= 0 else None)
        if stray >= 0:
            raise UsageError(
                f"pattern {source!r}: a closing brace at character {stray + 1} without an opening one; text: takes braces literally"
            )
        if opening < 0:
            pieces.append(Token(source[place:]))
            break
        if opening > place:
            pieces.append(Token(source[place:opening]))
        closing = source.find("}", opening)
        if closing < 0:
            raise UsageError(
                f"pattern {source!r}: the brace at character {opening + 1} is never closed; text: takes braces literally"
            )
        pieces.append(_read_placeholder(source, opening, source[opening + 1 : closing]))
        place = closing + 1
    return pieces


def _read_placeholder(source: str, opening: int, inner: str) -> Token:
    if "|" in inner or inner.lstrip().startswith("text:"):
        return _read_list(source, opening, inner)
    found = _PLACEHOLDER.fullmatch(inner)
    shape = found[2] if found else inner.split()[0] if inner.split() else ""
    if found and found[1] and shape != "digits":
        raise UsageError(
            f"pattern {source!r}: only digits are counted, as in {{2 digits}}, found {inner!r} at character {opening + 2}"
        )
    if shape == "gap" and found and not found[3]:
        return Token(shape="gap", is_optional=bool(found[4]))
    if shape not in SHAPES or not found:
        known = [*SHAPES, "gap"]
        wanted = (
            find_nearest(shape, known)
            if shape not in SHAPES
            else "; write it as {shape as name}, with ? where it may be missing"
        )
        raise UsageError(
            f"pattern {source!r}: unknown shape {inner!r} at character {opening + 2}{wanted or '; one of: ' + ' '.join(known)}"
        )
    name, number = (found[3] or "").strip(), found[1] or ""
    return Token(shape=shape, name=name, is_optional=bool(found[4]), number=number)


def _read_list(source: str, opening: int, inner: str) -> Token:
    """Return the token of a closed list, or of a text by itself."""
    found = _LIST.fullmatch(inner)
    assert found is not None  # it covers anything that has no brace
    written = found[1].removeprefix("text:")
    texts = tuple(
        " ".join(one.split()) for one in ([written] if written != found[1] else written.split("|"))
    )
    if not all(texts):
        raise UsageError(
            f"pattern {source!r}: a text is empty in the list {inner!r} at character {opening + 2}; ? says that it may be missing"
        )
    return Token(
        shape=CHOICE, name=(found[2] or "").strip(), is_optional=bool(found[3]), choices=texts
    )


def render(pieces: Sequence[Token], keys: dict[str, str], *, is_literal: bool) -> str:
    """Return the regular expression, in Latin-1 characters that stand for bytes.

    What takes any text ends where that which must follow it first fits; at the end it takes all.
    """
    parts: list[str] = []
    place = 0
    while place < len(pieces):
        piece = pieces[place]
        if piece.shape in _LAZY and any(map(_is_needed, pieces[place + 1 :])):
            piece = replace(piece, shape=f"{piece.shape}, short")
        if not piece.is_optional:
            parts.append(_render_piece(piece, keys, is_literal=is_literal))
            place += 1
            continue
        before, glued = _cut_glued(parts)
        after = ""
        if place + 1 < len(pieces) and pieces[place + 1].text:
            text = pieces[place + 1].text
            tail = re.match(r"[^\s;,|]*", text)
            after = text[: tail.end()] if tail else ""
            pieces = [*pieces[: place + 1], Token(text[len(after) :]), *pieces[place + 2 :]]
        inner = _render_piece(piece, keys, is_literal=False) + _escape(after)
        parts = [*before, f"(?:{glued}{inner})?"]
        place += 1
    return "".join(parts)


def _is_needed(piece: Token) -> bool:
    """Return whether something must stand there."""
    return not piece.is_optional and bool(piece.text.strip() or piece.shape not in ("", "any"))


def _cut_glued(parts: list[str]) -> tuple[list[str], str]:
    """Take what is glued to an optional placeholder, and the spacing before it, off what precedes."""
    if not parts or parts[-1].startswith("(?"):
        return parts, ""
    found = re.search(r"(?:\[ \\t\]\+)?(?:(?!\[ \\t\]\+).)*$", parts[-1], re.DOTALL)
    start = found.start() if found else len(parts[-1])
    return [*parts[:-1], parts[-1][:start]], parts[-1][start:]


def _render_piece(piece: Token, keys: dict[str, str], *, is_literal: bool) -> str:
    if piece.shape == "gap":
        return _GAP
    if piece.shape:
        inner = rf"\d{{{piece.number}}}" if piece.number else _find_regex(piece)
        return f"(?P<{keys[piece.name]}>{inner})" if piece.name else f"(?:{inner})"
    if is_literal:
        return _escape(piece.text)
    words = re.split(r"[ \t]+", piece.text)
    return (_SPACING + "+").join(map(_escape, words))


def _find_regex(piece: Token) -> str:
    """Return what covers a shape, or one of the texts of a closed list: the longest, and no part of a word."""
    if piece.shape != CHOICE:
        name, _, is_short = piece.shape.partition(", ")
        return _LAZY[name] if is_short else SHAPES[name].regex
    texts = sorted(piece.choices, key=lambda text: -len(text))
    return "|".join(
        (rf"(?<![{_INSIDE}])" if text[0].isalnum() else "")
        + (_SPACING + "+").join(map(_escape, text.split(" ")))
        + (rf"(?![{_INSIDE}])" if text[-1].isalnum() else "")
        for text in texts
    )


def _escape(text: str) -> str:
    return re.escape(text.encode()).decode("latin-1")


def find_literal(pieces: Sequence[Token]) -> tuple[bytes, bool]:
    """Return the longest text without spacing that must be there, and whether it comes first."""
    best, is_prefix = "", False
    for place, piece in enumerate(pieces):
        neighbours = [*pieces[max(0, place - 1) : place], *pieces[place + 1 : place + 2]]
        words = piece.text.split(" ")
        for nth, word in enumerate(words):
            is_glued = any(
                other.is_optional
                and (
                    (other in pieces[:place] and nth == 0)
                    or (other not in pieces[:place] and nth == len(words) - 1)
                )
                for other in neighbours
            )
            first = place == 0 and nth == 0
            if word.strip() and not is_glued and "\t" not in word:
                if first:
                    return word.encode(), True
                if len(word) > len(best):
                    best = word
    return best.encode(), is_prefix
