"""Text that was written in UTF-8 and read as a Western encoding once: what each of its signs stands for.

Line by line: where every run of signs that looks like a character of several bytes gives a likely
one, all are mended; where only some do, none is, and the line is a snag. It is wrong where a line
means such signs as they stand, as one that tells of wrong decoding does.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence

import numpy as np

from wetcomb.core.arrays import Ints

__all__ = ["find_repairs"]

#: A letter that begins a character of several bytes, and what such bytes look like behind it.
_BEHIND = [*map(chr, range(0x80, 0xC0)), *bytes(range(0x80, 0xA0)).decode("cp1252", "ignore")]
_WRONG = re.compile(
    "|".join(
        f"(?:{lead}){behind}"
        for lead, behind in (
            ("|".join(map(chr, range(0xC2, 0xE0))), f"(?:{'|'.join(_BEHIND)})"),
            ("|".join(map(chr, range(0xE0, 0xF0))), f"(?:{'|'.join(_BEHIND)})" * 2),
        )
    ).encode()
)
_SEVERAL = 3  # characters of one script in a line
#: What a character may be that was decoded wrongly.
_SCRIPTS = {
    "latin": (("\u00a0", "\u017f"), ("\u2010", "\u2026"), ("€", "€"), ("™", "™")),
    "greek": (("\u0370", "\u03ff"),),
    "cyrillic": (("\u0400", "\u04ff"),),
    "hebrew": (("\u0590", "\u05ff"),),
    "arabic": (("\u0600", "\u06ff"),),
    "east asian": (("\u3040", "\u30ff"), ("\u4e00", "\u9fff"), ("\uac00", "\ud7af")),
    "drawn": (("\u2500", "\u257f"),),
}


def find_repairs(
    raw: bytes, starts: Sequence[int], stops: Sequence[int]
) -> tuple[list[tuple[tuple[int, int], bytes]], Ints]:
    """Return what was decoded wrongly with what it stands for, and the lines where that is unclear.

    Parameters
    ----------
    starts, stops : the lines, as spans of the text
    """
    repairs: list[tuple[tuple[int, int], bytes]] = []
    unclear: list[int] = []
    for start, stop in zip(starts, stops, strict=True):
        found = list(_WRONG.finditer(raw, start, stop)) if b"\xc3" in raw[start:stop] else []
        made = _leave_likely([_decode_again(match[0]) for match in found])
        if all(made):
            repairs += [(match.span(), text) for match, text in zip(found, made, strict=True)]
        elif any(made):
            unclear.append(start)
    return repairs, np.array(unclear, np.int64)


def _decode_again(text: bytes) -> bytes:
    """Return the character that was decoded as two to four; nothing if it is none."""
    try:
        raw = b"".join(
            bytes([ord(sign)]) if 0x80 <= ord(sign) < 0xA0 else sign.encode("cp1252")
            for sign in text.decode()
        )
        made = raw.decode()
    except UnicodeError:
        return b""
    return made.encode() if len(made) == 1 else b""


def _leave_likely(made: list[bytes]) -> list[bytes]:
    """Return the characters of a line that are likely, nothing for the others.

    Letters and marks of Latin are; those of another script, or what rules are drawn of, where
    several of them stand in the line.
    """
    scripts = [_find_script(text.decode()) for text in made]
    counts = Counter(scripts)
    return [
        text if script == "latin" or (script and counts[script] >= _SEVERAL) else b""
        for text, script in zip(made, scripts, strict=True)
    ]


def _find_script(sign: str) -> str:
    """Return which of `_SCRIPTS` a character is of; nothing if of none."""
    return next(
        (name for name, ranges in _SCRIPTS.items() if any(a <= sign <= b for a, b in ranges)), ""
    )
