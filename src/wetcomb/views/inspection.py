"""The page of an inspection: on one screen what is there, what comes of it, what is odd, what to type next.

Everything is said in words that a person can check by eye; what the ways cost, and all parts, ways
and columns, stand on the page of the evidence.
"""

from __future__ import annotations

import shlex
from collections import Counter
from collections.abc import Iterator, Sequence

import msgspec

from wetcomb.core.inspection import (
    BY_LABELS,
    RUNNERS_UP,
    ColumnSeen,
    Difference,
    Inspection,
    TableSeen,
)
from wetcomb.views.blocks import Block, Fact, Grid, Styled, TextLines, make_visible
from wetcomb.views.doubts import build_doubts
from wetcomb.views.teeth import draw_cut_lines

__all__ = ["build_inspection", "capitalize", "clip", "join_cells", "tell_text"]

_TABLES = 8
_CELL, _LEAST = 30, 9  # characters of a cell: the most, and what a column takes at least
_MARGIN = 7
_SCREEN = 31  # lines, and one for what is typed


class _Amount(msgspec.Struct, frozen=True):
    """How much a page shows: lines of the text, notes, odd records, other ways, places where they differ, doubts."""

    lines: int
    notes: int
    odd: int
    ways: int
    places: int
    doubts: int
    command: int  # lines of the longest command


#: The most first; what does not fit on a screen gives way to less.
_AMOUNTS = (
    _Amount(2, 3, 3, 3, 2, 9, 3),
    _Amount(2, 2, 3, 3, 1, 9, 2),
    _Amount(1, 1, 3, 2, 1, 4, 1),
    _Amount(1, 0, 2, 1, 0, 3, 1),
    _Amount(0, 0, 1, 1, 0, 2, 1),
)


def build_inspection(
    seen: Inspection, source: str, name: str, width: int, next_ones: Sequence[str]
) -> list[Block]:
    """Return the page.

    Parameters
    ----------
    source : what was read, with its encoding
    name : the file as it is typed
    width : display columns there are
    next_ones : commands to go on with
    """
    for much in _AMOUNTS:
        blocks = _build(seen, source, shlex.quote(name), width, next_ones, much)
        if _measure(blocks, width) <= _SCREEN:
            break
    return blocks


def _build(
    seen: Inspection, source: str, typed: str, width: int, next_ones: Sequence[str], much: _Amount
) -> list[Block]:
    """Return the page with so much of each thing."""
    doubts = build_doubts(seen.doubts, typed)
    if len(seen.doubts) > much.doubts:
        doubts = build_doubts(seen.doubts[: much.doubts], typed)
        more = f"and {len(seen.doubts) - much.doubts} more doubts"
        doubts.append(Fact("", [Styled(more, "snag")]))
    blocks: list[Block] = [*doubts, *tell_text(seen, source)]
    if len(seen.parts) > 1:
        blocks.append(_tell_parts(seen))
    if len(seen.tables) == 1:
        blocks += _draw_table(seen.tables[0], width, much)
        blocks += _tell_ways(seen, width, much)
    elif seen.tables:
        blocks += _draw_tables(seen, width)
    else:
        said = "there is no table in it that a cut would make"
        blocks.append(Fact("cut", [Styled(said, "snag")]))
    short = [line for line in next_ones if len(line) <= much.command * width] or next_ones[:1]
    blocks += [
        Fact("" if place else "to go on", [Styled(command, "strong")])
        for place, command in enumerate(short)
    ]
    more = f"wetcomb inspect {typed} --evidence"
    said = ": parts, columns, ways and what they cost"
    return [*blocks, Fact("all of it", [Styled(more), Styled(said, "faint")])]


