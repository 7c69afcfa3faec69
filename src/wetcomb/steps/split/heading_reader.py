"""The heading of a text, read from its beginning: the names of the columns, and where they stand."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from wetcomb.core.arrays import Bytes, Ints
from wetcomb.core.cutting.layout import drop_lines, strip_page_marks
from wetcomb.core.cutting.ragged import LineDrops, Ragged
from wetcomb.core.cutting.reading import cut_records
from wetcomb.core.cutting.recut import refine
from wetcomb.core.cutting.scanner import Scanner
from wetcomb.core.cutting.specials import CutRules, find_specials
from wetcomb.core.errors import InputError
from wetcomb.core.table import undouble
from wetcomb.core.text import Text
from wetcomb.steps.split.headings import Heading, Placed, center_words, read_value, spread_words
from wetcomb.steps.split.leaving import find_frame
from wetcomb.steps.split.options import Split
from wetcomb.steps.split.page_edges import PageEdges, find_rule_runs, list_words
from wetcomb.steps.split.places import Places

__all__ = ["HeadingReader"]

_HEAD = 1 << 14  # bytes that mostly hold a heading


class HeadingReader:
    """Reads the printed lines of a heading; the edges that its words or a rule give are learnt."""

    def __init__(self, options: Split, rules: CutRules, edges: PageEdges) -> None:
        self._options, self._rules, self._edges = options, rules, edges
        self._places = Places(options, rules)

    def read(self, chunk: Text, *, is_last: bool) -> Heading | None:
        """Return the heading and the lines before it, None if more text is needed to have it.

        Raises
        ------
        InputError : there are fewer lines than the heading is to have
        """
        if not self._options.n_heading and not self._options.learns_edges:
            return Heading()
        if chunk.body_size > 2 * _HEAD:
            heading = self._read(chunk, _HEAD, is_last=False)
            if heading is not None:
                return heading
        return self._read(chunk, chunk.body_size, is_last=is_last)

    def _read(self, chunk: Text, size: int, *, is_last: bool) -> Heading | None:
        """Return the heading if it stands in the first bytes of a chunk."""
        data, n_lines = chunk.data[:size], self._options.n_heading
        specials = find_specials(data, self._rules, is_last=is_last)
        scanner = Scanner(specials, self._rules)
        read = cut_records(specials, self._rules, 0, None, scanner)
        bare = strip_page_marks(data, read.ragged, self._rules.marks)
        lines, drops, _ = drop_lines(data, bare, None)
        if not self._edges.learn(data, read.ragged, lines, is_last=is_last):
            return None
        if not n_lines:
            return Heading()
        if lines.stops.size >= n_lines:
            rows = np.searchsorted(read.ragged.record_starts, lines.record_starts[:n_lines])
            is_head = np.zeros(read.ragged.stops.size, np.bool_)
            is_head[rows] = True
            uncut = read.ragged.select(is_head)
            used = int(uncut.stops[-1])
            return self._take(chunk, data, uncut, Heading(drops=drops.before(used), used=used))
        if not is_last:
            return None
        if lines.stops.size:
            raise InputError(
                f"the heading has {n_lines} lines, but there are only {lines.stops.size} of them"
            )
        return Heading(drops=drops, used=read.used)

    def _take(self, chunk: Text, data: Bytes, uncut: Ragged, heading: Heading) -> Heading:
        """Return what the lines of the heading say."""
        ragged, _ = self._places.recut(data, uncut, self._edges.first)
        ragged = strip_page_marks(data, ragged, self._rules.marks)
        lines, counts = self._list_words(chunk, data, ragged)
        if self._options.has_edges_only:
            for row in range(len(lines) - 1):
                lines[row] = self._read_upper_line(data, uncut, row, heading.drops)
            ragged = self._cut_at_words(data, uncut, ragged, lines)
            self._edges.words = [text for text, *_ in lines[-1] if text]
        n_columns = self._count_columns(lines, counts)
        fields = slice(int(ragged.offsets[-2]), None)
        spans = zip(ragged.starts[fields].tolist(), ragged.ends[fields].tolist(), strict=True)
        pieces = tuple(data[start:end].tobytes() for start, end in spans)
        words = spread_words(lines, n_columns)
        ends = uncut.outer_ends[uncut.offsets[1:] - 1].tolist()
        bounds = zip(uncut.record_starts.tolist(), ends, strict=True)
        said = tuple(data[start:end].tobytes() for start, end in bounds)
        return Heading(ragged, heading.drops, heading.used, words, n_columns, pieces, said)

    def _list_words(
        self, chunk: Text, data: Bytes, ragged: Ragged
    ) -> tuple[list[list[Placed]], list[int]]:
        """Return the pieces of every line, and how many fields each has."""
        gone = find_frame(ragged) if self._options.frame else np.zeros(ragged.starts.size, np.bool_)
        text, values = undouble(chunk, ragged, self._rules.closing)
        lines: list[list[Placed]] = []
        counts = []
        for row in range(ragged.stops.size):
            fields = [f for f in range(*ragged.offsets[row : row + 2].tolist()) if not gone[f]]
            counts.append(len(fields))
            is_last = row == ragged.stops.size - 1
            lines.append(
                [
                    (*read_value(text, values, field), place)
                    for place, field in enumerate(fields)
                    if is_last or ragged.ends[field] > ragged.starts[field]
                ]
            )
        return lines, counts

    def _count_columns(self, lines: list[list[Placed]], counts: list[int]) -> int:
        """Return how many columns a heading names."""
        options = self._options
        names = [text for text, *_ in lines[-1]]
        n_fields = counts[-1]
        while n_fields > 1 and not names[n_fields - 1] and len(lines) == 1 and not options.edges:
            n_fields -= 1  # a delimiter at the end of every line makes no column
        if options.n_stated:
            n_fields = max(n_fields, options.n_stated * options.panels)
        if n_fields < options.panels:
            raise InputError(
                f"the heading has {n_fields} fields, but there are {options.panels} panels"
            )
        return options.per_record or max(1, -(-n_fields // options.panels))

    def _read_upper_line(
        self, data: Bytes, uncut: Ragged, row: int, drops: LineDrops
    ) -> list[Placed]:
        """Return the words of an upper heading line with the columns they stand over."""
        begin, line = _read_line(data, uncut, row)
        placed = list_words(line, self._options.tab_width)
        if not placed:
            return []
        columns = self._list_columns(data, uncut)
        spans = [(first, stop) for first, stop, _ in placed]
        firsts = np.searchsorted(self._edges.first, [a for a, _ in spans], "right").tolist()
        firsts = center_words(spans, columns, firsts)
        runs = _find_runs_below(data, uncut, row, drops)
        words: list[Placed] = []
        place = 0
        for nth, (*_, text) in enumerate(placed):
            place = line.index(text, place)
            start = begin + len(line[:place].encode())
            first, stop = firsts[nth], 0
            covered = _find_covered(spans[nth], runs, columns)
            if covered:
                first, stop = covered[0], covered[-1] + 1
            words.append((text, ((start, start + len(text.encode())),), first))
            if stop and stop < len(columns) and stop not in firsts[nth + 1 : nth + 2]:
                words.append(("", (), stop))  # nothing stands over what is behind the rule
            place += len(text)
        return words

    def _list_columns(self, data: Bytes, uncut: Ragged) -> list[tuple[int, int]]:
        """Return where the last line's words stand, column by column; else the edges."""
        edges = [0, *self._edges.first.tolist()]
        columns = [*pairwise([*edges, edges[-1] + 1])]
        _, line = _read_line(data, uncut, uncut.stops.size - 1)
        for begin, end, _ in reversed(list_words(line, self._options.tab_width)):
            columns[int(np.searchsorted(edges[1:], begin, "right"))] = begin, end
        return columns

    def _cut_at_words(
        self, data: Bytes, uncut: Ragged, ragged: Ragged, lines: list[list[Placed]]
    ) -> Ragged:
        """Return the heading's records with the upper lines cut at their own words, not at edges."""
        if len(lines) < 2:
            return ragged
        cuts: Ints = np.array(
            sorted(spans[0][0] for line in lines[:-1] for _, spans, _ in line[1:] if spans),
            np.int64,
        )
        upper = np.arange(uncut.stops.size) < uncut.stops.size - 1
        head = refine(uncut.select(upper), data, cuts)
        head = strip_page_marks(data, head, self._rules.marks)
        return Ragged.join([head, ragged.select(~upper)])


