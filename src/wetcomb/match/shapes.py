"""Shapes of values: what kind of thing a piece of text looks like.

The narrowest shape that covers the whole value is its shape. Order matters: a run of
digits is `digits` before it is a `number`, a `number` before it is a `code`.
"""

from __future__ import annotations

import re
from functools import lru_cache

__all__ = ["SHAPES", "TYPED", "find_shape", "outline"]

_NUMBER = r"[-+]?(?:\d{1,3}(?:[.,'\u00a0\u202f ]\d{3})+|\d+)(?:[.,]\d+)?|[-+]?[.,]\d+"
_DATE = (
    r"\d{4}[-/.]\d{1,2}[-/.]\d{1,2}|\d{1,2}[-/.]\d{1,2}[-/.](?:\d{4}|\d{2})"
    r"|\d{1,2}\.? ?-?[^\W\d_]{3,9}\.?,? ?-?(?:\d{4}|\d{2})|[^\W\d_]{3,9}\.? \d{1,2}, \d{4}"
)
_TIME = r"\d{1,2}:\d{2}(?::\d{2}(?:[.,]\d+)?)?(?: ?[apAP]\.?[mM]\.?)?"
_SIGN = r"[€$£¥]|[A-Z]{3}"
_WORD = r"[^\W\d_]+(?:['’-][^\W\d_]+)*\.?"

#: Every shape with what covers it, the narrowest first; anything else is `text`.
SHAPES = {
    "empty": "",
    "digits": r"\d+",
    "number": f"(?:{_NUMBER})-?|\\((?:{_NUMBER})\\)",
    "percent": f"(?:{_NUMBER}) ?%",
    "money": f"(?:{_SIGN}) ?(?:{_NUMBER})|(?:{_NUMBER}) ?(?:{_SIGN})",
    "date": f"(?:{_DATE})(?:[T ,]+{_TIME})?",
    "time": _TIME,
    "yes-no": r"(?i:yes|no|true|false|y|n)",
    "email": r"[^\s@,;<>]+@[^\s@,;<>]+\.[^\s@,;<>]+",
    "url": r"(?i:https?://|www\.)\S+",
    "code": r"(?=\D*\d)[^\W_]+(?:[-/._:][^\W_]+)*",
    "word": _WORD,
    "words": f"{_WORD}(?: (?:[&-] )?{_WORD})+",
}

#: Shapes that a heading hardly ever has.
TYPED = frozenset({"digits", "number", "percent", "money", "date", "time", "email", "url"})

_PATTERNS = tuple((name, re.compile(pattern)) for name, pattern in SHAPES.items())
_LONGEST = 200  # characters; a longer value is text, and no pattern has to run over it
_RUNS = re.compile(r"[^\W\d_]+|\d+|\s+|[\W_]")


@lru_cache(maxsize=1 << 16)
def find_shape(value: str) -> str:
    """Return the name of the narrowest shape that covers a value."""
    if len(value) > _LONGEST:
        return "text"
    for name, pattern in _PATTERNS:
        if pattern.fullmatch(value):
            return name
    return "text"


def outline(value: str) -> str:
    """Return a value with each run of letters as `A`, of digits as `9`, of spacing as a blank."""
    return _RUNS.sub(_outline_run, value)


def _outline_run(run: re.Match[str]) -> str:
    first = run[0][0]
    return "A" if first.isalpha() else "9" if first.isdigit() else " " if first.isspace() else first
