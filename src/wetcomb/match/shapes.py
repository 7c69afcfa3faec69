"""Shapes of values: what kind of thing a text looks like. One table, for patterns and profiles.

A shape is a regular expression over UTF-8 bytes, written in Latin-1 characters that stand for
them. As a placeholder it takes what it covers; of a value the narrowest that covers all of it
is its shape. Order matters there: a run of digits is `digits` before it is a `number`, a
`number` before it is `money` or a `code`.
"""

from __future__ import annotations

import re
from functools import cache, lru_cache

import msgspec

__all__ = ["SHAPES", "TYPED", "Shape", "find_shape", "outline"]

# Letters as UTF-8: ASCII, Latin and all scripts behind it, without the blocks of punctuation
_LETTER = (
    r"(?:[A-Za-z]|[\xC3-\xDF][\x80-\xBF]|\xE0[\xA0-\xBF][\x80-\xBF]|\xE1[\x80-\xBF]{2}"
    r"|\xE3[\x81-\xBF][\x80-\xBF]|[\xE4-\xEF][\x80-\xBF]{2}|[\xF0-\xF4][\x80-\xBF]{3})"
)
_CAPITAL = r"(?:[A-Z]|[\xC3-\xDF][\x80-\xBF])"
_GROUPED = r"\d{1,3}(?:(?:[., ']|\xC2\xA0|\xE2\x80\xAF)\d{3})+"
_NUMBER = rf"[-+]?(?:{_GROUPED}|\d+)(?:[.,]\d+)?|[-+]?[.,]\d+"
_TIME = r"\d{1,2}:\d{2}(?::\d{2}(?:[.,]\d+)?)?(?: ?[apAP]\.?[mM]\.?)?"
_DATE = (
    r"\d{4}[-/.]\d{1,2}[-/.]\d{1,2}|\d{1,2}[-/.]\d{1,2}[-/.](?:\d{4}|\d{2})"
    rf"|\d{{1,2}}\.? ?-?{_LETTER}{{3,9}}\.?,? ?-?(?:\d{{4}}|\d{{2}})"
    rf"|{_LETTER}{{3,9}}\.? \d{{1,2}}, \d{{4}}"
)
_SIGN = r"(?:[$]|\xC2[\xA3\xA5]|\xE2\x82[\xA0-\xBF]|[A-Z]{3})"
_MONEY = rf"(?:[-+]?{_SIGN} ?)?(?:{_NUMBER})-?(?: ?{_SIGN})?"
_WORD = rf"{_LETTER}+(?:(?:['-]|\xE2\x80\x99){_LETTER}+)*\.?"
_ALNUM = rf"(?:{_LETTER}|\d)"


class Shape(msgspec.Struct, frozen=True):
    """One kind of value.

    Attributes
    ----------
    regex : what covers it, in bytes
    example : a value of it, for help and docs
    is_profile : whether a value is told to be of it where nobody asked; the narrowest comes first
    """

    regex: str
    example: str
    is_profile: bool = True


#: Every shape by its name.
SHAPES = {
    "digits": Shape(r"\d+", "0042"),
    "number": Shape(rf"(?:{_NUMBER})-?|\((?:{_NUMBER})\)", "1.250,50"),
    "percent": Shape(rf"(?:{_NUMBER}) ?%", "12,5 %"),
    "money": Shape(rf"{_MONEY}|\((?:{_MONEY})\)", "4,50 EUR"),
    "date": Shape(rf"(?:{_DATE})(?:[T ,]+{_TIME})?", "2 June 2031"),
    "time": Shape(_TIME, "08:30"),
    "yes-no": Shape(r"(?i:yes|no|true|false|y|n)", "yes"),
    "email": Shape(r"[^\s@,;<>]+@[^\s@,;<>]+\.[^\s@,;<>.]+", "keeper@halden-orrin.example"),
    "url": Shape(r"(?i:https?://|www\.)\S+", "https://halden-orrin.example/tolls"),
    "code": Shape(rf"(?=[^\s\d]*\d){_ALNUM}+(?:[-/._:]{_ALNUM}+)*", "LK-12/b"),
    "word": Shape(_WORD, "Tansy"),
    "words": Shape(rf"{_WORD}(?: +(?:[&-] )?{_WORD})*", "Halden Top Lock"),
    "measure": Shape(
        rf"(?:{_NUMBER}) ?(?:{_LETTER}|[%/]|\xC2\xB0|\xC2\xB5)+", "12 t", is_profile=False
    ),
    "initial": Shape(rf"{_CAPITAL}\.?", "R.", is_profile=False),
    "phone": Shape(r"\+?[\d(][\d()/ .-]{4,}\d", "+44 20 5550 199", is_profile=False),
    "text": Shape(r"[^\s](?:[^\r\n]*[^\s])?", "Closed, see notice 7", is_profile=False),
    "any": Shape(r"[^\r\n]*", "anything, or nothing", is_profile=False),
}

#: Shapes that a heading hardly ever has.
TYPED = frozenset({"digits", "number", "percent", "money", "date", "time", "email", "url"})

_DIGIT = re.compile(rb"\d")
_WORDS = ("yes-no", "word", "words")
_EITHER = ("email", "url")
#: Those that a value with a digit can be of, and one without: each is compiled when it is needed.
_PROFILES = [name for name, shape in SHAPES.items() if shape.is_profile]
_WITH_DIGITS = [name for name in _PROFILES if name not in _WORDS]
_WITHOUT_DIGITS = [name for name in _PROFILES if name in _WORDS + _EITHER]
_LONGEST = 200  # bytes; a longer value is text, and no pattern has to run over it
_RUNS = re.compile(r"[^\W\d_]+|\d+|\s+|[\W_]")


@lru_cache(maxsize=1 << 16)
def find_shape(value: str) -> str:
    """Return the name of the narrowest shape that covers a value, `empty` or `text`."""
    if not value:
        return "empty"
    raw = _make_digits_plain(value).encode()
    if len(raw) > _LONGEST:
        return "text"
    names = _WITH_DIGITS if _DIGIT.search(raw) else _WITHOUT_DIGITS
    is_ascii = raw.isascii()
    found = next((name for name in names if _compile(name, is_ascii).fullmatch(raw)), "text")
    return "text" if found == "words" and b"  " in raw else found  # a gap rather parts two values


@cache
def _compile(name: str, is_ascii: bool) -> re.Pattern[bytes]:
    """Return a shape ready to match; one for ASCII alone is compiled far faster."""
    regex = SHAPES[name].regex
    plain = regex.replace(_LETTER, "[A-Za-z]") if is_ascii else regex
    return re.compile(plain.encode("latin-1"))


def _make_digits_plain(value: str) -> str:
    """Return a value with the digits of every script as those of ASCII."""
    if value.isascii() or not any(map(str.isdecimal, value)):
        return value
    return "".join(str(int(sign)) if sign.isdecimal() else sign for sign in value)


def outline(value: str) -> str:
    """Return a value with each run of letters as `A`, of digits as `9`, of spacing as a blank."""
    return _RUNS.sub(_outline_run, value)


def _outline_run(run: re.Match[str]) -> str:
    first = run[0][0]
    return (
        "A" if first.isalpha() else "9" if first.isdecimal() else " " if first.isspace() else first
    )