def _read_line(data: Bytes, uncut: Ragged, row: int) -> tuple[int, str]:
    """Return where a line begins, and what it says."""
    begin = int(uncut.record_starts[row])
    end = int(uncut.outer_ends[uncut.offsets[row + 1] - 1])
    return begin, data[begin:end].tobytes().decode()


def _find_runs_below(
    data: Bytes, uncut: Ragged, row: int, drops: LineDrops
) -> list[tuple[int, int]]:
    """Return the runs of a rule between a heading line and the next one, as display columns."""
    low, high = int(uncut.stops[row]), int(uncut.record_starts[row + 1])
    rules = drops.has("rule") & (drops.starts >= low) & (drops.starts < high)
    for start, stop in zip(drops.starts[rules].tolist(), drops.ends[rules].tolist(), strict=True):
        return find_rule_runs(data[start:stop].tobytes().rstrip(b"\r\n"))
    return []


def _find_covered(
    word: tuple[int, int], runs: Sequence[tuple[int, int]], columns: Sequence[tuple[int, int]]
) -> list[int]:
    """Return the columns over which a word's rule stands; none where it has none."""
    own = [run for run in runs if run[0] < word[1] and word[0] < run[1]]
    return [
        place
        for place, (begin, end) in enumerate(columns)
        if len(own) == 1 and own[0][0] - 1 <= begin and end <= own[0][1] + 1
    ]
