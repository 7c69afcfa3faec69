"""Edges that are taken from the text: from the runs of a rule, or from the words of a heading.

A rule holds from the heading lines right above it to those above the next rule with as many
runs. Heading words hold for their page: between two of them the cut stands behind the last
column, from the left word's start to the right word's end, that every line of the page
leaves blank; where there is none, at the right word's start. So a report that moved by a
column still fits.
"""

from __future__ import annotations

import re
from itertools import pairwise

import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints, is_any_of
from wetcomb.core.cutting.layout import is_rule
from wetcomb.core.cutting.ragged import Ragged
from wetcomb.core.cutting.scanned import Cut
from wetcomb.core.errors import InputError, UsageError
from wetcomb.match.characters import SPACE, Columns, find_kinds, find_widths, read_code_points
from wetcomb.steps.split.options import Split
from wetcomb.steps.split.page_starts import PageStarts

__all__ = [
    "PageEdges",
    "find_heading_edges",
    "find_rule_edges",
    "find_rule_runs",
    "find_rules",
    "list_words",
]

_RUN = re.compile("([-=_~*\u2500\u2501\u2550])\\1+")
_FORM_FEED = 0x0C
#: Where a page begins (a line or a position), its edges, its heading line.
Page = tuple[int, tuple[int, ...], str]
_WORD = re.compile(r"[^ \t\r\n]+(?: [^ \t\r\n]+)*")


class PageEdges:
    """The edges of a text's lines, as its pages go by.

    Attributes
    ----------
    words : the words of the heading, to know it when it comes again
    """

    def __init__(self, options: Split) -> None:
        self._options = options
        self._starts = PageStarts(options)
        self._in_force = (0, options.edge_columns, "")
        self._coming: list[Page] = []
        self.words: list[str] = []

    @property
    def first(self) -> Ints:
        """The edges in force where a chunk begins."""
        return np.array(self._in_force[1], np.int64)

    def learn(self, data: Bytes, lines: Ragged, kept: Ragged, *, is_last: bool) -> bool:
        """Take the first edges from a rule or a heading; return whether they are there.

        Raises
        ------
        InputError : there is no rule, or the heading is one word
        UsageError : there is to be no heading
        """
        n_heading = self._options.n_heading
        if self._options.edges == "rule":
            found = find_rules(data, lines)
            if not found and is_last:
                raise InputError(
                    "--edges rule: no line of it is a rule with gaps (----- ---); give the edges as numbers"
                )
            if found:
                self._in_force = (0, found[0][1], "")
            return bool(found)
        if self._options.edges != "heading":
            return True
        if not n_heading:
            raise UsageError("--edges heading needs a heading; give --heading first, or the edges")
        if kept.stops.size < n_heading:
            return is_last
        line = _read_line(data, kept, n_heading - 1)
        found_words = list_words(line, self._options.tab_width)
        self.words = [word for *_, word in found_words]
        self._in_force = (0, tuple(begin for begin, *_ in found_words[1:]), line)
        if len(self.words) < 2:
            raise InputError(
                f"--edges heading: the heading {line.strip()!r} is one word; give the edges as numbers"
            )
        return True

    def take_whole(self, data: Bytes, cut: Cut) -> Cut | None:
        """Return the records whose page is in hand; None if more of the text is needed."""
        if not self._options.sees_pages:
            return cut
        if self._options.edges == "rule" and self._options.panels == 1:
            rows = max(0, cut.ragged.stops.size - self._options.n_heading - 1)
            for row, _ in reversed(find_rules(data, cut.ragged)):  # a rule goes with its heading
                if row - self._options.n_heading < rows <= row:
                    rows = max(0, row - self._options.n_heading)
            stop = int(cut.ragged.stops[rows - 1]) if rows else 0
        else:
            pages = self._find_pages(data, cut.ragged)
            stop = int(pages[-1]) if pages.size else 0
        if stop <= (int(cut.ragged.record_starts[0]) if cut.ragged.stops.size else 0):
            return None
        return Cut(cut.ragged.select(cut.ragged.stops <= stop), cut.odd, stop)

    def _find_pages(self, data: Bytes, ragged: Ragged) -> Ints:
        """Return where pages begin, as positions: at a form feed, a heading, or as was said."""
        starts = ragged.record_starts
        if not starts.size:
            return starts
        feeds = self._starts.find(data, ragged)
        fed = np.searchsorted(starts, feeds, "right") - 1
        fed = fed[(fed >= 0) & (feeds < ragged.stops.take(fed, mode="clip"))]
        heads = self.find_headings(data, ragged) if self._options.edges == "heading" else []
        return starts[np.array(sorted({*fed.tolist(), *heads}), np.int64)]

    def find_headings(self, data: Bytes, ragged: Ragged) -> list[int]:
        """Return the lines with the words of the heading, wherever in the line they stand."""
        wanted = " ".join(self.words).split()
        if not wanted or not ragged.stops.size:
            return []
        first = wanted[0].encode()
        begins = ragged.starts[ragged.offsets[:-1]]
        firsts = data.take(begins, mode="clip")
        rows = np.flatnonzero((firsts == first[0]) | (firsts == _FORM_FEED))
        ends = ragged.outer_ends[ragged.offsets[1:] - 1]
        return [
            row
            for row in rows.tolist()
            if data[begins[row] : ends[row]].tobytes().decode().split() == wanted
        ]

    def find(self, data: Bytes, ragged: Ragged, others: Bools) -> Ints:
        """Return the edges of every line: one list for all, or a list each, -1 where there are fewer.

        `others` are lines that are no records and say nothing of their page's columns.
        """
        if not self._options.learns_edges:
            return self.first
        pages = [(0, *self._in_force[1:])]
        if self._options.edges == "rule":
            pages += [
                (max(0, row - self._options.n_heading), found, "")
                for row, found in find_rules(data, ragged)
                if len(found) == len(self._in_force[1])
            ]
        else:
            pages = self._list_pages(data, ragged, others)
        starts = np.append(ragged.record_starts, data.size)
        self._coming = [(int(starts[row]), edges, words) for row, edges, words in pages]
        table = np.full((ragged.stops.size, max(len(page[1]) for page in pages)), -1, np.int64)
        for (row, edges, _), (stop, *_) in pairwise([*pages, (ragged.stops.size, (), "")]):
            table[row:stop, : len(edges)] = edges
        return table

    def go_on(self, used: int) -> None:
        """Say how much of the chunk was taken: the next one begins there."""
        taken = [page for page in self._coming if page[0] < used]
        if taken:
            self._in_force = taken[-1]
        self._coming = []

    def _list_pages(self, data: Bytes, ragged: Ragged, others: Bools) -> list[Page]:
        """Return the edges of each page, from its own heading where it has one."""
        heads = self.find_headings(data, ragged)
        starts = np.searchsorted(ragged.record_starts, self._find_pages(data, ragged))
        firsts = sorted({0, *starts.tolist(), *heads})
        rules = [row for row, _ in find_rules(data, ragged)]
        pages, words = [], self._in_force[2]
        for first, stop in pairwise([*firsts, ragged.stops.size]):
            lines = np.zeros(ragged.stops.size, np.bool_)
            lines[first:stop] = True
            lines[rules] = False
            lines &= ~others
            head = next((row for row in heads if first <= row < stop), None)
            if head is not None:
                words = _read_line(data, ragged, head)
                lines[head] = False
            page = ragged.select(lines)
            edges = find_heading_edges(data, page, words, self._options.tab_width)
            pages.append((first, edges, words))
        return pages


