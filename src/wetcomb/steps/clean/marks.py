"""Marks, spacing and letters of single values: what is to go, what is to be written otherwise."""

from __future__ import annotations

from collections.abc import Callable

from wetcomb.match.letter_case import make_capital, make_small
from wetcomb.match.patterns import Match, Pattern
from wetcomb.steps.clean.edits import Cut
from wetcomb.steps.clean.written import FIELD

__all__ = [
    "make_letters",
    "make_one_space",
    "make_replace",
    "make_strip",
    "make_take_out",
    "make_unquote",
    "trim",
]

_QUOTES = {'"': '"', "'": "'", "“": "”", "„": "“", "«": "»", "»": "«", "‘": "’", "‚": "‘"}
_SPACING = " \t"


def trim(value: bytes) -> Cut | None:
    """Take spacing off the edges of a value."""
    begin = len(value) - len(value.lstrip(b" \t"))
    end = len(value.rstrip(b" \t"))
    if begin == 0 and end == len(value):
        return None
    if begin >= end:
        return Cut((), ((0, len(value), "spacing"),))
    edges = [(0, begin, "spacing"), (end, len(value), "spacing")]
    return Cut(((begin, end),), [edge for edge in edges if edge[1] > edge[0]])


def make_unquote() -> Callable[[bytes], Cut | None]:
    """Return what takes a pair of quote marks off a value."""

    def edit(value: bytes) -> Cut | None:
        text = value.decode()
        closing = _QUOTES.get(text[:1])
        if closing is None or len(text) < 2 or not text.endswith(closing):
            return None
        if text[0] == closing and closing in text[1:-1].replace(closing * 2, ""):
            return None  # it is not these two that belong together
        first, last = len(text[0].encode()), len(closing.encode())
        end = len(value) - last
        kept = ((first, end),) if end > first else ()
        return Cut(kept, ((0, first, "quote-mark"), (end, len(value), "quote-mark")))

    return edit


def make_one_space() -> Callable[[bytes], Cut | None]:
    """Return what leaves one blank of several within a value."""

    def edit(value: bytes) -> Cut | None:
        if b"  " not in value and b"\t" not in value:
            return None
        kept, gone, place, begin = [], [], 0, 0
        while place < len(value):
            if value[place] not in b" \t":
                place += 1
                continue
            end = place
            while end < len(value) and value[end] in b" \t":
                end += 1
            if end - place > 1:
                kept.append((begin, place + 1))
                gone.append((place + 1, end, "spacing"))
                begin = end
            place = end
        kept.append((begin, len(value)))
        return Cut([span for span in kept if span[1] > span[0]], gone) if gone else None

    return edit


def make_strip(marks: str) -> Callable[[bytes], Cut | None]:
    """Return what takes signs off a value's edges, and the spacing that comes to stand there."""

    def edit(value: bytes) -> Cut | None:
        text = value.decode()
        left = text.lstrip(marks + _SPACING)
        begin = len(text) - len(left)
        end = begin + len(left.rstrip(marks + _SPACING))
        if (begin == 0 and end == len(text)) or not any(
            sign in marks for sign in text[:begin] + text[end:]
        ):
            return None
        first, last = len(text[:begin].encode()), len(text[:end].encode())
        gone = [(0, first, "taken-out"), (last, len(value), "taken-out")]
        kept = ((first, last),) if last > first else ()
        if not kept:
            gone = [(0, len(value), "taken-out")]
        return Cut(kept, [one for one in gone if one[1] > one[0]])

    return edit


def make_take_out(marks: str) -> Callable[[bytes], Cut | None]:
    """Return what takes signs out of a value wherever they stand."""

    def edit(value: bytes) -> Cut | None:
        text = value.decode()
        if not any(sign in text for sign in marks):
            return None
        kept: list[tuple[int, int]] = []
        gone: list[tuple[int, int, str]] = []
        place = 0
        for sign in text:
            size = len(sign.encode())
            if sign in marks:
                gone.append((place, place + size, "taken-out"))
            elif kept and kept[-1][1] == place:
                kept[-1] = (kept[-1][0], place + size)
            else:
                kept.append((place, place + size))
            place += size
        return Cut(kept, gone)

    return edit


def make_replace(pattern: Pattern, new: str) -> Callable[[bytes], bytes | Cut | None]:
    """Return what puts a text in the place of a pattern, wherever that stands.

    Where the pattern names fields, `{name}` in the text is what was found as that field.
    """
    parts = FIELD.split(new) if pattern.fields else [new]  # every second one names a field
    literals = [part.encode() for part in parts[::2]]
    fields = [pattern.fields.index(name) for name in parts[1::2]]

    def write(value: bytes, found: Match) -> bytes:
        spans = [found.fields[field] for field in fields]
        values = [value[begin:end] if begin >= 0 else b"" for begin, end in spans]
        return literals[0] + b"".join(map(bytes.__add__, values, literals[1:]))

    def edit(value: bytes) -> bytes | Cut | None:
        found = [*pattern.find_all(value)]
        if not found:
            return None
        made, place = [], 0
        for match in found:
            made += [value[place : match.start], write(value, match)]
            place = match.end
        result = b"".join([*made, value[place:]])
        if not result:
            return Cut((), ((0, len(value), "taken-out"),))
        return result if result != value else None

    return edit


def make_letters(how: str) -> Callable[[bytes], bytes | None]:
    """Return what writes a value in other letters."""

    def edit(value: bytes) -> bytes | None:
        text = value.decode()
        made = _LETTERS[how](text)
        return made.encode() if made != text else None

    return edit


def _write_first(text: str) -> str:
    """Return a text with a capital first, and small letters behind it."""
    return make_capital(text[:1]) + make_small(text[1:])


def _write_initials(text: str) -> str:
    """Return a text in which each word begins with a capital."""
    parts, is_begin = [], True
    for sign in text:
        parts.append(make_capital(sign) if is_begin else make_small(sign))
        is_begin = sign.isspace() or sign in "-–/("
    return "".join(parts)


_LETTERS: dict[str, Callable[[str], str]] = {
    "upper": make_capital, "lower": make_small, "first": _write_first, "initials": _write_initials,
}  # fmt: skip
