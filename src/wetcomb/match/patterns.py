"""Patterns: text with placeholders, one small language for all commands.

`LK-{digits}` is a text with a shape in it, `{date as passed}  {words as boat}` names what it
finds. One space matches any spacing, `{gap}` two or more blanks or a tab; `{money as toll?}`
may be missing, with what is glued to it and the spacing before it; `{2 digits}` is just so
many of them. `text:` takes everything behind it literally; `regex:` makes it a regular expression whose named groups are fields.

A pattern becomes a test for bytes that must be there and a regular expression that runs only
where they are. So that no pattern can run without end, one in which a repeat can match the
same text in two ways is refused, and the more open repeats a pattern has, the shorter the
lines it is tried on.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import cache, cached_property
from typing import NamedTuple

import msgspec

from wetcomb.core.errors import UsageError, find_nearest
from wetcomb.match.endless import refuse_endless
from wetcomb.match.shapes import SHAPES

__all__ = [
    "COVERED",
    "Match",
    "Pattern",
    "compile_pattern",
    "depends_on_kinds",
    "read_shape",
]

#: What a pattern must cover, and for which options.
COVERED = {
    "the whole line": (
        "--drop-lines", "--keep-lines", "--group", "--totals", "--page-head", "--page-foot",
    ),
    "the line's start": ("--starts", "--from", "--to"),
    "the line's end": ("--ends",),
    "anywhere": ("--before", "--after"),
    "the whole piece": ("--drop-pieces",),
    "the whole value": ("--shape", "--cell-shapes"),
}  # fmt: skip

_SPACING = r"[ \t]"
_GAP = r"(?:[ \t]{2,}|\t)"
_PLACEHOLDER = re.compile(r"\s*(?:([1-9]\d?)\s+)?([a-z-]+)(?:\s+as\s+([^{}?]+?))?\s*(\?)?\s*")

#: How many bytes a line may have for a pattern of so many open repeats to be tried on it.
_LIMITS = (1 << 20, 1 << 20, 4_096, 400, 160, 96)
_OPEN = ("text", "any", "words")


class Match(NamedTuple):
    """A match: its span, and those of its fields (-1, -1 where one is missing), in bytes."""

    start: int
    end: int
    fields: tuple[tuple[int, int], ...]


def _to_bytes(text: str, place: int) -> int:
    return len(text[:place].encode()) if place > 0 and not text.isascii() else place


class Pattern(msgspec.Struct, frozen=True, dict=True):
    """A compiled pattern.

    Attributes
    ----------
    source : as it was written
    regex : what it matches, in UTF-8 bytes; None where it was given as `regex:`
    wide : the regular expression of `regex:`, in characters
    literal : bytes that must stand in every match; empty if none must
    is_prefix : every match begins with the literal
    fields : names of what it finds, in order
    longest : bytes of the longest line it is tried on
    """

    source: str
    regex: re.Pattern[bytes] | None
    wide: re.Pattern[str] | None
    literal: bytes
    is_prefix: bool
    fields: tuple[str, ...]
    longest: int

    @property
    def is_raw(self) -> bool:
        """Whether spacing at a line's edges counts."""
        return self.wide is not None

    @cached_property
    def is_text(self) -> bool:
        """Whether it is a text and nothing else, so that its literal alone tells a match."""
        return (
            self.is_prefix
            and self.regex is not None
            and self.regex.pattern == re.escape(self.literal)
        )

    def covers(self, value: bytes) -> bool:
        """Return whether it matches all of a value."""
        return self.find(value, "fullmatch") is not None

    def find(self, value: bytes, how: str = "search") -> Match | None:
        """Return where it stands in a value; `how` is `match`, `search` or `fullmatch`."""
        if len(value) > self.longest:
            return None
        if self.regex is not None:
            match = getattr(self.regex, how)(value)
            spans = [match.span(f"f{place}") for place in range(len(self.fields))] if match else []
            return Match(match.start(), match.end(), tuple(spans)) if match else None
        assert self.wide is not None
        text = value.decode()
        match = getattr(self.wide, how)(text)
        if match is None:
            return None
        spans = [match.span(name) for name in self.fields]
        return Match(
            _to_bytes(text, match.start()),
            _to_bytes(text, match.end()),
            tuple((_to_bytes(text, a), _to_bytes(text, b)) for a, b in spans),
        )

    def find_all(self, value: bytes) -> list[tuple[int, int]]:
        """Return every place where it stands in a value, from left to right; empty ones left out."""
        if len(value) > self.longest:
            return []
        if self.regex is not None:
            return [m.span() for m in self.regex.finditer(value) if m.end() > m.start()]
        assert self.wide is not None
        text = value.decode()
        return [
            (_to_bytes(text, m.start()), _to_bytes(text, m.end()))
            for m in self.wide.finditer(text)
            if m.end() > m.start()
        ]


