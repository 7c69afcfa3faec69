"""Where blocks begin, and what in their first lines says so."""

from __future__ import annotations

import re
from collections.abc import Sequence

import msgspec
import numpy as np

from wetcomb.core.arrays import Bools, Ints, leave_out, sort_unique
from wetcomb.match.labels import is_parting
from wetcomb.match.lines import find_lines
from wetcomb.match.mail_heads import ABOUT, HeadName, is_inner_head, iterate_heads
from wetcomb.match.patterns import Pattern
from wetcomb.steps.pull.line_labels import Labels
from wetcomb.steps.pull.lines import Lines

__all__ = [
    "MAY_BE_RULE", "Blocks", "MailHead", "Rising", "find_blocks", "find_mail_heads", "find_rules",
]  # fmt: skip

Span = tuple[int, int]
Rising = tuple[int, bytes]

_NUMBERED = re.compile(rb"(\d{1,9})([.):]|(?=[ \t]|$))[ \t]*")
#: Which bytes a rule may begin with; the others are letters, figures and marks of text.
MAY_BE_RULE = np.ones(256, np.bool_)
MAY_BE_RULE[
    [*range(0x30, 0x3A), *range(0x41, 0x5B), *range(0x61, 0x7B), *b" \t,;:!?'\"()/<>$%&@"]
] = False
#: The last four bytes of what a head says what it is about, in small letters, as a number.
_ABOUT_LAST = sorted(
    {int.from_bytes(name.encode()[-4:], "big") | 0x20202020 for name in ABOUT}
    | {int.from_bytes(name.upper().encode()[-4:], "big") | 0x20202020 for name in ABOUT}
)


class MailHead(msgspec.Struct, frozen=True):
    """The head of a mail: its first line, the one behind it, whether that mail is within another, its names."""

    first: int
    end: int
    is_inner: bool
    names: list[HeadName]


class Blocks(msgspec.Struct, eq=False):
    """Where the blocks of a chunk begin.

    Attributes
    ----------
    begins : (B,) the first line of each, rising
    marks : spans in these lines that say so and are no value
    fields : what a pattern for the first line names: number of the block, of the field, its span
    rising : the number that the last of them begins with and the sign behind it, where these rise
    """

    begins: Ints
    marks: list[Span] = msgspec.field(default_factory=list)
    fields: list[tuple[int, int, Span]] = msgspec.field(default_factory=list)
    rising: Rising = (-1, b"")

    def cut(self, lines: Lines) -> Blocks:
        """Return only the blocks that begin in some lines, the first of these."""
        n_blocks = int(np.searchsorted(self.begins, lines.n_lines))
        marks = [mark for mark in self.marks if mark[0] < lines.end]
        fields = [field for field in self.fields if field[0] < n_blocks]
        number, sign = self.rising
        left = (number - (self.begins.size - n_blocks), sign)
        return Blocks(self.begins[:n_blocks], marks, fields, left)


def find_blocks(
    lines: Lines,
    labels: Labels,
    heads: Sequence[MailHead],
    how: str,
    pattern: Pattern | None,
    rising: Rising,
) -> Blocks:
    """Return where blocks begin; lines before the first belong to none.

    Blank lines and rules that part blocks belong to the block before them.

    Parameters
    ----------
    how : a word of `--blocks`
    pattern : what their first lines begin with, where no word says where they begin
    rising : the number that the block before this chunk began with, and the sign behind it; -1
        if there was none
    """
    if pattern is not None:
        return _find_pattern(lines, labels, pattern, _list_inside(heads))
    if how == "file":
        return Blocks(np.arange(min(1, lines.n_lines)))
    if how == "line":
        return Blocks(np.flatnonzero(~lines.is_blank))
    if how == "first-label":
        first = sort_unique(labels.lines[labels.labels == 0])
        return Blocks(sort_unique(_move_to_heads(first, heads)))
    if how == "rising":
        return _find_rising(lines, rising, _list_inside(heads))
    if how == "mail":
        return _find_mails(lines, heads)
    parts = (
        lines.is_blank
        if how == "blank-line"
        else find_rules(lines, _list_unlabelled(lines, labels))
    )
    solid = np.flatnonzero(~parts & ~lines.is_blank)
    parted = np.append(0, np.cumsum(parts))  # how many stand before each line
    is_begin = np.append(True, np.diff(parted[solid]) > 0)[: solid.size]
    return Blocks(solid[is_begin])


def _list_inside(heads: Sequence[MailHead]) -> Ints:
    """Return the lines of heads, their first ones left out: no block begins there."""
    inside = [np.arange(head.first + 1, head.end) for head in heads]
    return np.concatenate([np.zeros(0, np.int64), *inside])