def _read_line(data: Bytes, ragged: Ragged, row: int) -> str:
    begin, end = int(ragged.record_starts[row]), int(ragged.stops[row])
    return data[begin:end].tobytes().decode().rstrip("\r\n")


def find_rules(data: Bytes, ragged: Ragged) -> list[tuple[int, tuple[int, ...]]]:
    """Return the records that are rules of at least two runs, with the edges these give."""
    starts = ragged.record_starts
    ends = ragged.outer_ends[ragged.offsets[1:] - 1]
    first = ragged.starts[ragged.offsets[:-1]]
    likely = np.flatnonzero(is_any_of(data.take(first, mode="clip"), b"-=_~*+|:\xe2"))
    found = []
    for row in likely.tolist():
        edges = find_rule_edges(data[starts[row] : ends[row]].tobytes())
        if edges:
            found.append((row, edges))
    return found


def find_rule_edges(line: bytes) -> tuple[int, ...]:
    """Return where the runs of a rule begin, the first left out; nothing for any other line."""
    return tuple(begin for begin, _ in find_rule_runs(line))[1:]


def find_rule_runs(line: bytes) -> list[tuple[int, int]]:
    """Return the display columns of the runs of a rule; nothing for any other line."""
    if not is_rule(line):
        return []
    return [run.span() for run in _RUN.finditer(line.decode().expandtabs(8))]


def list_words(line: str, tab_width: int = 8) -> list[tuple[int, int, str]]:
    """Return the words of a heading line as (first column, column behind, text).

    Words parted by one blank are one heading.
    """
    raw = np.frombuffer(line.encode(), np.uint8)
    columns = Columns(raw, np.array([0]), np.array([raw.size]), tab_width)
    words: list[tuple[int, int, str]] = []
    for word in _WORD.finditer(line):
        text = word[0].removeprefix("\f").lstrip(" ") if not words else word[0]
        start = word.end() - len(text)
        spans = [len(line[:start].encode()), len(line[: word.end()].encode())]
        begin, end = columns.find_columns(np.array(spans), np.zeros(2, np.int64)).tolist()
        if text:
            words.append((begin, end, text))
    return words


def find_heading_edges(
    data: Bytes, ragged: Ragged, heading: str, tab_width: int
) -> tuple[int, ...]:
    """Return the edges a heading line gives to the lines of its page.

    Parameters
    ----------
    ragged : the page's lines, one field each; rules, blank lines and the heading left out
    """
    words = list_words(heading, tab_width)
    width = max((end for _, end, _ in words), default=0)
    filled = _find_filled(data, ragged, width, tab_width)
    for begin, end, _ in words:
        filled[begin:end] = True
    edges = []
    for (left, _, _), (right, right_end, _) in pairwise(words):
        blank = np.flatnonzero(~filled[left:right_end])
        edges.append(left + int(blank[-1]) + 1 if blank.size else right)
    return tuple(edges)


def _find_filled(data: Bytes, ragged: Ragged, width: int, tab_width: int) -> Bools:
    """Return which display columns some line has a character in."""
    filled = np.zeros(width, np.bool_)
    if not ragged.starts.size:
        return filled
    starts, ends = (
        ragged.outer_starts[ragged.offsets[:-1]],
        ragged.outer_ends[ragged.offsets[1:] - 1],
    )
    columns = Columns(data, starts, ends, tab_width)
    points, places = read_code_points(data)
    kinds = find_kinds(points)
    solid = places[kinds != SPACE]
    lines = np.searchsorted(starts, solid, "right") - 1
    inside = (lines >= 0) & (solid < ends.take(lines, mode="clip"))
    at = columns.find_columns(solid[inside], lines[inside])
    filled[at[at < width]] = True
    broad = at[find_widths(points)[kinds != SPACE][inside] > 1] + 1
    filled[broad[broad < width]] = True
    return filled
