"""lines: text as it is, a line a record.

It stands behind the steps that make text where that text is wanted as a file
(`wash paste.txt -o clean.txt`). Nothing is cut, trimmed or left out but the line ends; a
blank line is a line too.
"""

from __future__ import annotations

from typing import ClassVar

from wetcomb.steps.step import Step

__all__ = ["Lines"]


class Lines(Step, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Options of lines: there are none."""

    name: ClassVar[str] = "lines"
    is_command: ClassVar[bool] = False
    summary: ClassVar[str] = "text as it is, a line a record"
    usage: ClassVar[str] = "Write text as it is, a line a record."

    @property
    def reach(self) -> str:
        return "record"
