"""The lines of a text, and the blocks they make."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise

import msgspec

from wetcomb.core.text import Text
from wetcomb.match.labels import FoundLabel, LabelFinder, is_parting
from wetcomb.match.lines import match_line
from wetcomb.match.mail_heads import find_heads, read_head_line
from wetcomb.match.patterns import Pattern

__all__ = ["Line", "find_begins", "read_lines"]

Span = tuple[int, int]


class Line(msgspec.Struct):
    """A line of a chunk.

    Attributes
    ----------
    start, end, stop : where it begins, where its line end does, and where that ends
    raw : what it says
    labels : those that stand in it
    """

    start: int
    end: int
    stop: int
    raw: bytes
    labels: list[FoundLabel]

    @property
    def is_blank(self) -> bool:
        """Whether nothing stands on it."""
        return not self.raw.strip(b" \t\f")

    @property
    def is_rule(self) -> bool:
        """Whether it is nothing but marks, as those that part blocks are."""
        return not self.labels and is_parting(self.raw)

    @property
    def indent(self) -> int:
        """How much spacing stands before it, in bytes."""
        return len(self.raw) - len(self.raw.lstrip(b" \t\f"))


def read_lines(
    chunk: Text, finder: LabelFinder, mail: Mapping[str, int], *, is_last: bool
) -> list[Line]:
    """Return the whole lines of a chunk with their labels.

    Parameters
    ----------
    mail : the labels that are names in the heads of mails; no other counts there
    """
    raw = chunk.data[: chunk.body_size].tobytes()
    starts = chunk.line_starts[chunk.line_starts < chunk.body_size].tolist()
    lines = []
    for start, stop in pairwise([*starts, chunk.body_size]):
        body = raw[start:stop].rstrip(b"\r\n")
        if stop == chunk.body_size and not is_last and not raw.endswith(b"\n"):
            continue  # it may go on
        lines.append(Line(start, start + len(body), stop, body, finder.find(body)))
    for first, end in find_heads([line.raw for line in lines]):
        for line in lines[first:end]:
            line.labels = _find_mail_labels(line, mail)
    return lines


def _find_mail_labels(line: Line, mail: Mapping[str, int]) -> list[FoundLabel]:
    read = read_head_line(line.raw)
    if read is None or read[0] not in mail:
        return []
    return [FoundLabel(mail[read[0]], line.indent, read[1])]


def find_begins(lines: Sequence[Line], blocks: str, pattern: Pattern | None) -> list[int]:
    """Return the lines that begin blocks; those before the first belong to none.

    Blank lines and rules that part blocks belong to the block before them.
    """
    if blocks == "file":
        return [0] if lines else []
    if blocks == "first-label":
        return [k for k, line in enumerate(lines) if any(not one.label for one in line.labels)]
    if pattern is not None:
        return [k for k, line in enumerate(lines) if match_line(pattern, line.raw, "start")]
    begins, is_parted = [], True
    for place, line in enumerate(lines):
        if line.is_blank if blocks == "blank-line" else line.is_rule:
            is_parted = True
        elif is_parted and not line.is_blank:
            begins.append(place)
            is_parted = False
    return begins
