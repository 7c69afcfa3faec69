"""split --records-at heading: an outline of numbered sections, a record a section.

A line is a heading if it begins with a number of one or more parts (`2.3`) that comes next in
its sequence: after 2.3 come 2.4, 2.3.1 and 3; anything else that begins with a number is text,
and so is a single number without a stop behind it in the middle of a paragraph, unless its first
inner section (`3.1` below `3`) begins on the next line of text.
A record has number and title of each level, outer to inner, then the text, its lines joined by
one space. Text before the first heading, and that of an outer section before its first inner
one, are records in which the inner cells are missing. It is wrong where a numbered list in the
text happens to go on with the outline's own numbers.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

import msgspec
import numpy as np

from wetcomb.core.arrays import Spans
from wetcomb.core.batch import Batch, NameSource, StepRun
from wetcomb.core.cutting.ragged import LineDrops
from wetcomb.core.errors import UsageError
from wetcomb.core.ledger import Charge
from wetcomb.core.line_charges import charge_edge, prove_charges, to_arrays
from wetcomb.core.snags import SnagRows
from wetcomb.core.table import MISSING, Table
from wetcomb.core.text import Text, count_line_ends
from wetcomb.steps.split.options import Split

__all__ = ["OutlineSplitter"]

_HEADING = re.compile(
    rb"[ \t\f]*(\d{1,4}(?:\.\d{1,4})*)(\.?)[ \t]+([^ \t\r\n](?:[^\r\n]*[^ \t\r\n])?)[ \t]*"
)
_GLUE = b" "

Span = tuple[int, int]


class _Line(msgspec.Struct):
    """A line: its whole span, and the value in it; a heading's number and title."""

    start: int
    end: int
    value: Span
    numbers: tuple[int, ...] = ()
    number: Span = (0, 0)
    title: Span = (0, 0)


class _Section(msgspec.Struct):
    """A record in the making: cells of its levels (bytes where they are told again), its lines."""

    cells: list[Span | bytes | None]
    lines: list[_Line]
    start: int


