"""Splitting, slow and plain: one character after the other, nothing shared with the tool.

It says what the rules mean; the tool must agree with it on every text, however the text
is cut into chunks.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from itertools import product

SPACING = " \t"
RULE = re.compile(r"[-=_+|*~: \t]*([-=_~*])\1\1[-=_+|*~: \t]*")


@dataclass
class Plain:
    names: list[str]
    rows: list[list[str | None]] = field(default_factory=list)
    rests: list[str | None] = field(default_factory=list)
    snags: list[set[str]] = field(default_factory=list)
    dropped: list[str] = field(default_factory=list)


@dataclass
class Rules:
    delimiters: tuple[str, ...] = (",",)
    blanks: str = ""
    cut_runs_once: bool = False
    marks: tuple[str, ...] = ('"',)
    quote_lines: int = 1000
    quote_ends: str = "mark"


def find_cuts(text: str, rules: Rules) -> dict[int, tuple[int, bool]]:
    """Where each delimiter and line end begins: where it ends, and whether it is a line end."""
    cuts, place = {}, 0
    while place < len(text):
        if text[place] in "\r\n":
            end = place + (2 if text.startswith("\r\n", place) else 1)
            cuts[place] = (end, True)
        elif found := [d for d in rules.delimiters if text.startswith(d, place)]:
            end = place + len(max(found, key=len))
            while rules.cut_runs_once and (
                more := [d for d in rules.delimiters if text.startswith(d, end)]
            ):
                end += len(max(more, key=len))
            cuts[place] = (end, False)
        else:
            end = place + 1
        place = end
    if rules.blanks:
        ends = {end for end, is_line in cuts.values() if not is_line}
        for run in re.finditer(r"[ \t]+", text):
            at_edge = (
                run.start() == 0
                or run.end() == len(text)
                or text[run.start() - 1] in "\r\n"
                or text[run.end()] in "\r\n"
            )
            counts = " " in run[0] if rules.blanks == "space" else len(run[0]) > 1 or "\t" in run[0]
            if (
                counts
                and not at_edge
                and run.start() not in ends
                and cuts.get(run.end(), (0, True))[1] is not False
            ):
                cuts[run.start()] = (run.end(), False)
    if not text or text[-1] not in "\r\n":
        cuts[len(text)] = (len(text), True)
    return cuts


@dataclass
class Cell:
    start: int
    end: int
    value_start: int
    value_end: int
    mark: str = ""  # what was around it, and is doubled inside


class Reader:
    def __init__(self, text: str, rules: Rules) -> None:
        self.text, self.rules, self.cuts = text, rules, find_cuts(text, rules)

    def next_cut(self, place: int) -> int:
        while place not in self.cuts:
            place += 1
        return place

    def skip(self, place: int, stop: int) -> int:
        while place < stop and self.text[place] in SPACING:
            place += 1
        return place

    def line_ends(self, start: int, stop: int) -> int:
        return sum(start <= place < stop for place, (_, is_line) in self.cuts.items() if is_line)

    def closings(self, opening: int, limit: int) -> list[int]:
        """Marks that could close the field opened at `opening`, before `limit`, in order."""
        mark, found, place = self.text[opening], [], opening + 1
        while place < min(limit, len(self.text)):
            if self.text[place] != mark:
                place += 1
            elif self.line_ends(opening, place) > self.rules.quote_lines:
                break
            elif self.rules.quote_ends == "mark":
                if self.text.startswith(mark, place + 1) and place + 1 < len(self.text):
                    place += 2
                    continue
                return [place]
            else:
                stop = self.next_cut(place + 1)
                if self.skip(place + 1, stop) == stop:
                    found.append(place)
                place += 1
        return found

    def record(self, start: int, plain: set[int], limit: int, choice: dict[int, int] | None = None):
        cells, snags, place = [], set(), start
        while True:
            stop = self.next_cut(place)
            begin = self.skip(place, stop)
            opens = (
                begin < len(self.text)
                and self.text[begin] in self.rules.marks
                and begin not in plain
            )
            closings = self.closings(begin, limit) if opens else []
            if opens and not closings:
                snags.add("quote-left-open")
            if closings:
                closing = closings[0] if choice is None or begin not in choice else choice[begin]
                stop = self.next_cut(closing + 1)
                if self.skip(closing + 1, stop) < stop:
                    snags.add("text-after-quote")
                    cells.append(self.trimmed(place, stop))
                else:
                    mark = self.text[begin] if self.rules.quote_ends == "mark" else ""
                    cells.append(Cell(place, stop, begin + 1, closing, mark))
            else:
                cells.append(self.trimmed(place, stop))
            place, is_line = self.cuts[stop]
            if is_line:
                return cells, place, snags

    def trimmed(self, start: int, stop: int) -> Cell:
        begin = self.skip(start, stop)
        end = stop
        while end > begin and self.text[end - 1] in SPACING:
            end -= 1
        return Cell(start, stop, begin, end)

    def settle(self, start: int, n_fields: int | None):
        plain: set[int] = set()
        while True:
            cells, stop, snags = self.record(start, plain, len(self.text))
            stray = self.find_stray(start, cells, snags, n_fields)
            if stray is None:
                break
            plain.add(stray)
        if plain:
            snags.add("quote-never-closed")
        if self.rules.quote_ends == "delimiter" and n_fields and len(cells) > n_fields:
            return self.other_ends(start, n_fields, (cells, stop, snags))
        return cells, stop, snags

    def find_stray(
        self, start: int, cells: list[Cell], snags: set[str], n_fields: int | None
    ) -> int | None:
        if n_fields is None or n_fields < 2 or self.rules.quote_ends == "delimiter":
            return None
        for cell in cells:
            if not self.line_ends(cell.value_start, cell.value_end):
                continue
            begin = self.skip(cell.start, cell.value_end)
            fits, line = [], start
            while line <= cell.value_end:
                line_cut = min(
                    place for place, (_, is_line) in self.cuts.items() if is_line and place >= line
                )
                fits.append(len(self.record(line, set(), line_cut)[0]) == n_fields)
                line = self.cuts[line_cut][0]
                if line_cut >= cell.value_end:
                    break
            if cell.value_start > begin and all(fits):
                snags.add("quote-over-records")
            if cell.value_start == begin and fits[0] and 2 * sum(fits) >= len(fits):
                return begin
        return None

    def other_ends(self, start: int, n_fields: int, first):
        """Try every choice of closings within the record as it was first read."""
        line_end = first[0][-1].end
        openings = [self.skip(cell.start, cell.end) for cell in first[0]]
        options = []
        for opening in openings:
            quoted = opening < len(self.text) and self.text[opening] in self.rules.marks
            closings = self.closings(opening, line_end + 1) if quoted else []
            options.append(closings or [-1])
        if all(len(closings) == 1 for closings in options):
            return first
        found = {}
        for choice in product(*options):
            chosen = {o: c for o, c in zip(openings, choice, strict=True) if c >= 0}
            cells, stop, _ = self.record(start, set(), line_end + 1, chosen)
            if (
                stop == first[1]
                and len(cells) == n_fields
                and {c.start for c in cells} <= {c.start for c in first[0]}
            ):
                found[tuple((c.value_start, c.value_end) for c in cells)] = cells
        ranked = sorted((sum(map(self.oddity, cells)), key) for key, cells in found.items())
        if not ranked or (len(ranked) > 1 and ranked[0][0] == ranked[1][0]):
            return first[0], first[1], first[2] | {"quote-end-unclear"}
        return found[ranked[0][1]], first[1], first[2]

    def oddity(self, cell: Cell) -> int:
        raw = self.text[cell.start : cell.end].strip(SPACING)
        mark = next((m for m in self.rules.marks if raw.startswith(m)), None)
        if mark is None or not raw.endswith(mark) or len(raw) < 2:
            return sum(raw.count(m) for m in self.rules.marks)
        return sum(
            self.text[place - 1] == mark
            and place > cell.start
            and self.text[end : end + 1] == mark
            and end < cell.end
            for place, (end, _) in self.cuts.items()
            if cell.start <= place < cell.end
        )

    def strip_page_mark(self, cells: list[Cell]) -> None:
        first = cells[0]
        raw = self.text[first.value_start : first.value_end]
        quoted = first.value_start > first.start and (
            self.text[first.value_start - 1] in self.rules.marks
        )
        others = any(cell.value_end > cell.value_start for cell in cells[1:])
        if raw.startswith("\f") and not quoted and (len(raw) > 1 or others):
            first.value_start = self.skip(first.value_start + 1, first.value_end)

    def value(self, cell: Cell) -> str:
        raw = self.text[cell.value_start : cell.value_end]
        return raw.replace(cell.mark * 2, cell.mark) if cell.mark else raw

    def reason(self, cells: list[Cell], n_fields: int | None, heading: list[str]) -> str:
        raw = [self.text[c.value_start : c.value_end] for c in cells]
        line = self.text[cells[0].start : cells[-1].end]
        if raw == ["\f"]:
            return "page-mark"
        if not any(raw):
            return "blank-line" if len(cells) == 1 and not line.strip(SPACING) else "empty-record"
        first = self.text[cells[0].value_start : cells[0].value_start + 1]
        is_tabbed = "" in raw and any(
            self.text[cell.end : cell.end + 1] == "\t" for cell in cells[:-1]
        )
        if n_fields != 1 and first in tuple("-=_+|*~:") and RULE.fullmatch(line) and not is_tabbed:
            return "rule"
        return "heading-again" if heading and raw == heading else ""


def split(text: str, rules: Rules, *, heading: str, fields: int) -> Plain:
    reader, place = Reader(text, rules), 0
    n_fields = fields if heading == "none" else None
    heading: list[str] = []
    result = Plain([f"field-{k + 1}" for k in range(fields)] if heading == "none" else [])
    while place < len(text):
        cells, place, snags = reader.settle(place, n_fields)
        reader.strip_page_mark(cells)
        if why := reader.reason(cells, n_fields, heading):
            result.dropped.append(why)
            continue
        values = [reader.value(cell) for cell in cells]
        if n_fields is None:
            heading = [text[c.value_start : c.value_end] for c in cells]
            while len(values) > 1 and not values[-1]:
                values.pop()
            n_fields, result.names = len(values), values
            continue
        surplus = values[n_fields:]
        while surplus and not surplus[-1]:
            surplus.pop()
        rest = None
        if len(surplus) == 1:
            rest = surplus[0]
        elif surplus:
            last = cells[n_fields + len(surplus) - 1]
            rest = text[reader.skip(cells[n_fields].start, cells[n_fields].end) : last.end].rstrip(
                SPACING
            )
        if surplus:
            snags.add("long")
        if len(values) < n_fields:
            snags.add("short")
        result.rows.append((values + [None] * n_fields)[:n_fields])
        result.rests.append(rest)
        result.snags.append(snags)
    return result
