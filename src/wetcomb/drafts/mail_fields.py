"""Fields in the heads of mails that were pasted one under another: who, when, about what.

A head before every block of a text belongs to its record. What all heads have alike is no field,
nor is what programs add.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from itertools import pairwise

from wetcomb.match.mail_heads import Head, is_technical, iterate_heads

__all__ = ["find_each_head", "list_mail_fields"]

_LEAST = 3  # mails
_MOST = 0.9  # share of the blocks that a head stands before, and of heads that have a field


def find_each_head(lines: Sequence[str], begins: Sequence[int]) -> list[Head]:
    """Return the heads that stand before blocks, one each, if nearly all blocks have one; else nothing.

    Parameters
    ----------
    begins : the lines that begin the blocks, or nothing where each mail is one
    """
    heads = list(iterate_heads([line.encode() for line in lines], range(len(lines))))
    if len(heads) < _LEAST or not begins:
        return heads if len(heads) >= _LEAST else []
    each = []
    for before, begin in pairwise([-1, *begins]):
        here = [head for head in heads if before < head.first <= begin]
        if len(here) > 1:
            return []
        each += here
    is_most = len(each) >= max(_LEAST, _MOST * len(begins))
    return each if is_most and len(each) == len(heads) else []


def list_mail_fields(lines: Sequence[str], heads: Sequence[Head]) -> list[tuple[str, str]]:
    """Return the fields that nearly all heads have and that differ, as they are printed, and as a label names them."""
    said: dict[str, set[str]] = {}
    printed: dict[str, str] = {}
    counts: Counter[str] = Counter()
    for head in heads:
        for name in head.names:
            line = lines[name.line]
            label = line.split(":", 1)[0].strip(" \t>")
            printed.setdefault(name.name, label)
            counts[name.name] += 1
            said.setdefault(name.name, set()).add(line.strip())
    return [
        (label, f"mail.{label} as {label}")
        for name, label in printed.items()
        if counts[name] >= _MOST * len(heads) and len(said[name]) > 1 and not is_technical(name)
    ]