@cache
def compile_pattern(source: str, *, ignore_case: bool = False) -> Pattern:
    """Return the pattern a text describes.

    Raises
    ------
    UsageError : a brace is not closed, a shape is unknown, it can match nothing, or it could
        run without end; the message says at which character
    """
    flags = re.IGNORECASE if ignore_case else 0
    if source.startswith("regex:"):
        return _compile_regex(source, flags)
    if source.startswith("text:"):
        pieces: list[_Token] = [_Token(source[5:])]
    else:
        pieces = _read_pieces(source)
    if not any(piece.text.strip() or piece.shape for piece in pieces):
        raise UsageError(f"pattern {source!r} is empty; it would match everywhere")
    names = [piece.name for piece in pieces if piece.name]
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice:
        raise UsageError(f"pattern {source!r} names {twice!r} twice")
    keys = {name: f"f{place}" for place, name in enumerate(names)}
    regex = _render(pieces, keys, is_literal=source.startswith("text:"))
    literal, is_prefix = _find_literal(pieces) if not ignore_case else (b"", False)
    return Pattern(
        source,
        re.compile(regex.encode("latin-1"), flags),
        None,
        literal,
        is_prefix,
        tuple(names),
        _LIMITS[min(sum(piece.shape in _OPEN for piece in pieces), len(_LIMITS) - 1)],
    )


def read_shape(text: str) -> str:
    """Return the pattern of a shape, given by its name or as a pattern itself.

    Raises
    ------
    UsageError : it is neither
    """
    if text in SHAPES:
        return f"{{{text}}}"
    if "{" not in text and not text.startswith(("text:", "regex:")):
        near = find_nearest(text, SHAPES) or "; one of: " + " ".join(SHAPES)
        raise UsageError(f"unknown shape {text!r}{near}, or a pattern like {{digits}}.{{2 digits}}")
    compile_pattern(text)
    return text


#: Shapes in which it matters which letters stand, not only that letters do.
_SPELLED = ("time", "url", "yes-no")


def depends_on_kinds(source: str) -> bool:
    """Return whether what a pattern covers depends on kinds of characters alone.

    Then any digit may stand for another in what it is tried on, and any letter for another of
    its size.
    """
    if source.startswith(("text:", "regex:")):
        return False
    return not any(
        piece.shape in _SPELLED or any(sign.isalnum() for sign in piece.text)
        for piece in _read_pieces(source)
    )


class _Token(msgspec.Struct, frozen=True):
    """Literal text, or a placeholder."""

    text: str = ""
    shape: str = ""
    name: str = ""
    is_optional: bool = False
    number: str = ""  # how many, where that is stated


def _read_pieces(source: str) -> list[_Token]:
    pieces, place = [], 0
    while place < len(source):
        opening = source.find("{", place)
        stray = source.find("}", place, opening if opening >= 0 else None)
        if stray >= 0:
            raise UsageError(
                f"pattern {source!r}: a closing brace at character {stray + 1} without an opening one; text: takes braces literally"
            )
        if opening < 0:
            pieces.append(_Token(source[place:]))
            break
        if opening > place:
            pieces.append(_Token(source[place:opening]))
        closing = source.find("}", opening)
        if closing < 0:
            raise UsageError(
                f"pattern {source!r}: the brace at character {opening + 1} is never closed; text: takes braces literally"
            )
        pieces.append(_read_placeholder(source, opening, source[opening + 1 : closing]))
        place = closing + 1
    return pieces