def _move_to_heads(begins: Ints, heads: Sequence[MailHead]) -> Ints:
    """Return beginnings in heads at the first lines of these; those of mails within others are none."""
    firsts = np.array([head.first for head in heads], np.int64)
    ends = np.array([head.end for head in heads], np.int64)
    if not firsts.size:
        return begins
    at = np.searchsorted(firsts, begins, "right") - 1
    is_inside = (at >= 0) & (begins < ends[at])
    inner = np.array([head.is_inner for head in heads], np.bool_)
    return np.where(is_inside, firsts[at], begins)[~(is_inside & inner[at])]


def _list_unlabelled(lines: Lines, labels: Labels) -> Ints:
    is_free = ~lines.is_blank
    is_free[labels.lines] = False
    return np.flatnonzero(is_free)


def find_rules(lines: Lines, places: Ints) -> Bools:
    """Return which of all lines are rules; only some of them are looked at."""
    found = np.zeros(lines.n_lines, np.bool_)
    first = lines.data.take(lines.begins[places], mode="clip")
    likely = places[MAY_BE_RULE[first]]
    found[likely] = [is_parting(lines.tell(line)) for line in likely.tolist()]
    return found


def _find_pattern(lines: Lines, labels: Labels, pattern: Pattern, inside: Ints) -> Blocks:
    found = find_lines(lines.data, lines.starts, lines.ends, [pattern], "start")
    begins = leave_out(np.flatnonzero(found & ~lines.is_blank), inside)
    blocks = Blocks(begins)
    has_label = np.zeros(lines.n_lines, np.bool_)
    has_label[labels.lines] = True
    for place, line in enumerate(begins.tolist()):
        if has_label[line]:
            continue  # what it says are labels
        base = int(lines.begins[line])
        match = pattern.find(lines.says(line), "match")
        if match is None:  # it begins with spacing itself
            continue
        at = base + match.start
        spans = sorted((base + a, base + b) for a, b in match.fields if b > a)
        for begin, end in spans:
            blocks.marks.append((at, begin))
            at = end
        blocks.marks.append((at, base + match.end))  # empty, perhaps: there it goes on
        blocks.fields += [
            (place, nth, (base + a, base + b)) for nth, (a, b) in enumerate(match.fields) if b > a
        ]
    return blocks


def _find_rising(lines: Lines, rising: Rising, inside: Ints) -> Blocks:
    """Return the lines that begin with a number that is the one before it and one more.

    The first of them is any with a sign behind it, or a bare 0 or 1.
    """
    first = lines.data.take(lines.begins, mode="clip")
    likely = np.flatnonzero((first >= 0x30) & (first <= 0x39) & ~lines.is_blank)
    likely = leave_out(likely, inside)
    read = [(line, _NUMBERED.match(lines.says(line))) for line in likely.tolist()]
    numbered = [(line, (int(m[1]), m[2]), m.end()) for line, m in read if m is not None]
    if rising[0] < 0:
        number, sign = next((one for _, one, _ in numbered if one[1] or one[0] <= 1), (0, b""))
        rising = number - 1, sign
    begins, marks = [], []
    for line, one, size in numbered:
        if one == (rising[0] + 1, rising[1]):
            rising = one
            begins.append(line)
            marks.append((int(lines.begins[line]), int(lines.begins[line]) + size))
    return Blocks(np.array(begins, np.int64), marks, rising=rising)


def _find_mails(lines: Lines, heads: Sequence[MailHead]) -> Blocks:
    """Return the heads of mails that are within no other, with the line before them that parts a pile."""
    begins, marks = [], []
    for head in heads:
        if head.is_inner:
            continue
        first = head.first
        if first and lines.says(first - 1).startswith(b"From "):
            first -= 1
            marks.append((int(lines.begins[first]), int(lines.rights[first])))
        begins.append(first)
    return Blocks(np.array(begins, np.int64), marks)


def find_mail_heads(lines: Lines) -> list[MailHead]:
    """Return the heads of mails among the lines of a chunk."""
    colons = lines.marks[lines.data[lines.marks] == 0x3A]
    last = np.zeros(colons.size, np.uint32)  # the four bytes before each
    for back in range(4, 0, -1):
        last <<= np.uint32(8)
        last |= lines.data.take(colons - back, mode="clip")
    likely = [colons[(last | np.uint32(0x20202020)) == word] for word in _ABOUT_LAST]
    signs = np.sort(np.concatenate([*likely, np.flatnonzero(lines.data == 0x40)]))
    if not signs.size:
        return []
    places = sort_unique(np.searchsorted(lines.starts, signs, "right") - 1)
    told = lines.as_list()
    return [
        MailHead(head.first, head.end, is_inner_head(told, head.first), head.names)
        for head in iterate_heads(told, places[places >= 0].tolist())
    ]
