"""The labels that stand in the lines of a text.

Most lines hold no label, or one at their start with a plain mark behind it and no mark in its
value: these are told by whole arrays. What is left is looked at line by line, by the same rule.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

import msgspec
import numpy as np

from wetcomb.core.arrays import Array, Bools, Bytes, Ints, is_among
from wetcomb.match.digests import Digests, Reader
from wetcomb.match.labels import LabelFinder
from wetcomb.steps.pull.lines import ODD_MARKS, PLAIN_MARKS, Lines

__all__ = ["LabelReader", "Labels"]

#: Words within a value that look like a label: behind a sign that parts or a figure, with a capital.
_RUN_ON = re.compile(
    rb"[;|,0-9][ \t]+[A-Z\xc3-\xdf][A-Za-z\x80-\xff]*(?:[ ][A-Za-z\x80-\xff.]+){0,2}[ ]?[:=][ \t]"
)
_WORD = 8  # bytes of a label that are compared at once


class Labels(msgspec.Struct, eq=False):
    """Labels in lines, K of them, in the order of the text.

    Attributes
    ----------
    lines, labels : (K,) the line each stands in, and which label it is
    starts, values, stops : (K,) where it begins, where its value may, and where that must end: at
        the next label or behind the line
    has_marks : (K,) whether another mark stands in what is behind it, perhaps
    """

    lines: Ints
    labels: Ints
    starts: Ints
    values: Ints
    stops: Ints
    has_marks: Bools

    @classmethod
    def gather(cls, found: Sequence[tuple[int, int, int, int, int]]) -> Labels:
        """Return labels that were found one by one."""
        lines, labels, starts, values, stops = np.array(found, np.int64).reshape(-1, 5).T
        return cls(lines, labels, starts, values, stops, np.ones(lines.size, np.bool_))

    @property
    def is_inner(self) -> Bools:
        """Which have another label behind them in their line."""
        inner: Bools = np.append(self.lines[1:] == self.lines[:-1], False)[: self.lines.size]
        return inner

    def select(self, kept: Bools | Ints) -> Labels:
        """Return only some of them."""
        return Labels(
            self.lines[kept], self.labels[kept], self.starts[kept],
            self.values[kept], self.stops[kept], self.has_marks[kept],
        )  # fmt: skip

    def join(self, other: Labels) -> Labels:
        """Return these and others, in the order of the text."""
        if not other.lines.size:
            return self
        joined = Labels(
            np.append(self.lines, other.lines),
            np.append(self.labels, other.labels),
            np.append(self.starts, other.starts),
            np.append(self.values, other.values),
            np.append(self.stops, other.stops),
            np.append(self.has_marks, other.has_marks),
        )
        return joined.select(np.argsort(joined.starts, kind="stable"))


class LabelReader:
    """Finds the labels of many lines at once.

    Parameters
    ----------
    finder : finds those of a single line; this says the same, sooner
    """

    def __init__(self, finder: LabelFinder) -> None:
        self._finder = finder
        known = finder.known
        self._is_simple = not (finder.has_own_marks or finder.anywhere)
        self._is_simple &= not any(set(text) & set(":=|\t：…") for text in known)
        # what begins another label goes on behind a gap, perhaps
        self._is_prefix = {
            label
            for text, label in known.items()
            if any(other.startswith(text + " ") for other in known)
        }
        self._heads = _list_heads([*known, *finder.texts])
        lasts = {sign for text in known for sign in text[-1:].encode()[-1:]}
        lasts |= {byte & ~0x20 for byte in lasts if 0x61 <= byte <= 0x7A}
        self._ends_label = np.ones(256, np.bool_)
        self._ends_label[:0x80] = False
        self._ends_label[[*lasts, 0x20, 0x09]] = True
        self._prints: Digests = np.zeros(0, np.uint64)  # of the ways to write a label seen so far
        self._known: Ints = np.zeros(0, np.int64)

    def find(self, lines: Lines, *, skipped: Bools | None = None) -> Labels:
        """Return the labels of lines; those that are skipped have none."""
        may = self._may_begin(lines)
        if skipped is not None:
            may &= ~skipped
        places = np.flatnonzero(may)
        if not self._is_simple:
            return self._find_slowly(lines, places)
        marks = lines.marks
        begins, rights = lines.begins[places], lines.rights[places]
        at = np.searchsorted(marks, begins)
        first = np.minimum(np.append(marks, lines.data.size)[at], rights)
        key_ends, values, is_sure, is_gap = _read_marks(lines.data, first, rights)
        is_sure &= (key_ends - begins <= self._finder.longest) & (key_ends > begins)
        labels = np.full(places.size, -1, np.int64)
        labels[is_sure] = self._look_up(lines, begins[is_sure], key_ends[is_sure])
        if self._is_prefix:
            labels[is_gap & is_among(labels, np.array([*self._is_prefix]))] = -1
        has_marks = np.searchsorted(marks, rights) - at > (first < rights)
        is_found = labels >= 0
        unsure = np.flatnonzero(is_found & has_marks)
        if unsure.size:
            telling = marks[self._ends_label[lines.data.take(marks - 1, mode="clip")]]
            n_before = np.searchsorted(telling, values[unsure])
            is_found[unsure] = np.searchsorted(telling, rights[unsure]) == n_before
        found = Labels(
            places[is_found], labels[is_found], begins[is_found], values[is_found],
            rights[is_found], has_marks[is_found],
        )  # fmt: skip
        return found.join(self._find_slowly(lines, places[~is_found]))

    def find_inside(self, lines: Lines, starts: Ints, ends: Ints) -> Ints:
        """Return the spans, in order, in which a label seems to stand with its mark.

        It is one of these as it was given, or words behind a sign or figure that look like one.
        """
        if not starts.size:
            return np.zeros(0, np.int64)
        data, raw, marks = lines.data, lines.raw, lines.marks
        sign, behind = data[marks], data.take(marks + 1, mode="clip")
        is_plain = (sign == PLAIN_MARKS[0]) | (sign == PLAIN_MARKS[1])
        marks, behind = marks[is_plain], behind[is_plain]
        owners = np.searchsorted(starts, marks, "right") - 1
        inside = (owners >= 0) & (marks < ends[owners])
        is_known = self._ends_label[data.take(marks - 1, mode="clip")]
        is_like = (behind == 0x20) | (behind == 0x09)
        found = set()
        for place in np.flatnonzero(inside & (is_known | is_like)).tolist():
            owner, at = int(owners[place]), int(marks[place])
            if (is_known[place] and self._finder.is_before(raw, _skip_back(raw, at))) or (
                is_like[place] and _RUN_ON.search(raw, int(starts[owner]), at + 2)
            ):
                found.add(owner)
        return np.array(sorted(found), np.int64)

    def _may_begin(self, lines: Lines) -> Bools:
        """Return which lines begin with the first bytes of a label, capitals aside."""
        solid = ~lines.is_blank
        if self._finder.anywhere or not self._finder.known:
            return solid & bool(self._finder.known)
        words = np.ndarray(
            (lines.data.size + 1,), "<u8", lines.raw + bytes(2 * _WORD), strides=(1,)
        )
        word = words[lines.begins].astype(np.uint64)
        word |= np.uint64(0x2020202020202020)  # small letters, and a few signs that become others
        found = np.zeros(lines.n_lines, np.bool_)
        for size, heads in self._heads.items():
            if not size:
                found |= lines.data.take(lines.begins, mode="clip") >= 0x80
                continue
            cut = word & np.uint64((1 << 8 * size) - 1)
            for head in heads if len(heads) <= _WORD else ():
                found |= cut == head
            if len(heads) > _WORD:
                known = np.sort(np.array(heads, np.uint64))
                found |= known.take(np.searchsorted(known, cut), mode="clip") == cut
        return found & solid

    def _look_up(self, lines: Lines, starts: Ints, ends: Ints) -> Ints:
        """Return which label each of some words is; -1 where they are none."""
        if not starts.size:
            return np.zeros(0, np.int64)
        prints = Reader(lines.data).find_prints(starts, ends, folded=False)
        labels = self._match(prints)
        unknown = np.flatnonzero(labels < 0)
        if unknown.size:
            fresh = _find_first_of_each(prints[unknown])
            added: dict[int, int] = {}
            for place in unknown[fresh].tolist():
                label = self._finder.read(lines.raw[starts[place] : ends[place]])
                if label >= 0:
                    added[int(prints[place])] = label
            if added:
                self._learn(added)
                labels = self._match(prints)
        return labels

    def _match(self, prints: Digests) -> Ints:
        if not self._prints.size:
            return np.full(prints.size, -1, np.int64)
        at = np.minimum(np.searchsorted(self._prints, prints), self._prints.size - 1)
        return np.where(self._prints[at] == prints, self._known[at], -1)

    def _learn(self, added: dict[int, int]) -> None:
        prints = np.concatenate([self._prints, np.array([*added], np.uint64)])
        known = np.concatenate([self._known, np.array([*added.values()], np.int64)])
        order = np.argsort(prints)
        self._prints, self._known = prints[order], known[order]

    def _find_slowly(self, lines: Lines, places: Iterable[int] | Ints) -> Labels:
        """Return the labels of lines that are looked at one by one."""
        found: list[tuple[int, int, int, int, int]] = []
        for line in np.asarray(places).tolist():
            start, right = int(lines.begins[line]), int(lines.rights[line])
            here = self._finder.find(lines.raw[start:right])
            stops = [*(one.start + start for one in here[1:]), right]
            for one, stop in zip(here, stops, strict=False):  # there may be none
                found.append((line, one.label, start + one.start, start + one.value, stop))
        return Labels.gather(found)


def _skip_back(raw: bytes, place: int) -> int:
    """Return where the spacing before a place begins."""
    while place and raw[place - 1] in b" \t":
        place -= 1
    return place


def _list_heads(known: Iterable[str]) -> dict[int, list[int]]:
    """Return the first bytes of labels as numbers, by how many bytes they are: of the first word, in ASCII."""
    heads: dict[int, set[int]] = {}
    for text in known:
        word = text.split(" ")[0].encode()[:_WORD]
        size = next((k for k, byte in enumerate(word) if byte >= 0x80), len(word))
        folded = int.from_bytes(word[:size], "little") | int.from_bytes(b" " * size, "little")
        heads.setdefault(size, set()).add(folded)
    return {size: sorted(found) for size, found in heads.items()}


def _read_marks(data: Bytes, first: Ints, rights: Ints) -> tuple[Ints, Ints, Bools, Bools]:
    """Return where words before a mark end, where the value behind it begins, which are plain.

    The last says which are marked by spacing alone. `first` is the first place of a mark in each
    line, its end where there is none.
    """
    at = first.copy()
    left = np.flatnonzero(at < rights)
    while left.size:  # past the spacing before a mark, or that is one
        sign = data[at[left]]
        left = left[(sign == 0x20) | (sign == 0x09)]
        at[left] += 1
    sign = data.take(at, mode="clip")
    is_plain = (sign == PLAIN_MARKS[0]) | (sign == PLAIN_MARKS[1]) | (sign == PLAIN_MARKS[2])
    is_plain &= at < rights
    is_gap = ~is_plain & (at > first)
    is_odd = (sign == 0x2E) | (sign == ODD_MARKS[0]) | (sign == ODD_MARKS[1])
    before = data.take(first - 1, mode="clip")
    ends = first - ((before == 0x20) & (first < rights))
    return ends, at + is_plain, ~(is_odd & (at < rights)), is_gap


def _find_first_of_each(prints: Array[np.uint64]) -> Ints:
    """Return the place of the first of each kind."""
    order = np.argsort(prints, kind="stable")
    fresh = np.append(True, prints[order][1:] != prints[order][:-1])[: prints.size]
    return order[fresh]
