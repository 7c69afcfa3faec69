"""The parts of a text: tables, label blocks, lists, prose and notes, by their lines.

Evidence is taken from blocks of lines between blank lines: the same number of cuts at one
mark in most lines makes a table, labels with a mark behind them a label block, marks or
numbers in front a list; what is left is prose, and a short piece of it behind a table a note.
Tables that follow each other and are cut alike are one. It is a first look, for a person to
choose from; lines of a quoted cell that look like another block are its weakness.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from itertools import compress

import msgspec

from wetcomb.core.cutting.layout import is_rule

__all__ = ["KINDS", "FoundPart", "find_parts", "is_large_table"]

#: What a part can be.
KINDS = ("table", "label block", "list", "prose", "note")

_MARKS = {"tab": "\t", "pipe": "|", "semicolon": ";", "comma": ","}
_GAP = re.compile(r"(?<=\S)(?: {2,}|[ ]*\t\s*)(?=\S)")
_LABEL = re.compile(r"\s*[^\W\d][\w .()/#-]{0,30}?(?:\s*[:=]\s|\s*[:=]$|\s*\.{3,}\s|\s+\|\s)")
_ITEM = re.compile(r"\s*(?:[-*•–·]|\(?\d{1,3}[.)]|[a-z][.)])\s+\S")
_SHARE = 0.6
_NOTE_LINES = 2


class FoundPart(msgspec.Struct, frozen=True):
    """A part of a text.

    Attributes
    ----------
    kind : one of `KINDS`
    first, last : its lines, counted from 1
    mark : what parts a table's fields, nothing for the others
    excerpt : its first line
    is_open : it reaches the end of the sample, and perhaps goes on behind it
    """

    kind: str
    first: int
    last: int
    mark: str
    excerpt: str
    is_open: bool = False

    @property
    def lines(self) -> str:
        """Its lines, as `--lines` takes them."""
        return f"{self.first}-" if self.is_open else f"{self.first}-{self.last}"

    def move(self, by: int) -> FoundPart:
        """Return it so many lines further down."""
        return msgspec.structs.replace(self, first=self.first + by, last=self.last + by)


class _Block(msgspec.Struct):
    first: int
    lines: list[str]
    kind: str = ""
    mark: str = ""

    @property
    def last(self) -> int:
        return self.first + len(self.lines) - 1


def is_large_table(part: FoundPart) -> bool:
    """Return whether a part is a table of more than two lines, which may be meant by itself."""
    return part.kind == "table" and part.last - part.first > 1


def find_parts(sample: bytes, *, is_whole: bool = True) -> list[FoundPart]:
    """Return the parts of a text, or of a sample of it, in order."""
    lines = re.split(r"\r\n|\n|\r", sample.decode())
    if lines and not lines[-1]:
        lines.pop()
    blocks = [part for block in _cut_blocks(lines) for part in _part_block(block)]
    merged = _merge(blocks)
    parts = [
        FoundPart(block.kind, block.first, block.last, block.mark, block.lines[0].strip())
        for block in merged
    ]
    if parts and not is_whole:
        parts[-1] = msgspec.structs.replace(parts[-1], is_open=True)
    return parts


def _cut_blocks(lines: Sequence[str]) -> list[_Block]:
    blocks: list[_Block] = []
    is_open = False
    for number, line in enumerate(lines, 1):
        if not line.strip():
            is_open = False
            continue
        if is_open:
            blocks[-1].lines.append(line)
        else:
            blocks.append(_Block(number, [line]))
        is_open = True
    return blocks


def _part_block(block: _Block) -> list[_Block]:
    """Return a block with its kind, lines before and behind a table taken off it."""
    mark, counts = _find_mark(block.lines)
    if not mark:
        block.kind = _find_kind(block.lines)
        return [block]
    inside = [count > 0 or _is_rule(line) for count, line in zip(counts, block.lines, strict=True)]
    first = inside.index(True)
    last = len(inside) - 1 - inside[::-1].index(True)
    margin = min(_measure_indent(line) for line in block.lines[first : last + 1])
    while last + 1 < len(inside) and _measure_indent(block.lines[last + 1]) > margin + 1:
        last += 1  # a cell that goes on under its column
    parts = []
    if first:
        parts.append(_Block(block.first, block.lines[:first], _find_kind(block.lines[:first])))
    parts.append(_Block(block.first + first, block.lines[first : last + 1], "table", mark))
    if last + 1 < len(inside):
        rest = block.lines[last + 1 :]
        parts.append(_Block(block.first + last + 1, rest, _find_kind(rest)))
    return parts


def _measure_indent(line: str) -> int:
    return len(line) - len(line.lstrip())


def _is_rule(line: str) -> bool:
    return is_rule(line.encode())


def _find_mark(lines: Sequence[str]) -> tuple[str, list[int]]:
    """Return what parts a table's fields in most of these lines, and how often in each."""
    is_solid = [not _is_rule(line) for line in lines]
    solid = list(compress(lines, is_solid))
    if not solid:
        return "", []
    n_labels = sum(map(bool, map(_LABEL.match, solid)))
    is_labels = n_labels >= _SHARE * len(solid) and len(solid) == len(lines)  # no rule in it
    for name, mark in _MARKS.items():
        counts = [line.count(mark) for line in lines]
        if not any(counts):
            continue
        usual, number = Counter(compress(counts, is_solid)).most_common(1)[0]
        if usual == 0 or (name == "pipe" and usual == 1 and is_labels):
            continue
        needed = 0.75 if name == "comma" else _SHARE
        if (
            number >= needed * len(solid)
            and (len(solid) > 1 or usual > 1)
            and not (name == "comma" and _is_prose(solid, usual))
        ):
            return name, counts
    if is_labels and len(solid) > 1:
        return "", []
    counts = [len(_GAP.findall(line.strip())) for line in lines]
    n_cut = sum(count > 0 for count in compress(counts, is_solid))
    if n_cut >= _SHARE * len(solid) and (len(solid) > 1 or max(counts) > 2):
        return "gap", counts
    return "", []


def _is_prose(lines: Sequence[str], usual: int) -> bool:
    """Return whether commas stand in sentences: few, a blank behind each, many words between."""
    n_words = sum(len(line.split()) for line in lines) / (len(lines) * (usual + 1))
    n_blanks = sum(line.count(", ") for line in lines)
    return n_words > 4 and n_blanks >= 0.9 * sum(line.count(",") for line in lines)


def _find_kind(lines: Sequence[str]) -> str:
    least = _SHARE * len(lines)
    if len(lines) > 1 and sum(map(bool, map(_LABEL.match, lines))) >= least:
        return "label block"
    if len(lines) > 1 and sum(map(bool, map(_ITEM.match, lines))) >= least:
        return "list"
    return "prose"


def _merge(blocks: Sequence[_Block]) -> list[_Block]:
    """Put together neighbours of one kind; call a short piece of prose behind a table a note."""
    merged: list[_Block] = []
    for block in blocks:
        before = merged[-1] if merged else None
        if before is not None and _belongs(before, block):
            gap = [""] * (block.first - before.last - 1)
            before.lines += gap + block.lines
            continue
        if (
            before is not None
            and before.kind == "table"
            and block.kind == "prose"
            and len(block.lines) <= _NOTE_LINES
        ):
            block.kind = "note"
        merged.append(block)
    return merged


def _belongs(before: _Block, block: _Block) -> bool:
    if before.kind != block.kind:
        return False
    return before.kind != "table" or before.mark == block.mark
