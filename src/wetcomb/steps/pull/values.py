"""The values behind labels: where each begins, over which lines it goes on, how it ended."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Protocol

import msgspec
import numpy as np

from wetcomb.core.arrays import Bools, Ints, is_any_of
from wetcomb.core.cutting.recut import trim
from wetcomb.match.labels import find_like, is_parting
from wetcomb.steps.pull.blocks import MAY_BE_RULE
from wetcomb.steps.pull.line_labels import Labels
from wetcomb.steps.pull.lines import Lines

__all__ = ["ENDS", "Rules", "Values", "read_values"]

Span = tuple[int, int]

#: How a value can end; the place of each is its code.
ENDS = ("line end", "next label", "blank line", "text", "what looks like a label", "block")
_LINE, _NEXT, _BLANK, _TEXT, _LIKE, _BLOCK = range(len(ENDS))
_SEPARATORS = b";,|"
#: What looks like a label behind a wide gap.
_BEHIND_GAP = re.compile(
    rb"(?:[ ]{2,}|[ ]*\t[ \t]*)([A-Za-z\x80-\xff](?:[^\t:=| ]| (?! )){0,40}[ ]?[:=])(?=[ \t])"
)
_RULES = frozenset(np.flatnonzero(MAY_BE_RULE).tolist())  # what a rule may begin with
_SHORT_RULE = 3  # marks of a line that may be a value


class Rules(Protocol):
    """What says how far values go."""

    @property
    def goes_on(self) -> Bools:
        """(N,) labels whose values go on over lines."""
        ...

    @property
    def until(self) -> Sequence[Sequence[bytes]]:
        """For each label the texts that end its value."""
        ...

    @property
    def may_be_rule(self) -> bool:
        """Whether a short rule may be a value: no rules part blocks."""
        ...

    def is_like(self, words: bytes) -> bool:
        """Return whether words that stand before a mark are written as the labels are."""
        ...


class Values(msgspec.Struct, eq=False):
    """The values of K labels.

    Attributes
    ----------
    owners, starts, ends : (P,) the pieces of values in the order of the text: the label of each
        (by its place), and its span
    endings : (K,) how each ended (a place in `ENDS`)
    is_suspect : (P,) pieces in which a mark stands, perhaps
    is_taken : (L,) lines that values go on over
    gone : spans that are no value, by reason
    """

    owners: Ints
    starts: Ints
    ends: Ints
    endings: Ints
    is_suspect: Bools
    is_taken: Bools
    gone: dict[str, list[tuple[Ints, Ints]]]


def read_values(
    lines: Lines, labels: Labels, rules: Rules, block_ends: Ints, head_ends: Ints
) -> Values:
    """Return the values behind labels.

    Parameters
    ----------
    block_ends : (K,) the line behind the block that each label is in
    head_ends : (K,) the line behind the head of a mail that each is in; 0 for one in no head
    """
    starts, ends, gone = _cut_values(lines, labels)
    until = np.array([bool(texts) for texts in rules.until] or [False])[labels.labels]
    following = np.append(labels.lines[1:], lines.n_lines)[: labels.lines.size]
    limits = np.minimum(following, block_ends)
    bound = np.where(following < block_ends, _NEXT, _BLOCK)  # what ends a value at its limit
    is_open = rules.goes_on[labels.labels] | until | (ends <= starts) | (head_ends > 0)
    endings, waiting = _end_at_once(lines, labels, rules, is_open, limits, bound, until)
    is_closed = (ends > starts) & (head_ends > 0)
    endings[is_closed & ~waiting] = _LINE  # a field of a head is whole where nothing is folded
    walker = _Walker(lines, rules)
    _end_at_like(lines, labels, (starts, ends), endings, walker.gone["unclaimed"])
    for place in np.flatnonzero(until & (ends > starts)).tolist():
        end = int(ends[place])
        at = walker.find_text(int(labels.labels[place]), int(starts[place]), end)
        if at >= 0:
            walker.gone["unclaimed"].append((at, end))
            ends[place], waiting[place], endings[place] = at, False, _TEXT
    starts, ends = trim(lines.data, starts, ends)
    for place in np.flatnonzero(waiting).tolist():
        head_end = int(head_ends[place])
        endings[place] = walker.go_on(
            place,
            int(labels.labels[place]),
            int(labels.lines[place]),
            min(int(limits[place]), head_end or lines.n_lines),
            has_value=bool(ends[place] > starts[place]),
            in_head=bool(head_end),
        )
    endings = np.where(endings < 0, bound, endings)
    return _gather(lines, labels, (starts, ends), endings, walker, gone)


def _end_at_once(
    lines: Lines,
    labels: Labels,
    rules: Rules,
    is_open: Bools,
    limits: Ints,
    bound: Ints,
    until: Bools,
) -> tuple[Ints, Bools]:
    """Return how values end that no walk from line to line is needed for, and which need one.

    Most that could go on do not: the next label is on the next line, or that is blank.
    """
    is_inner = labels.is_inner
    endings = np.where(is_inner, _NEXT, _LINE)
    waiting = is_open & ~is_inner
    behind = labels.lines + 1
    at_limit = waiting & (behind >= limits)
    endings[at_limit] = bound[at_limit]
    is_blank = waiting & ~at_limit & ~until
    is_blank &= np.append(lines.is_blank, True).take(behind, mode="clip")
    if b"\f" in lines.raw:  # a value may run over a page break
        is_blank &= ~rules.goes_on[labels.labels]
    endings[is_blank] = _BLANK
    return endings, waiting & ~at_limit & ~is_blank


def _gather(
    lines: Lines,
    labels: Labels,
    spans: tuple[Ints, Ints],
    endings: Ints,
    walker: _Walker,
    gone: dict[str, list[tuple[Ints, Ints]]],
) -> Values:
    """Return what stands behind labels with what a walk added."""
    kept = np.flatnonzero(spans[1] > spans[0])
    more = np.array(walker.pieces, np.int64).reshape(-1, 3)
    owners = np.concatenate([kept, more[:, 0]])
    starts = np.concatenate([spans[0][kept], more[:, 1]])
    ends = np.concatenate([spans[1][kept], more[:, 2]])
    is_suspect = np.append(labels.has_marks[kept], np.ones(len(walker.pieces), np.bool_))
    order = np.argsort(starts, kind="stable")
    for reason, found in walker.gone.items():
        array = np.array(found, np.int64).reshape(-1, 2)
        gone.setdefault(reason, []).append((array[:, 0], array[:, 1]))
    taken = np.zeros(lines.n_lines, np.bool_)
    taken[walker.taken] = True
    return Values(
        owners[order], starts[order], ends[order], endings, is_suspect[order], taken, gone
    )


def _cut_values(
    lines: Lines, labels: Labels
) -> tuple[Ints, Ints, dict[str, list[tuple[Ints, Ints]]]]:
    """Return what stands behind labels in their lines, without quote marks and the mark before a next one."""
    data, gone = lines.data, dict[str, list[tuple[Ints, Ints]]]()
    starts, ends = trim(data, labels.values, np.maximum(labels.stops, labels.values))
    inner = np.flatnonzero(labels.is_inner & (ends > starts))
    if inner.size:
        marked = inner[is_any_of(data[ends[inner] - 1], _SEPARATORS)]
        gone["delimiter"] = [(ends[marked] - 1, ends[marked].copy())]
        ends[marked] -= 1
        starts[marked], ends[marked] = trim(data, starts[marked], ends[marked])
    long = np.flatnonzero(ends - starts > 1)
    quoted = long[(data[starts[long]] == 0x22) & (data[ends[long] - 1] == 0x22)]
    if quoted.size:
        marks = np.concatenate([starts[quoted], ends[quoted] - 1])
        gone["quote-mark"] = [(marks, marks + 1)]
        starts[quoted] += 1
        ends[quoted] -= 1
    return starts, ends, gone


def _end_at_like(
    lines: Lines, labels: Labels, spans: tuple[Ints, Ints], endings: Ints, unclaimed: list[Span]
) -> None:
    """End values behind which another label seems to stand in the line, a wide gap before it; nobody asked for it."""
    starts, ends = spans
    for place in np.flatnonzero(labels.has_marks & (ends > starts)).tolist():
        start, end = int(starts[place]), int(ends[place])
        found = _BEHIND_GAP.search(lines.raw, start + 1, end)
        if found is not None:
            unclaimed.append((found.start(1), end))
            ends[place], endings[place] = found.start(), _LIKE


class _Walker:
    """Goes along the lines behind a label whose value may go on."""

    def __init__(self, lines: Lines, rules: Rules) -> None:
        self._lines, self._rules = lines, rules
        self.pieces: list[tuple[int, int, int]] = []
        self.taken: list[int] = []
        self.gone: dict[str, list[Span]] = {"unclaimed": []}

    def find_text(self, label: int, start: int, end: int) -> int:
        """Return the first place in a span where a text stands that ends a label's value; -1 if none does."""
        texts = self._rules.until[label]
        found = (self._lines.raw.find(text, start, end) for text in texts)
        return min((at for at in found if at >= 0), default=-1)

    def go_on(
        self, place: int, label: int, line: int, limit: int, *, has_value: bool, in_head: bool
    ) -> int:
        """Take the lines behind one as more of a label's value; return how it ended, -1 at the limit."""
        lines = self._lines
        starts, begins, rights = lines.listed
        until, margin = self._rules.until[label], begins[line] - starts[line]
        stays_open = bool(self._rules.goes_on[label]) or bool(until) or in_head
        for at in range(line + 1, limit):
            begin, right = begins[at], rights[at]
            if begin >= right:
                if until or self._is_break(at, limit):
                    continue
                return _BLANK
            raw = lines.raw[begin:right]
            if raw[0] in _RULES:
                is_value = (
                    not has_value and right - begin <= _SHORT_RULE and self._rules.may_be_rule
                )
                if not is_value and is_parting(raw):
                    return _BLANK
            if begin - starts[at] == margin and (in_head or self._rules.is_like(find_like(raw))):
                return _LINE if in_head else _LIKE
            cut = self.find_text(label, begin, right) if until else -1
            if cut < 0:
                self._take(place, at, begin, right)
                has_value = True
                if not stays_open:
                    return _LINE
                continue
            if cut > begin:
                self._take(place, at, begin, cut)
                self.gone["unclaimed"].append((cut, right))
            return _TEXT
        return -1

    def _is_break(self, line: int, limit: int) -> bool:
        """Return whether blank lines from one on are a page break that a sentence runs over.

        There is a form feed, and what follows begins with a small letter.
        """
        lines, behind = self._lines, line
        while behind < limit and lines.begins[behind] >= lines.rights[behind]:
            behind += 1
        if behind == limit:
            return False
        begin = int(lines.begins[behind])
        has_feed = b"\f" in lines.raw[lines.starts[max(line - 1, 0)] : begin]
        return has_feed and lines.raw[begin : begin + 1].islower()

    def _take(self, place: int, line: int, begin: int, end: int) -> None:
        raw = self._lines.raw[begin:end].rstrip(b" \t")
        self.pieces.append((place, begin, begin + len(raw)))
        self.taken.append(line)
