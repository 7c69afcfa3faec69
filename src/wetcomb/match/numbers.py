"""Numbers as people print them."""

from __future__ import annotations

import re
from decimal import Decimal, InvalidOperation

__all__ = ["read_number"]

_SIGNS = re.compile(r"[^\d.,+()-]")


def read_number(text: str) -> Decimal | None:
    """Return the number a figure stands for; None if it is none.

    The last mark in it is the decimal one, unless just three digits follow and all marks are alike.
    """
    bare = _SIGNS.sub("", text)
    is_negative = bare.startswith(("-", "(")) or bare.endswith("-")
    bare = bare.strip("+-()")
    marks = [mark for mark in bare if mark in ".,"]
    if marks:
        head, mark, tail = bare.rpartition(marks[-1])
        is_group = (
            len(tail) == 3
            and (len(marks) > 1 or head.strip("0") != "")
            and marks.count(mark) == len(marks)
        )
        whole = re.sub("[.,]", "", head)
        bare = whole + tail if is_group else f"{whole}.{tail}"
    try:
        number = Decimal(bare)
    except InvalidOperation:
        return None
    return -number if is_negative else number
