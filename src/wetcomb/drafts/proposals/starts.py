"""How records begin: outlines of a first token that recur, and bullets."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence

from wetcomb.match.patterns import compile_pattern

__all__ = ["BULLET", "begins_so", "find_bullet", "find_starts"]

_MOST = 3
_CODE = re.compile(r"([^\W\d_]{1,5}[-./ ]?)(\d+)")
_DATE = re.compile(
    r"(?:\d{1,2}[./-]\d{1,2}[./-]\d{2,4}|\d{4}-\d\d-\d\d|\d{1,2}\.? [^\W\d_]{3,12}\.? \d{4})\b"
)
_TIME = re.compile(r"\d{1,2}:\d\d\b")
_DIGITS = re.compile(r"\d+")
BULLET = re.compile(r"\s*([-*•–—·‣◦▪●○■□›»→+o>])\s+(?=\S)")


def find_starts(lines: Sequence[str]) -> list[str]:
    """Return patterns of how several lines begin, the commonest first."""
    counts = Counter(filter(None, map(_make_start, lines)))
    found = [text for text, number in counts.most_common(_MOST) if number >= 3]
    codes = Counter(open_code for line in lines if (open_code := _open_code(line)))
    if codes and (most := codes.most_common(1)[0])[1] > max(
        (counts[text] for text in found), default=2
    ):
        found.insert(0, most[0])
    bullet = find_bullet(lines, share=0.15)
    return [*([f"text:{bullet} "] if bullet else []), *found]


def _open_code(line: str) -> str:
    """Return the pattern of a code that a line begins with, its letters and figures left open."""
    code = _CODE.match(line.strip())
    if not code:
        return ""
    letters = code[1].rstrip("-./ ")
    return rf"regex:[^\W\d_]{{{len(letters)}}}{re.escape(code[1][len(letters) :])}\d"


def begins_so(pattern: str, line: str) -> bool:
    """Return whether a line begins as a pattern says, indentation aside."""
    return compile_pattern(pattern).find(line.strip().encode(), "match") is not None


def _make_start(line: str) -> str:
    """Return the pattern of how a line begins; nothing where it begins like any other."""
    bare = line.strip()
    if "{" in bare or not bare:
        return ""
    if _DATE.match(bare):
        return "{date}"
    if _TIME.match(bare):
        return "{time}"
    if code := _CODE.match(bare):
        return f"{code[1]}{{digits}}"
    if digits := _DIGITS.match(bare):
        behind = bare[digits.end() : digits.end() + 1]
        mark = behind if behind and not behind.isalnum() and behind != " " else ""
        return f"{{{len(digits[0])} digits}}{mark}" if len(digits[0]) > 1 else f"{{digits}}{mark}"
    return ""


def find_bullet(lines: Sequence[str], share: float = 0.9) -> str:
    """Return the sign that stands before nearly all records, with a blank behind it; nothing if none does."""
    counts = Counter(found[1] for line in lines if (found := BULLET.match(line)))
    if not counts:
        return ""
    sign, number = counts.most_common(1)[0]
    return sign if number >= max(2, share * len(lines)) else ""
