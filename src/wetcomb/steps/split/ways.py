"""The ways to make records of what is cut, and which options go together: one table.

Checks, the help's words and what a draft may try are made from it.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec

__all__ = ["WAYS", "Way", "find_way_words"]


class Way(msgspec.Struct, frozen=True):
    """A way to make records.

    Attributes
    ----------
    name : what it is called in the code
    flag : the option that chooses it
    is_chosen : whether options choose it
    own : options that mean nothing without it
    only : the options it takes beside those that are settled for it; empty where it takes any
    refuses : options that contradict it
    why : what is said of those that are refused
    needs_lines : whether a draft may not change what a record is
    """

    name: str
    flag: str
    is_chosen: Callable[[Any], bool]
    own: tuple[str, ...] = ()
    only: tuple[str, ...] = ()
    refuses: tuple[str, ...] = ()
    why: str = ""
    needs_lines: bool = True


_SETTLED = ("delimiter", "quote", "cell_shapes", "heading", "names")
_LINES_ONLY = "--group and --totals need a record a line, or --wrapped ones"

#: All of them; those that read a text by themselves first, and a record a line last.
WAYS = (
    Way(
        "column",
        "--column",
        lambda split: bool(split.column),
        own=("keep_original",),
        refuses=("panels", "per_record", "edges"),
        why="--column cuts single values; --edges, --panels and --per-record cut lines",
    ),
    Way(
        "outline",
        "--records-at heading",
        lambda split: bool(split.outline_level),
        only=("records_at", *_SETTLED),
    ),
    Way(
        "stacked",
        "--stacked",
        lambda split: split.stacked,
        only=("stacked", "edges", "touching", "tab_width", "missing", *_SETTLED),
    ),
    Way(
        "column-by-column",
        "--column-by-column",
        lambda split: split.column_by_column,
        only=(
            "column_by_column",
            "missing",
            "delimiter",
            "quote",
            "cell_shapes",
            "heading",
            "names",
        ),
    ),
    Way(
        "cells",
        "--per-record",
        lambda split: split.per_record > 0,
        own=("cell_shapes",),
        refuses=("group", "totals"),
        why=_LINES_ONLY,
        needs_lines=False,
    ),
    Way(
        "panels",
        "--panels",
        lambda split: split.panels > 1,
        refuses=("group", "totals"),
        why=_LINES_ONLY,
    ),
    Way(
        "pieces",
        "--each-a-record",
        lambda split: split.each_a_record,
        refuses=("group", "totals"),
        why=_LINES_ONLY,
        needs_lines=False,
    ),
    Way("continued", "--continues", lambda split: bool(split.continues)),
    Way(
        "wrapped",
        "--wrapped",
        lambda split: split.wrapped,
        own=("key", "parted_by", "glue", "hyphens"),
    ),
    Way("lines", "", lambda split: True),
)


def find_way_words(option_name: str) -> str:
    """Return how the help says which way an option goes with; nothing where it goes with any."""
    way = next((way for way in WAYS if option_name in way.own), None)
    return f"with {way.flag}: " if way is not None else ""