class OutlineSplitter(StepRun):
    """Runs one `Split` over the chunks of an outline.

    Raises
    ------
    UsageError : options that have no meaning for an outline
    """

    def __init__(self, options: Split) -> None:
        self._level = options.outline_level
        names = [
            f"{what} {level}" if self._level > 1 else what
            for level in range(1, self._level + 1)
            for what in ("number", "title")
        ]
        self._names = tuple(options.names) or (*names, "text")
        if len(self._names) != 2 * self._level + 1:
            raise UsageError(
                f"--names gives {len(self._names)} names for {2 * self._level + 1} columns"
            )
        self._last: tuple[int, ...] = ()
        self._outer: list[tuple[bytes, bytes]] = []
        self._is_first = True

    def feed(self, batch: Batch, *, is_last: bool) -> Iterator[Batch]:
        """Yield the sections that end in a chunk."""
        yield self._read(batch.text, is_last=is_last)

    def _read(self, chunk: Text, *, is_last: bool) -> Batch:
        lines = self._read_lines(chunk)
        stop = chunk.body_size
        if not is_last:
            heads = [
                line for line in lines[1:] if line.numbers and len(line.numbers) <= self._level
            ]
            stop = self._find_stop(lines, heads)
            if not stop:
                return Batch(chunk)
            lines = [line for line in lines if line.start < stop]
        sections = self._part(chunk, lines)
        return self._build(chunk, lines, sections, stop, is_last=is_last)

    def _find_stop(self, lines: Sequence[_Line], heads: Sequence[_Line]) -> int:
        """Return where the last section begins; an outer heading without text stays with it."""
        if not heads:
            return 0
        place = lines.index(heads[-1])
        while place > 0:
            before = lines[place - 1]
            is_blank = before.value[0] == before.value[1]
            if not is_blank and not (before.numbers and len(before.numbers) < self._level):
                break
            place -= 1
        return lines[place].start

    def _read_lines(self, chunk: Text) -> list[_Line]:
        """Return the lines of a chunk, headings told by their sequence."""
        raw = chunk.data[: chunk.body_size].tobytes()
        starts = chunk.line_starts[chunk.line_starts < chunk.body_size].tolist()
        lines: list[_Line] = []
        last = self._last
        ends = [*starts[1:], chunk.body_size] if starts else []  # a chunk may be all end
        bodies = [raw[a:b].rstrip(b"\r\n") for a, b in zip(starts, ends, strict=True)]
        for place, (start, end, body) in enumerate(zip(starts, ends, bodies, strict=True)):
            inner = body.strip(b" \t\f")
            begin = start + (body.find(inner) if inner else len(body))
            line = _Line(start, end, (begin, begin + len(inner)))
            found = _HEADING.fullmatch(body)
            numbers = tuple(map(int, found[1].split(b"."))) if found else ()
            # a bare number within a paragraph is one of its words
            is_bare = len(numbers) == 1 and not (found and found[2])
            within = lines and not lines[-1].numbers and lines[-1].value[0] < lines[-1].value[1]
            is_word = is_bare and within and not _opens(numbers, bodies, place + 1)
            if found and _follows(last, numbers) and not is_word:
                last = numbers
                line.numbers = numbers
                line.number = (start + found.start(1), start + found.end(1))
                line.title = (start + found.start(3), start + found.end(3))
            lines.append(line)
        return lines

    def _part(self, chunk: Text, lines: Sequence[_Line]) -> list[_Section]:
        """Return the sections, each with the numbers and titles of its outer levels."""
        sections: list[_Section] = []
        here: list[Span | bytes | None] = [value for pair in self._outer for value in pair]
        for line in lines:
            depth = len(line.numbers)
            if not depth or depth > self._level:
                if not sections and line.value[0] == line.value[1]:
                    continue
                if not sections:
                    sections.append(_Section(self._pad(here), [], line.start))
                sections[-1].lines.append(line)
                continue
            here = [*here[: 2 * (depth - 1)], line.number, line.title]
            sections.append(_Section(self._pad(here), [], line.start))
            here = [
                chunk.data[cell[0] : cell[1]].tobytes() if isinstance(cell, tuple) else cell
                for cell in here
            ]
            self._last = line.numbers
        self._outer = [
            (a, b)
            for a, b in zip(here[::2], here[1::2], strict=True)
            if isinstance(a, bytes) and isinstance(b, bytes)
        ]
        kept = []
        for place, section in enumerate(sections):
            has_text = any(line.value[1] > line.value[0] for line in section.lines)
            following = sections[place + 1] if place + 1 < len(sections) else None
            if following is not None and not has_text and self._holds(section, following):
                self._hand_down(section, following)
            else:
                kept.append(section)
        return kept

    @staticmethod
    def _holds(outer: _Section, inner: _Section) -> bool:
        """Return whether the inner section has more levels than the outer one."""
        n_outer = sum(cell is not None for cell in outer.cells)
        return sum(cell is not None for cell in inner.cells) > n_outer

    @staticmethod
    def _hand_down(outer: _Section, inner: _Section) -> None:
        """Let the first inner section have the outer heading as it stands in the text."""
        for place, cell in enumerate(outer.cells):
            if isinstance(cell, tuple):
                inner.cells[place] = cell
        inner.lines = [*outer.lines, *inner.lines]
        inner.start = outer.start

    def _pad(self, cells: Sequence[Span | bytes | None]) -> list[Span | bytes | None]:
        return [*cells, *[None] * (2 * self._level - len(cells))]

    def _build(
        self,
        chunk: Text,
        lines: Sequence[_Line],
        sections: Sequence[_Section],
        stop: int,
        *,
        is_last: bool,
    ) -> Batch:
        """Return the table of the sections, and what left their lines."""
        text, starts, ends = _lay_out(chunk, sections, len(self._names))
        gone = _charge_lines(chunk, lines, self._level)
        prove_charges(chunk, gone)
        begins = np.array([section.start for section in sections], np.int64)
        stops = np.append(begins[1:], stop)[: begins.size]
        none = np.full(begins.size, MISSING, np.int32)
        rows = np.searchsorted(begins, chunk.odd_places, "right") - 1
        inside = (rows >= 0) & (chunk.odd_places < stop)
        table = Table(
            text,
            self._names,
            starts,
            ends,
            none,
            none,
            begins,
            stops,
            SnagRows.of(rows[inside], chunk.odd_kinds[inside]),
        )
        sources = (NameSource(),) * len(self._names) if self._is_first else ()
        self._is_first = False
        return Batch(
            chunk,
            stop,
            count_line_ends(chunk.data[:stop].tobytes(), is_whole=is_last),
            table,
            charges=[Charge(reason, *to_arrays(spans)) for reason, spans in gone.items() if spans],
            drops=LineDrops.of("blank-line", *to_arrays(gone["blank-line"])),
            name_sources=sources,
        )


