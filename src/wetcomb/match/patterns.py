"""Patterns: text with placeholders, one small language for all commands.

`LK-{digits}` is a text with a shape in it, `{date as passed}  {words as boat}` names what it
finds. One space matches any spacing, `{gap}` two or more blanks or a tab; `{money as toll?}`
may be missing, with what is glued to it and the spacing before it; `{2 digits}` is just so
many of them. `{barge|tug as kind}` is one of a closed list, `{text:per ton?}` a text that may
be missing. `text:` takes everything behind it literally; `regex:` makes it a regular expression whose named groups are fields.

A pattern becomes a test for bytes that must be there and a regular expression that runs only
where they are. So that no pattern can run without end, one in which a repeat can match the
same text in two ways is refused, and the more open repeats a pattern has, the shorter the
lines it is tried on.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import cache, cached_property
from typing import NamedTuple

import msgspec

from wetcomb.core.errors import UsageError, find_nearest
from wetcomb.match.endless import refuse_endless
from wetcomb.match.pattern_language import CHOICE, Token, find_literal, read_pieces, render
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
    "the line's start": ("--starts", "--from", "--to", "--blocks"),
    "the line's end": ("--ends",),
    "anywhere": (
        "--before", "--after", "--pattern", "--each", "--above", "--left-of", "--between",
    ),
    "the whole piece": ("--drop-pieces",),
    "the whole value": ("--shape", "--cell-shapes"),
}  # fmt: skip

#: How many bytes a line may have for a pattern of so many open repeats to be tried on it.
_LIMITS = (1 << 20, 1 << 20, 4_096, 400, 160, 96)
_OPEN = ("text", "any", "words")


class Match(NamedTuple):
    """A match: its span, and those of its fields (-1, -1 where one is missing), in bytes."""

    start: int
    end: int
    fields: tuple[tuple[int, int], ...]


_WORD_BYTES = frozenset(b"0123456789_abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ") | set(
    range(0x80, 0x100)
)


def _cuts_word(value: bytes, found: Match) -> bool:
    """Return whether a match begins or ends between two characters of a word or number."""
    return any(
        0 < place < len(value) and {value[place - 1], value[place]} <= _WORD_BYTES
        for place in (found.start, found.end)
    )


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
    def is_all_named(self) -> bool:
        """Whether all that it finds is a field or its own text."""
        if self.wide is not None or self.source.startswith("text:"):
            return self.wide is None
        pieces = read_pieces(self.source)
        return all(piece.name or piece.shape in ("", "gap", CHOICE) for piece in pieces)

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

    def find(self, value: bytes, how: str = "search", place: int = 0) -> Match | None:
        """Return where it stands in a value from a place on; `how` is `match`, `search` or `fullmatch`."""
        if len(value) > self.longest:
            return None
        if self.regex is not None:
            match = getattr(self.regex, how)(value, place)
            spans = [match.span(f"f{place}") for place in range(len(self.fields))] if match else []
            return Match(match.start(), match.end(), tuple(spans)) if match else None
        assert self.wide is not None
        text = value.decode()
        match = getattr(self.wide, how)(text, len(value[:place].decode()) if place else 0)
        return None if match is None else self._lay(text, match)

    def find_each(self, value: bytes) -> Iterator[Match]:
        """Yield every match that cuts no word at its edges, from left to right."""
        place = 0
        while place <= len(value) and len(value) <= self.longest:
            found = self.find(value, place=place)
            if found is None:
                return
            if found.end > found.start and not _cuts_word(value, found):
                yield found
                place = found.end
            else:
                place = found.start + 1
                while place < len(value) and value[place] & 0xC0 == 0x80:
                    place += 1

    def find_all(self, value: bytes) -> Iterator[Match]:
        """Yield every match in a value, from left to right; empty ones left out."""
        if len(value) > self.longest:
            return
        if self.regex is not None:
            for match in self.regex.finditer(value):
                if match.end() > match.start():
                    spans = (match.span(f"f{place}") for place in range(len(self.fields)))
                    yield Match(*match.span(), tuple(spans))
            return
        assert self.wide is not None
        text = value.decode()
        for found in self.wide.finditer(text):
            if found.end() > found.start():
                yield self._lay(text, found)

    def _lay(self, text: str, match: re.Match[str]) -> Match:
        """Return a match in characters as one in bytes."""
        spans = [match.span(0), *map(match.span, self.fields)]
        whole, *fields = [(_to_bytes(text, a), _to_bytes(text, b)) for a, b in spans]
        return Match(*whole, tuple(fields))


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
        pieces: list[Token] = [Token(source[5:])]
    else:
        pieces = read_pieces(source)
    if not any(piece.text.strip() or piece.shape for piece in pieces):
        raise UsageError(f"pattern {source!r} is empty; it would match everywhere")
    names = [piece.name for piece in pieces if piece.name]
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice:
        raise UsageError(f"pattern {source!r} names {twice!r} twice")
    keys = {name: f"f{place}" for place, name in enumerate(names)}
    regex = render(pieces, keys, is_literal=source.startswith("text:"))
    literal, is_prefix = find_literal(pieces) if not ignore_case else (b"", False)
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
        piece.shape in (*_SPELLED, CHOICE) or any(sign.isalnum() for sign in piece.text)
        for piece in read_pieces(source)
    )


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
