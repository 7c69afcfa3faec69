"""Labels in lines: where one stands, what marks it, where its value begins.

A label is one of the texts that were given, spacing in it and capitals aside, with a mark behind
it. It counts at a line's start, and further on in a line that began with one, never inside a word.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

import msgspec

from wetcomb.core.cutting.layout import is_rule

__all__ = ["FoundLabel", "LabelFinder", "find_like", "is_parting", "looks_like_label"]

_SPACE = rb"[ \t]"
#: What can stand behind a label; the longest counts. Dots are a leader of three or more.
_MARKS = (
    rb"[ \t]*(?::|=|\||\xef\xbc\x9a|\xe2\x80\xa6+|(?:\.[ ]?){3,}:?)[ \t]*",
    rb"[ \t]*\t[ \t]*",
    rb"[ ]{2,}",
)
#: A line that begins as one with a label does: words, and a mark that no sentence has.
_LIKE = re.compile(
    rb"([A-Za-z\x80-\xff][^\t:=|\r\n]{0,40}?)(?:[ \t]*[:=](?=[ \t]|$)|[ ]?(?:\.[ ]?){4,}|\xef\xbc\x9a)"
)
#: A rule with a title in it, as `-[ 12 ]-----`.
_TITLED = re.compile(rb"[-=*_~#].{0,60}?([-=*_~])\1{3,}")
_BEFORE = rb"(?<![A-Za-z0-9\x80-\xff_])"


class FoundLabel(msgspec.Struct, frozen=True):
    """A label in a line: which one, where it begins, where its value does.

    `is_bare` says that no mark stands behind it: its value, if it has one, is on the next line.
    """

    label: int
    start: int
    value: int
    is_bare: bool = False


class LabelFinder:
    """Finds labels in lines of bytes.

    Parameters
    ----------
    labels : the texts each may read as
    marks : what stands behind a label, where that is nothing usual
    anywhere : they count within any line
    """

    def __init__(
        self, labels: Sequence[Sequence[str]], marks: Sequence[str] = (), *, anywhere: bool = False
    ) -> None:
        texts = [(text, label) for label, read in enumerate(labels) for text in read]
        texts.sort(key=lambda one: -len(one[0]))  # the longest first
        self._labels = {" ".join(text.split()).casefold(): label for text, label in texts}
        self._anywhere = anywhere
        words = b"(?P<word>" + b"|".join(_render(text) for text, _ in texts) + b")"
        own = [_SPACE + b"*" + re.escape(mark.strip().encode()) + _SPACE + b"*" for mark in marks]
        mark = b"(?P<mark>" + b"|".join(own or _MARKS) + b")"
        self._first = re.compile(
            rb"[ \t\f]*" + words + b"(?:" + mark + rb"|[ \t]*$)", re.IGNORECASE
        )
        self._more = re.compile(_BEFORE + words + mark, re.IGNORECASE)
        self._mark = re.compile(mark)

    def find(self, line: bytes) -> list[FoundLabel]:
        """Return the labels of a line, its line end left out, in order; none if it begins with none."""
        first = self._first.match(line)
        found = [self._tell(first)] if first else []
        if not found and not self._anywhere:
            return []
        place = found[0].value if found else 0
        is_plain = first is not None and bool((first["mark"] or b"").strip())
        while self._mark.search(line, place):  # else no label is looked for: there may be many
            more = self._more.search(line, _skip_quoted(line, place))
            if more is None:
                break
            if more["mark"].strip() or not is_plain:  # spacing marks a label only among such
                found.append(self._tell(more))
            place = more.end()
        return found

    def _tell(self, match: re.Match[bytes]) -> FoundLabel:
        word = " ".join(match["word"].decode().split()).casefold()
        is_bare = match.start("mark") < 0
        return FoundLabel(self._labels[word], match.start("word"), match.end(), is_bare)


def _skip_quoted(line: bytes, place: int) -> int:
    """Return where a value ends that is quoted; else where it begins."""
    if line[place : place + 1] == b'"':
        end = line.find(b'"', place + 1)
        return end + 1 if end > 0 else place
    return place


def _render(text: str) -> bytes:
    """Return what covers a label's text however it is capitalised and spaced."""
    forms = dict.fromkeys((text, text.lower(), text.upper(), text.capitalize(), text.title()))
    written = (
        (_SPACE + b"+").join(re.escape(word.encode()) for word in form.split()) for form in forms
    )
    return b"|".join(dict.fromkeys(written))


def is_parting(line: bytes) -> bool:
    """Return whether a line parts blocks: a rule, or one with a title in it."""
    bare = line.strip(b" \t\f")
    return is_rule(bare.replace(b" ", b"")) or _TITLED.fullmatch(bare) is not None


def looks_like_label(line: bytes) -> bool:
    """Return whether a line begins as one with a label does, spacing before it aside."""
    return _LIKE.match(line.lstrip(b" \t\f")) is not None


def find_like(line: bytes) -> bytes:
    """Return the words that a line begins with as with a label; nothing if it does not."""
    found = _LIKE.match(line.lstrip(b" \t\f"))
    return found[1].strip() if found else b""