def _measure(blocks: Sequence[Block], width: int) -> int:
    """Return how many lines of a screen blocks take."""
    number = 0
    for block in blocks:
        if isinstance(block, Fact):
            number += -(-max(1, sum(len(part.text) for part in block.parts)) // (width - 11))
        else:
            number += 2 + (
                len(block.lines) if isinstance(block, TextLines) else 1 + len(block.rows)
            )
    return number


def tell_text(seen: Inspection, source: str) -> list[Fact]:
    """Return what was read: its lines, how they end, signs that cannot be seen or are odd."""
    number = f"{seen.lines:,} line{'s' * (seen.lines != 1)}"
    lines = number if seen.is_whole else f"the first {number}"
    ends = ", ".join(
        f"{number:,} {name}" if len(seen.line_ends) > 1 else name for name, number in seen.line_ends
    )
    facts = [Fact("text", [Styled(f"{source}: {lines}, line ends {ends or 'none'}")])]
    if seen.signs:
        said = "; ".join(
            f"{sign.number:,} {sign.name}{'s' * (sign.number != 1)} (first in line {sign.line})"
            for sign in seen.signs
        )
        facts.append(Fact("odd signs", [Styled(said)]))
    return facts


def _tell_parts(seen: Inspection) -> Fact:
    """Return how many parts of which kind there are, in a line."""
    kinds = Counter(part.kind for part in seen.parts)
    said = ", ".join(
        f"{number} {kind}{'s' * (number != 1 and kind != 'prose')}"
        for kind, number in kinds.items()
    )
    shown = seen.tables[0].rows if len(seen.tables) == 1 else ()
    where = (
        f"; the table below is made of lines {shown[0].line} to {shown[-1].line}"
        if len(shown) > 1
        else ""
    )
    return Fact("parts", [Styled(f"{len(seen.parts)}: {said}{where}")])


def _draw_tables(seen: Inspection, width: int) -> Iterator[Block]:
    """Yield a line for each of several tables."""
    kinds = {part.number: part.lines for part in seen.parts}
    rows = [
        [
            str(table.part),
            kinds.get(table.part, ""),
            f"{table.n_records:,}",
            str(table.n_odd or ""),
            clip(", ".join(make_visible(column.name) for column in table.columns), width // 2),
        ]
        for table in seen.tables[:_TABLES]
    ]
    number = sum(part.kind == "table" for part in seen.parts)
    more = f"; the first {len(rows)}" if number > len(rows) else ""
    title = f"{number} tables, each a part of its own{more}; --part {seen.tables[0].part} opens the first"
    yield Grid(title, ["part", "lines", "records", "odd", "columns"], rows, [""] * len(rows))


def _draw_table(table: TableSeen, width: int, much: _Amount) -> Iterator[Block]:
    yield Fact("cut", [Styled(_tell_how(table), "strong"), Styled(f": {_tell_fit(table)}")])
    notes = [n for n in table.notes if not n.startswith(("Cut at", "Not cut", RUNNERS_UP))]
    number = len(notes) if len(notes) <= much.notes + 1 else much.notes
    yield from (Fact("", [Styled(make_visible(note))]) for note in notes[:number])
    if number < len(notes):
        yield Fact("", [Styled(f"and {len(notes) - number} more", "faint")])
    if much.lines:
        cut = [line for line in table.lines if line.teeth] or table.lines
        lines = draw_cut_lines(cut[: much.lines], width)
        yield TextLines("its first lines, and where they are cut", lines)
    yield _draw_records(table, width)
    if table.odd:
        yield _draw_odd(table, width, much.odd)
    yield from _tell_readings(table)


def _tell_how(table: TableSeen) -> str:
    how = table.ways[0].name
    return how if how in (BY_LABELS, "no delimiter") else f"at {how}"


def _tell_fit(table: TableSeen) -> str:
    best = table.ways[0]
    fields = f"{best.n_fields} field{'s' * (best.n_fields != 1)}"
    if best.name == BY_LABELS:
        return f"{fields} in {best.n_records:,} blocks"
    what = "records" if best.name.endswith("a record") or "records at" in best.name else "lines"
    return f"{fields} in {best.n_fitting:,} of {best.n_records:,} {what}"


def _draw_records(table: TableSeen, width: int) -> Grid:
    """Return the first records and the last under the names and the shapes of their columns."""
    n_shown = max(1, min(len(table.columns), (width - _MARGIN) // _LEAST))
    shown = table.columns[:n_shown]
    names = [make_visible(column.name) for column in shown]
    shapes = [_tell_shape(column) for column in shown]
    cells = [
        [None if c is None else make_visible(c) for c in row.cells[:n_shown]] for row in table.rows
    ]
    texts = [names, shapes, *([cell or "∅" for cell in row] for row in cells)]
    natural = [max(len(row[k]) for row in texts) for k in range(n_shown)]
    widths = _fit_widths(natural, width - _MARGIN)
    faint = [Styled(clip(shape, size), "faint") for shape, size in zip(shapes, widths, strict=True)]
    rows: list[list[str | Styled | None]] = [["", *faint]]
    for place, row in enumerate(table.rows):
        if place and place == len(table.rows) - 1 < table.n_records - 1:  # some are left out
            rows.append(["", *[Styled("…", "faint")] * n_shown])
        mine = zip(cells[place], widths, strict=True)
        shown_cells = [None if cell is None else clip(cell, size) for cell, size in mine]
        rows.append([str(row.line), *shown_cells])
    n_columns = len(table.columns)
    title = f"{table.n_records:,} record{'s' * (table.n_records != 1)} of {n_columns} column{'s' * (n_columns != 1)}"
    title += "; the first and the last" * (table.n_records > len(table.rows))
    heads = ["line", *(clip(name, size) for name, size in zip(names, widths, strict=True))]
    return Grid(title, heads, rows, [""] * len(rows), n_columns - n_shown)


def _fit_widths(natural: Sequence[int], room: int) -> list[int]:
    """Return widths that fit into some room, two blanks between: the widest columns give way first."""
    widths = [min(size, _CELL) for size in natural]
    while sum(widths) + 2 * len(widths) > room and max(widths) > 1:
        widths[widths.index(max(widths))] -= 1
    return widths


def _tell_shape(column: ColumnSeen) -> str:
    """Return the commonest shape, what stands beside it, and how many are blank."""
    total = sum(number for _, number in column.shapes)
    if not total:
        return "blank"
    usual, number = column.shapes[0]
    said = usual if number == total else f"{usual} {100 * number // total}%"
    return f"{said}, {column.n_missing} blank" if column.n_missing else said


def _draw_odd(table: TableSeen, width: int, most: int) -> Grid:
    shown = table.odd[:most]
    rows: list[list[str | Styled]] = [
        [
            str(odd.line),
            Styled(clip(make_visible(odd.why), width // 3), "snag"),
            clip(make_visible(odd.text), width // 2),
        ]
        for odd in shown
    ]
    is_one = table.n_odd == 1
    title = f"{table.n_odd:,} of {table.n_records:,} records {'is' if is_one else 'are'} odd"
    title += f"; the first {len(rows)}" * (table.n_odd > len(rows))
    return Grid(title, ["line", "why", "record"], rows, [""] * len(rows))


def _tell_readings(table: TableSeen) -> Iterator[Fact]:
    if table.readings:
        flags = (option.partition(" ")[::2] for option in table.readings)
        typed = " ".join(f"{flag} {shlex.quote(value)}" for flag, value in flags)
        yield Fact("to clean", [Styled(f"+ clean {make_visible(typed)}")])
    yield from (Fact("undecided", [Styled(make_visible(said))]) for said in table.undecided[:1])


def _tell_ways(seen: Inspection, width: int, much: _Amount) -> Iterator[Fact]:
    """Yield the other ways, a line each, and where the nearest of them differs."""
    others = [way for way in seen.ways if way.number != seen.way][: much.ways]
    for way in others:
        of = f" ({way.n_records:,} records of {way.n_fields})"
        room = width - 12 - len(of)
        parts = [Styled(clip(make_visible(way.how), room)), Styled(of, "faint")]
        yield Fact(f"--way {way.number}", parts)
    for place in seen.differences[: much.places]:
        said = f"  line {place.line}: {_tell_difference(seen, place)}"
        yield Fact("", [Styled(clip(said, width - 11), "faint")])


def _tell_difference(seen: Inspection, place: Difference) -> str:
    """Return in which columns two ways differ; the whole records where they are not as many."""
    names = [column.name for column in seen.tables[0].columns]
    mine, theirs = place.mine, place.theirs
    if len(mine) != len(theirs) or not mine:
        return f"way {seen.way} makes {len(mine)} records of it, way {seen.other} {len(theirs)}"
    columns = zip(names, mine[0], theirs[0], strict=False)
    odd = [
        f"{make_visible(name)} {make_visible(a)!r}, way {seen.other} {make_visible(b)!r}"
        for name, a, b in columns
        if a != b
    ]
    return "; ".join(odd)


def join_cells(record: Sequence[str]) -> str:
    """Return a record in a line."""
    return make_visible(" | ".join(record))


def clip(text: str, width: int) -> str:
    """Return a text of so many characters at most."""
    return text if len(text) <= width else text[: max(0, width - 1)] + "…"


def capitalize(text: str) -> str:
    """Return a text with a capital first, the rest as it is."""
    return text[:1].upper() + text[1:]
