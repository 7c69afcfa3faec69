"""Signs that are easily overlooked: what cannot be seen, and spaces that are no plain ones. One table."""

from __future__ import annotations

__all__ = [
    "CONTROLS",
    "DIRECTION_MARKS",
    "OVERLOOKED",
    "SOFT_HYPHENS",
    "SPECIAL_SPACES",
    "ZERO_WIDTH",
]

#: Characters without a width of their own.
ZERO_WIDTH = "\u200b\u200c\u200d\u2060\ufeff"
#: Marks that say which way what follows is read.
DIRECTION_MARKS = "\u200e\u200f\u061c\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069"
#: Hyphens that are seen only at a line's end.
SOFT_HYPHENS = "\u00ad"
#: Control characters that are neither spacing nor a line end nor a page's.
CONTROLS = "".join(map(chr, (*range(9), 11, *range(14, 32), 127)))
#: Those that may be letters of an older encoding: told, never taken.
_HIGH_CONTROLS = "".join(map(chr, range(0x80, 0xA0)))

_SPACES = {
    "no-break space": "\u00a0\u202f\u2007",
    "ideographic space": "\u3000",
    "other special space": "\u1680\u2000\u2001\u2002\u2003\u2004\u2005\u2006\u2008\u2009\u200a\u205f",
}
#: Every space that is no plain blank.
SPECIAL_SPACES = "".join(_SPACES.values())

#: All that is worth a word when a text is looked at, by what it is called.
OVERLOOKED = {
    **_SPACES,
    "zero-width character": ZERO_WIDTH,
    "soft hyphen": SOFT_HYPHENS,
    "typographic quote mark": "“”„‟‘’‚‛«»",
    "form feed": "\f",
    "tab": "\t",
    "replacement character": "\ufffd",
    "right-to-left or left-to-right mark": DIRECTION_MARKS,
    "control character": CONTROLS + _HIGH_CONTROLS,
}