def _opens(numbers: tuple[int, ...], bodies: Sequence[bytes], place: int) -> bool:
    """Return whether the next line of text from a place on is the first inner heading of a section."""
    below = next((bodies[k] for k in range(place, len(bodies)) if bodies[k].strip()), b"")
    found = _HEADING.fullmatch(below)
    inner = tuple(map(int, found[1].split(b"."))) if found else ()
    return len(inner) == len(numbers) + 1 and _follows(numbers, inner)


def _follows(last: tuple[int, ...], new: tuple[int, ...]) -> bool:
    """Return whether a number comes next in an outline."""
    if not last:
        return len(new) == 1
    if len(new) == len(last) + 1:
        return new[:-1] == last and new[-1] in (0, 1)
    return (
        len(new) <= len(last)
        and new[:-1] == last[: len(new) - 1]
        and new[-1] == last[len(new) - 1] + 1
    )


def _charge_lines(chunk: Text, lines: Sequence[_Line], level: int) -> dict[str, list[Span]]:
    """Return every span of the lines that no cell has, by reason."""
    gone: dict[str, list[Span]] = {
        "line-end": [],
        "spacing": [],
        "blank-line": [],
        "page-mark": [],
        "outline-mark": [],
    }
    for line in lines:
        if line.value[0] == line.value[1]:
            feeds = b"\f" in chunk.data[line.start : line.end].tobytes()
            gone["page-mark" if feeds else "blank-line"].append((line.start, line.end))
            continue
        parts = [line.value]
        if line.numbers and len(line.numbers) <= level:
            parts = [line.number, line.title]
        content = chunk.data[line.start : line.end].tobytes()
        end = line.start + len(content.rstrip(b"\r\n"))
        charge_edge(chunk, gone, line.start, parts[0][0])
        if len(parts) == 2:
            stop = int(chunk.data[parts[0][1]] == ord("."))
            gone["outline-mark"] += [(parts[0][1], parts[0][1] + 1)] * stop
            charge_edge(chunk, gone, parts[0][1] + stop, parts[1][0])
        charge_edge(chunk, gone, parts[-1][1], end)
        if line.end > end:
            gone["line-end"].append((end, line.end))
    return gone


def _lay_out(
    chunk: Text, sections: Sequence[_Section], n_columns: int
) -> tuple[Text, Spans, Spans]:
    """Return the text with built values behind it, and the spans of all cells."""
    spans = np.full((len(sections), n_columns, 2), MISSING, np.int64)
    again: list[tuple[int, int, bytes]] = []
    joined: list[tuple[int, list[Span]]] = []
    for row, section in enumerate(sections):
        for column, cell in enumerate(section.cells):
            if isinstance(cell, bytes):
                again.append((row, column, cell))
            elif cell is not None:
                spans[row, column] = cell
        values = [line.value for line in section.lines if line.value[1] > line.value[0]]
        spans[row, -1] = values[0] if values else (section.start, section.start)
        if len(values) > 1:
            joined.append((row, values))
    text, begins, ends = chunk.repeat([value for *_, value in again], "outer-levels")
    for (row, column, _), begin, end in zip(again, begins, ends, strict=True):
        spans[row, column] = begin, end
    parts = np.array([span for _, values in joined for span in values], np.int64).reshape(-1, 2)
    counts = np.array([len(values) for _, values in joined], np.int64)
    if counts.size:
        text, begins, ends = text.build(parts[:, 0], parts[:, 1], counts, _GLUE)
        rows = [row for row, _ in joined]
        spans[rows, -1, 0], spans[rows, -1, 1] = begins, ends
    return text, spans[:, :, 0].astype(np.int32), spans[:, :, 1].astype(np.int32)
