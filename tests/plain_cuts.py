"""Cutting by anything but quotes, slow and plain: strings and loops, nothing shared with the tool."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from itertools import pairwise

SPACING = " \t"


@dataclass
class Ways:
    delimiter: str = ""
    edges: tuple[int, ...] = ()
    tab_width: int = 8
    boundary: tuple[str, ...] = ()
    before: str = ""  # a regular expression
    after: str = ""
    protect: str = ""
    cuts: str = "all"
    records_at: str = "newline"
    per_record: int = 0
    panels: int = 1
    each_a_record: bool = False
    frame: bool = False
    drop: str = ""
    n_fields: int = 3


def width_of(sign: str) -> int:
    if unicodedata.category(sign) in ("Mn", "Me", "Cf", "Cc"):
        return 0
    return 2 if unicodedata.east_asian_width(sign) in "WF" else 1


def cut_at_edges(line: str, ways: Ways) -> list[tuple[int, int]]:
    """Spans between the edges; a cut inside a tab or a wide character stands before it."""
    columns, column = [], 0
    for sign in line:
        columns.append(column)
        column += ways.tab_width - column % ways.tab_width if sign == "\t" else width_of(sign)
    columns.append(column)
    places = []
    for edge in ways.edges:
        before = [k for k, at in enumerate(columns) if at <= edge]
        places.append(before[-1])
    bounds = [0, *places, len(line)]
    return list(pairwise(bounds))


def kind_of(sign: str) -> str:
    category = unicodedata.category(sign)
    if sign in " \t\r\n\f" or category.startswith("Z"):
        return "_"
    if category in ("Lu", "Lt"):
        return "A"
    return "a" if category.startswith("L") else "9" if category.startswith("N") else "."


def find_changes(text: str, example: str) -> list[int]:
    left, right = example.split("|")
    bases = [
        k
        for k, sign in enumerate(text)
        if unicodedata.category(sign) not in ("Mn", "Me", "Mc", "Cf")
    ]
    kinds = [kind_of(text[k]) for k in bases]

    def meets(kind: str, sign: str, other: str) -> bool:
        return kind != other if sign == "*" else kind == sign

    found = []
    for at in range(len(left), len(kinds) - len(right) + 1):
        fits = all(
            meets(kinds[at - back], sign, right[0]) for back, sign in enumerate(reversed(left), 1)
        )
        if fits and all(
            meets(kinds[at + ahead], sign, left[-1]) for ahead, sign in enumerate(right)
        ):
            found.append(bases[at])
    return found


def strip(text: str, start: int, end: int, spacing: str = SPACING) -> tuple[int, int]:
    while start < end and text[start] in spacing:
        start += 1
    while end > start and text[end - 1] in spacing:
        end -= 1
    return start, end


def cut_record(line: str, ways: Ways) -> list[tuple[int, int]]:
    """Outer spans of a record's fields."""
    only_edges = ways.edges and not (ways.delimiter or ways.boundary or ways.before or ways.after)
    spans = [(0, len(line))]
    if ways.delimiter:
        starts = [0, *(m.end() for m in re.finditer(re.escape(ways.delimiter), line))]
        ends = [*(m.start() for m in re.finditer(re.escape(ways.delimiter), line)), len(line)]
        spans = list(zip(starts, ends, strict=True))
    if only_edges:
        spans = cut_at_edges(line, ways)
    else:
        places = {start for start, _ in cut_at_edges(line, ways)[1:]} if ways.edges else set()
        for example in ways.boundary:
            places.update(find_changes(line, example))
        pieces = []
        for start, end in spans:
            inner = strip(
                line, start, end, SPACING if ways.records_at == "newline" else SPACING + "\r\n"
            )
            value = line[inner[0] : inner[1]]
            mine = {p for p in places if inner[0] < p < inner[1]}
            if ways.before:
                mine |= {inner[0] + m.start() for m in re.finditer(ways.before, value) if m.start()}
            if ways.after:
                mine |= {
                    inner[0] + m.end()
                    for m in re.finditer(ways.after, value)
                    if m.end() < len(value)
                }
            bounds = [start, *sorted(mine), end]
            pieces += list(pairwise(bounds))
        spans = pieces
    taken_back = [False] * len(spans)
    if ways.protect:
        opening, closing = ways.protect
        depth, depths = 0, []
        for sign in line:
            depths.append(depth)
            depth += (sign == opening) - (sign == closing)
        depths.append(depth)
        if depth == 0 and min(depths) >= 0:
            taken_back = [depths[start] > 0 for start, _ in spans]
            taken_back[0] = False
    if ways.cuts != "all":
        which, number = ways.cuts.split(":")
        heads = [k for k in range(1, len(spans)) if not taken_back[k]]
        keep = heads[: int(number)] if which == "first" else heads[-int(number) :]
        taken_back = [back or (k > 0 and k not in keep) for k, back in enumerate(taken_back)]
    merged: list[tuple[int, int]] = []
    for span, back in zip(spans, taken_back, strict=True):
        if back:
            merged[-1] = (merged[-1][0], span[1])
        else:
            merged.append(span)
    return merged