def _read_placeholder(source: str, opening: int, inner: str) -> _Token:
    found = _PLACEHOLDER.fullmatch(inner)
    shape = found[2] if found else inner.split()[0] if inner.split() else ""
    if found and found[1] and shape != "digits":
        raise UsageError(
            f"pattern {source!r}: only digits are counted, as in {{2 digits}}, found {inner!r} at character {opening + 2}"
        )
    if shape == "gap" and found and not found[3]:
        return _Token(shape="gap", is_optional=bool(found[4]))
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
    return _Token(shape=shape, name=name, is_optional=bool(found[4]), number=number)


def _render(pieces: Sequence[_Token], keys: dict[str, str], *, is_literal: bool) -> str:
    """Return the regular expression, in Latin-1 characters that stand for bytes."""
    parts: list[str] = []
    place = 0
    while place < len(pieces):
        piece = pieces[place]
        if not piece.is_optional:
            parts.append(_render_piece(piece, keys, is_literal=is_literal))
            place += 1
            continue
        before, glued = _cut_glued(parts)
        after = ""
        if place + 1 < len(pieces) and pieces[place + 1].text:
            text = pieces[place + 1].text
            tail = re.match(r"\S*", text)
            after = text[: tail.end()] if tail else ""
            pieces = [*pieces[: place + 1], _Token(text[len(after) :]), *pieces[place + 2 :]]
        inner = _render_piece(piece, keys, is_literal=False) + _escape(after)
        parts = [*before, f"(?:{glued}{inner})?"]
        place += 1
    return "".join(parts)


def _cut_glued(parts: list[str]) -> tuple[list[str], str]:
    """Take what is glued to an optional placeholder, and the spacing before it, off what precedes."""
    if not parts or parts[-1].startswith("(?"):
        return parts, ""
    found = re.search(r"(?:\[ \\t\]\+)?(?:(?!\[ \\t\]\+).)*$", parts[-1], re.DOTALL)
    start = found.start() if found else len(parts[-1])
    return [*parts[:-1], parts[-1][:start]], parts[-1][start:]


def _render_piece(piece: _Token, keys: dict[str, str], *, is_literal: bool) -> str:
    if piece.shape == "gap":
        return _GAP
    if piece.shape:
        inner = rf"\d{{{piece.number}}}" if piece.number else SHAPES[piece.shape].regex
        return f"(?P<{keys[piece.name]}>{inner})" if piece.name else f"(?:{inner})"
    if is_literal:
        return _escape(piece.text)
    words = re.split(r"[ \t]+", piece.text)
    return (_SPACING + "+").join(map(_escape, words))


def _escape(text: str) -> str:
    return re.escape(text.encode()).decode("latin-1")


def _find_literal(pieces: Sequence[_Token]) -> tuple[bytes, bool]:
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


def _compile_regex(source: str, flags: int) -> Pattern:
    text = source[len("regex:") :]
    try:
        plain = re.compile(text, flags)
    except re.error as error:
        where = f" at character {error.pos + 1 + 6}" if error.pos is not None else ""
        raise UsageError(f"pattern {source!r}{where}: {error.msg}") from error
    if plain.match("") and plain.fullmatch("") and not text.strip("^$"):
        raise UsageError(f"pattern {source!r} is empty; it would match everywhere")
    refuse_endless(source, text, flags)
    names = tuple(sorted(plain.groupindex, key=lambda name: plain.groupindex[name]))
    return Pattern(source, None, plain, b"", False, names, _find_longest(text))


def _find_longest(regex: str) -> int:
    """Return how long a line may be: shorter the more repeats without a bound there are."""
    n_open = len(re.findall(r"(?<!\\)[*+]|(?<!\\)\{\d+,\}", regex))
    return _LIMITS[min(n_open, len(_LIMITS) - 1)]
