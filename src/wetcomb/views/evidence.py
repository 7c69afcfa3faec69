"""The whole evidence of an inspection: every part, way, column and odd record, and what each way costs."""

from __future__ import annotations

import math
import shlex
from collections.abc import Sequence

from wetcomb.core.inspection import (
    BY_LABELS,
    RUNNERS_UP,
    ColumnSeen,
    CutSeen,
    Inspection,
    TableSeen,
)
from wetcomb.views.blocks import Block, Fact, Grid, Styled, TextLines, make_visible
from wetcomb.views.doubts import build_doubts
from wetcomb.views.inspection import capitalize, clip, join_cells, tell_text
from wetcomb.views.teeth import draw_cut_lines, draw_ruler

__all__ = ["build_evidence"]

_BAR = 24
_FIRST, _HOW, _RECORD = 38, 44, 84
_EXCERPT, _NAME, _EXAMPLE, _COLUMNS, _PARTS = 58, 22, 36, 24, 12


def build_evidence(
    seen: Inspection, source: str, name: str, width: int, next_ones: Sequence[str]
) -> list[Block]:
    """Return the long page; the parameters are those of `build_inspection`."""
    blocks: list[Block] = [*build_doubts(seen.doubts, shlex.quote(name)), *tell_text(seen, source)]
    if len(seen.parts) > 1:
        blocks.append(_draw_parts(seen))
    for table in seen.tables:
        is_only, has_ways = len(seen.tables) == 1, len(seen.ways) > 1
        blocks += _draw_table(table, width, is_only=is_only, has_ways=has_ways)
    if len(seen.ways) > 1:
        blocks += _draw_ways(seen)
    if not seen.tables:
        blocks.append(
            Fact("cut", [Styled("there is no table in it that a cut would make", "snag")])
        )
    blocks += [
        Fact("to go on" if not place else "", [Styled(command, "strong")])
        for place, command in enumerate(next_ones)
    ]
    return blocks


def _draw_parts(seen: Inspection) -> Grid:
    rows = [
        [str(part.number), part.kind, part.lines, clip(make_visible(part.excerpt), _EXCERPT)]
        for part in seen.parts[:_PARTS]
    ]
    title = f"{len(seen.parts)} parts"
    if len(seen.parts) > _PARTS:
        title += f"; the first {_PARTS}"
    return Grid(title, ["part", "kind", "lines", "begins"], rows, [""] * len(rows))


def _draw_ways(seen: Inspection) -> list[Block]:
    """Return the ways that make different tables, and the records in which the next one differs."""
    rows = [
        [
            str(way.number),
            str(way.n_fields),
            f"{way.n_records:,}",
            clip(join_cells(way.record), _FIRST),
            clip(make_visible(way.how), _HOW),
        ]
        for way in seen.ways
    ]
    title = f"{len(rows)} ways that make different tables; this is way {seen.way}, --way {2 if seen.way == 1 else 1} takes another"
    heads = ["way", "fields", "records", "record", "how"]
    blocks: list[Block] = [Grid(title, heads, rows, [""] * len(rows))]
    if seen.differences:
        pairs = [
            [str(place.line) if not nth else "", str(way), clip(join_cells(record), _RECORD)]
            for place in seen.differences
            for nth, (way, record) in enumerate(
                [(seen.way, r) for r in place.mine] + [(seen.other, r) for r in place.theirs]
            )
        ]
        number = len(seen.differences)
        title = f"way {seen.way} and way {seen.other} differ in {number} place{'s' * (number != 1)}"
        blocks.append(Grid(title, ["line", "way", "record"], pairs, [""] * len(pairs)))
    return blocks


def _draw_table(table: TableSeen, width: int, *, is_only: bool, has_ways: bool) -> list[Block]:
    best, *others = table.ways
    which = f"part {table.part}" if table.part and not is_only else "cut"
    said = [Styled(capitalize(best.name), "strong"), Styled(f": {_tell_way(best)}")]
    facts: list[Block] = [Fact(which, said)]
    if others and not has_ways:
        facts.append(
            Fact(
                "next best", [Styled("; ".join(f"{way.name}, {_tell_way(way)}" for way in others))]
            )
        )
    facts += [
        Fact("", [Styled(note)])
        for note in table.notes
        if not note.startswith(("Cut at", "Not cut", RUNNERS_UP))
    ]
    facts += _draw_counts(table)
    lines = [draw_ruler(width - 8), *draw_cut_lines(table.lines, width)]
    blocks = [*facts, TextLines("its first lines, and where they are cut", lines)]
    blocks.append(_draw_columns(table))
    if table.odd:
        rows = [
            [str(odd.line), odd.why, clip(make_visible(odd.text), _EXCERPT)] for odd in table.odd
        ]
        title = f"{table.n_odd:,} of {table.n_records:,} records {'is' if table.n_odd == 1 else 'are'} odd"
        if table.n_odd > len(rows):
            title += f"; the first {len(rows)}"
        blocks.append(Grid(title, ["line", "why", "record"], rows, [""] * len(rows)))
    if table.readings:
        flags = (option.partition(" ")[::2] for option in table.readings)
        typed = " ".join(f"{flag} {shlex.quote(value)}" for flag, value in flags)
        blocks.append(Fact("to clean", [Styled(f"+ clean {make_visible(typed)}")]))
    blocks += [Fact("undecided", [Styled(make_visible(said))]) for said in table.undecided]
    return blocks


def _tell_way(way: CutSeen) -> str:
    fields = f"{way.n_fields} field{'s' * (way.n_fields != 1)}"
    if way.name == BY_LABELS:
        return f"{fields} in {way.n_records:,} blocks"
    price = ""
    if way.bits is not None:
        price = (
            f", {way.bits:.0f} bits a record" if way.bits < math.inf else "; that cuts hardly any"
        )
    return f"{fields} in {way.n_fitting:,} of {way.n_records:,} records{price}"


def _draw_counts(table: TableSeen) -> list[Fact]:
    """Return a bar for how many records have how many fields; none where all have as many."""
    if len(table.counts) < 2:
        return []
    total = sum(number for _, number in table.counts)
    return [
        Fact(
            "fields" if not place else "",
            [
                Styled(f"{count:>3} "),
                Styled("━" * max(1, round(_BAR * number / total)), "cut" if not place else "snag"),
                Styled(f" {number:,} record{'s' * (number != 1)}"),
            ],
        )
        for place, (count, number) in enumerate(table.counts)
    ]


def _draw_columns(table: TableSeen) -> Grid:
    shown = table.columns[:_COLUMNS]
    rows = [
        [
            str(place),
            clip(make_visible(column.name), _NAME),
            _tell_shapes(column),
            str(column.n_missing or ""),
            clip(make_visible(column.example), _EXAMPLE),
        ]
        for place, column in enumerate(shown, 1)
    ]
    title = f"{table.n_records:,} records of {len(table.columns)} columns"
    if len(table.columns) > len(shown):
        title += f"; the first {len(shown)}"
    return Grid(title, ["no", "column", "shapes", "blank", "example"], rows, [""] * len(rows))


def _tell_shapes(column: ColumnSeen) -> str:
    total = sum(number for _, number in column.shapes)
    if len(column.shapes) == 1:
        return column.shapes[0][0]
    return (
        ", ".join(f"{name} {100 * number // max(1, total)}%" for name, number in column.shapes)
        or "blank"
    )