def list_records(text: str, ways: Ways) -> list[str]:
    if ways.records_at == "newline":
        lines = re.split(r"\r\n|\n|\r", text)
        return lines[:-1] if lines and not lines[-1] else lines
    if ways.records_at == "blank-line":
        runs = [
            m
            for m in re.finditer(r"[ \t\r\n]+", text)
            if len(re.findall(r"\r\n|\n|\r", m[0])) > (m.start() > 0) or m.end() == len(text)
        ]
        starts, ends = [0, *(m.end() for m in runs)], [*(m.start() for m in runs), len(text)]
        return [text[a:b] for a, b in zip(starts, ends, strict=True)]
    return text.split(ways.records_at)


def plain_rows(text: str, ways: Ways) -> list[list[str | None]]:
    """All records, padded to the number of columns, with what is over at the end."""
    spacing = SPACING if ways.records_at == "newline" else SPACING + "\r\n"
    lines: list[list[tuple[str, str]]] = []
    for line in list_records(text, ways):
        spans = cut_record(line, ways)
        cells = [strip(line, start, end, spacing) for start, end in spans]
        fields = [(line, line[a:b], a, b) for a, b in cells]
        if not any(value for _, value, *_ in fields):
            continue
        if ways.frame and len(fields) > 2 and not fields[0][1] and not fields[-1][1]:
            fields = fields[1:-1]
        if ways.drop:
            kept = [field for field in fields if not re.fullmatch(ways.drop, field[1])]
            fields = kept or fields[:1]
        lines.append(fields)
    if ways.each_a_record:
        return [[value, None] for fields in lines for _, value, *_ in fields if value]
    if ways.per_record:
        run = [field for fields in lines for field in fields]
        lines = [run[k : k + ways.per_record] for k in range(0, len(run), ways.per_record)]
    if ways.panels > 1:
        width, stacked = ways.n_fields, []
        for panel in range(ways.panels):
            is_last = panel == ways.panels - 1
            for fields in lines:
                mine = fields[panel * width : None if is_last else (panel + 1) * width]
                if any(value for _, value, *_ in mine):
                    stacked.append(pad(mine, width))
        return stacked
    return [pad(fields, ways.per_record or ways.n_fields) for fields in lines]


def pad(fields: list[tuple[str, str, int, int]], n_fields: int) -> list[str | None]:
    values: list[str | None] = [value for _, value, *_ in fields[:n_fields]]
    surplus = list(fields[n_fields:])
    while surplus and not surplus[-1][1]:
        surplus.pop()
    rest = None
    if len(surplus) == 1:
        rest = surplus[0][1]
    elif surplus:
        rest = surplus[0][0][surplus[0][2] : surplus[-1][3]]
    return values + [None] * (n_fields - len(values)) + [rest]
