"""Labels in lines: where one stands, what marks it, where its value begins.

A label is one of the texts that were given, spacing in it and capitals aside, with a mark behind
it. It counts at a line's start, and further on in a line that began with one, never inside a word.
Labels are looked up by the words before a mark, so a thousand of them cost what one does.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

import msgspec

from wetcomb.core.cutting.layout import is_rule
from wetcomb.match.letter_case import fold_case

__all__ = ["FoundLabel", "LabelFinder", "find_like", "is_parting"]

_SPACE = rb"[ \t]"
#: What can stand behind a label; dots are a leader of three or more.
_MARK = re.compile(
    rb"[ \t]*(?::|=|\||\xef\xbc\x9a|(?:\xe2\x80\xa6)+|(?:\.[ ]?){3,}:?)[ \t]*|[ \t]*\t[ \t]*|[ ]{2,}"
)
#: A line that begins as one with a label does: words, and a mark that no sentence has.
_LIKE = re.compile(
    rb"([A-Za-z\x80-\xff][^\t:=|\r\n]{0,40}?)(?:[ \t]*[:=](?=[ \t]|$)|[ ]?(?:\.[ ]?){4,}|\xef\xbc\x9a)"
)
#: A rule with a title in it, as `-[ 12 ]-----`.
_TITLED = re.compile(rb"[-=*_~#].{0,60}?([-=*_~])\1{3,}")
_WORD = frozenset(
    b"0123456789_abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ" + bytes(range(0x80, 0x100))
)
_SPACED = 4  # times as long as it reads a label may be, with the spacing in it
_QUOTE = b'"'


class FoundLabel(msgspec.Struct, frozen=True):
    """A label in a line: which one, where it begins, where its value does."""

    label: int
    start: int
    value: int


class LabelFinder:
    """Finds labels in lines of bytes.

    Parameters
    ----------
    labels : the texts each may read as
    marks : what stands behind a label, where that is nothing usual
    anywhere : they count within any line

    Attributes
    ----------
    texts : all that labels may read as, as they were given
    known : the label that each text stands for, in small letters and with single blanks
    longest : bytes that a label may have, with all its spacing
    has_own_marks : labels are marked by something unusual
    """

    def __init__(
        self, labels: Sequence[Sequence[str]], marks: Sequence[str] = (), *, anywhere: bool = False
    ) -> None:
        self.texts = [text for texts in labels for text in texts]
        self.known = {_fold(text): label for label, texts in enumerate(labels) for text in texts}
        self.longest = _SPACED * max((len(text.encode()) for text in self.known), default=0)
        self.anywhere, self.has_own_marks = anywhere, bool(marks)
        own = [_SPACE + b"*" + re.escape(mark.strip().encode()) + _SPACE + b"*" for mark in marks]
        self._mark = re.compile(b"|".join(own)) if own else _MARK
        self._given = {text.encode() for text in self.texts if text[:1].isupper()}
        self._sizes = sorted({len(text) for text in self._given})

    def find(self, line: bytes) -> list[FoundLabel]:
        """Return the labels of a line, its line end left out, in order; none if it begins with none."""
        begin = len(line) - len(line.lstrip(b" \t\f"))
        first, is_plain = self._find_first(line, begin)
        if first is None and not self.anywhere:
            return []
        found = [first] if first is not None else []
        place = first.value if first is not None else begin
        while (mark := self._mark.search(line, _skip_quoted(line, place))) is not None:
            is_spacing = not mark[0].strip()
            start, label = self._find_word(line, place, mark.start())
            if label >= 0 and not (is_spacing and is_plain):  # spacing marks only among such
                found.append(FoundLabel(label, start, mark.end()))
            place = mark.end()
        return found

    def _find_first(self, line: bytes, begin: int) -> tuple[FoundLabel | None, bool]:
        """Return the longest label that a line begins with, and whether its mark is one that is seen."""
        found, is_plain = None, False
        for mark in self._mark.finditer(line, begin):
            if mark.start() - begin > self.longest:
                return found, is_plain
            label = self.read(line[begin : mark.start()])
            if label < 0 and mark[0].lstrip().startswith(b"."):  # a label may end in a point itself
                label = self.read(line[begin : line.index(b".", mark.start()) + 1])
            if label >= 0:
                found, is_plain = FoundLabel(label, begin, mark.end()), bool(mark[0].strip())
        bare = line[begin:].rstrip()
        label = self.read(bare) if 0 < len(bare) <= self.longest else -1
        return (FoundLabel(label, begin, len(line)), False) if label >= 0 else (found, is_plain)

    def read(self, raw: bytes) -> int:
        """Return the label that some words are; -1 if they are none."""
        return self.known.get(_fold(raw.decode()), -1)

    def _find_word(self, line: bytes, begin: int, end: int) -> tuple[int, int]:
        """Return where the label before a mark begins, the longest there is, and which it is."""
        begin = max(begin, end - self.longest)
        while begin < end and line[begin] & 0xC0 == 0x80:
            begin += 1
        for place in range(begin, end):
            if line[place] in b" \t" or (place and {line[place - 1], line[place]} <= _WORD):
                continue
            label = self.read(line[place:end])
            if label >= 0:
                return place, label
        return end, -1

    def is_before(self, raw: bytes, place: int) -> bool:
        """Return whether a label as it was given, with a capital, stands before a place: the words before a mark."""
        for size in self._sizes:
            at = place - size
            if at > 0 and raw[at:place] in self._given and not raw[at - 1 : at].isupper():
                return True
        return False


def _fold(text: str) -> str:
    return fold_case(" ".join(text.split()))


def _skip_quoted(line: bytes, place: int) -> int:
    """Return where a value ends that is quoted; else where it begins."""
    if line[place : place + 1] == _QUOTE:
        end = line.find(_QUOTE, place + 1)
        return end + 1 if end > 0 else place
    return place


def is_parting(line: bytes) -> bool:
    """Return whether a line parts blocks: a rule, or one with a title in it."""
    bare = line.strip(b" \t\f")
    return is_rule(bare.replace(b" ", b"")) or _TITLED.fullmatch(bare) is not None


def find_like(line: bytes) -> bytes:
    """Return the words that a line begins with as with a label; nothing if it does not."""
    found = _LIKE.match(line.lstrip(b" \t\f"))
    return found[1].strip() if found else b""
