"""What people print where a value is missing."""

from __future__ import annotations

__all__ = ["LACKING_MARKS", "LACKING_WORDS"]

LACKING_MARKS = frozenset(["-", "–", "—", "--", "---", "?", "...", "*", "/", "–––", "•"])
LACKING_WORDS = frozenset(["nil", "n/a", "na", "n.a.", "none", "null", "nan", "tba", "tbd", "k.a."])
