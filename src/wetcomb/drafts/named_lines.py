"""Lines that name what follows, and lines that sum up: told only where that is certain.

- group lines say `Label: value` with the same label twice or more, make no record of the
  table, and one of them stands before the first record;
- total lines begin with a word for a total, make no record, and at least half of their
  figures agree with the records above them, which also tells the column they belong to.
"""

from __future__ import annotations

import operator
import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from decimal import Decimal
from typing import Any

import msgspec

from wetcomb.drafts.record_lines import TOTAL, SampleLines, list_spans
from wetcomb.match.lines import match_line
from wetcomb.match.numbers import read_number
from wetcomb.match.patterns import compile_pattern

__all__ = ["are_all", "find_named_lines"]

_GROUP = r"[ \t\f]*([^\W\d_][\w.&'-]*(?: [\w.&'-]+){0,3}) ?:[ \t]+(\S(?:.*\S)?)[ \t]*"


_FIGURE = r"[-+(]?(?:[€$£¥] ?)?\d[\d.,']*\)?-?(?: ?[€$£¥%])?"


_BARE = "{words as group}"
#: Words and a gap before figures: a total by another name, where these say so.
_ANY_TOTAL = r"[ \t\f]*([^\W\d_][^\d\t|]{0,30}?)(:?)(?=(?: {2,}|\t)[^\n]*\d)"
_RECURRING = 2  # such lines


_NAME = r"[^\W\d_][\w -]*"


_MOST = 3  # kinds of group lines
_RIGHT = 0.55  # of the width of records, from where on no title of a group begins


def find_named_lines(lines: SampleLines) -> tuple[dict[str, Any], list[str]]:
    """Return the options for the group and total lines of a text, and what tells them."""
    options: dict[str, Any] = {}
    notes: list[str] = []
    groups, said = _find_groups(lines)
    if groups:
        options["group"] = groups
        notes += said
    totals, said = _find_totals(lines, _match_any(lines, groups))
    if totals:
        options["totals"] = totals
        notes += said
    return options, notes


def _match_any(lines: SampleLines, patterns: Sequence[str]) -> list[bool]:
    compiled = [compile_pattern(pattern) for pattern in patterns]
    return [any(match_line(p, text.encode(), "line") for p in compiled) for text in lines.texts]


def _find_groups(lines: SampleLines) -> tuple[tuple[str, ...], list[str]]:
    """Return patterns of the lines that name what follows, outer to inner."""
    found: dict[str, list[tuple[int, str]]] = {}
    margins: dict[str, int] = {}
    for k, text in enumerate(lines.texts):
        match = re.fullmatch(_GROUP, text) if ":" in text else None
        if (
            match
            and match.start(1) == margins.setdefault(match[1], match.start(1))
            and not lines.records[k]
            and not re.search(r"\s\s|\t", match[2])
        ):
            found.setdefault(match[1], []).append((k, match[2]))
    first_record = next((k for k, is_one in enumerate(lines.records) if is_one), -1)
    kept = []
    for label, places in found.items():
        rows = [k for k, _ in places]
        is_named = re.fullmatch(_NAME, label) and not re.match(TOTAL, label)
        follow = [any(lines.records[a + 1 : b]) for a, b in list_spans(rows, len(lines.rows))]
        if len(rows) > 1 and is_named and rows[0] < first_record and all(follow):
            kept.append((len(rows), label, [value for _, value in places]))
    if not kept:
        return _find_bare_groups(lines)
    if len(kept) > _MOST:
        return (), []
    kept.sort(key=lambda group: group[0])
    patterns = []
    for _, label, values in kept:
        shape = "words" if are_all("words", values) else "any"
        patterns.append(f"{label}: {{{shape} as {label}}}")
    n_named = sum(number for number, *_ in kept)
    if _match_any(lines, patterns).count(True) > n_named:  # a record, or a remark that goes on
        return (), []
    said = [
        f"Lines like {f'{label}: {values[0]}'!r} ({len(values)} of them) name the records below them: column {label}."
        for _, label, values in kept
    ]
    return tuple(patterns), said


def _find_bare_groups(lines: SampleLines) -> tuple[tuple[str, ...], list[str]]:
    """Return the pattern of lines of nothing but words that stand above records, if all do.

    Each is unlike the others (a title comes again) and begins where they do, one stands above the
    first record, and no other line is nothing but words: none could be a remark that goes on.
    """
    hits = _match_any(lines, [_BARE])
    places = [k for k, is_hit in enumerate(hits) if is_hit]
    values = [lines.texts[k].strip() for k in places]
    margins = {len(lines.texts[k]) - len(lines.texts[k].lstrip()) for k in places}
    above = [k + 1 < len(hits) and lines.records[k + 1] and not lines.records[k] for k in places]
    is_one_kind = len(set(values)) == len(values) > 1 and len(margins) == 1
    if not (is_one_kind and all(above) and not any(lines.records[: places[0]]) and lines.typed):
        return (), []
    widest = max(
        len(text) for text, is_one in zip(lines.texts, lines.records, strict=True) if is_one
    )
    if min(margins) > _RIGHT * widest:
        return (), []  # under the last columns: a part of what stands there
    if lines.n_fields < 2 or any(re.match(TOTAL, v) or re.search(r"\s\s|\t", v) for v in values):
        return (), []
    said = f"Lines of words alone like {values[0]!r} ({len(values)} of them) each stand above records: column group."
    return (_BARE,), [said]


def are_all(shape: str, values: Sequence[str]) -> bool:
    pattern = compile_pattern(f"{{{shape}}}")
    return all(pattern.covers(value.encode()) for value in values)


class _TotalLine(msgspec.Struct):
    """A line that may sum up: its place, its word, the text behind that, its figures.

    Where its word is none of those for totals, the figures of all lines like it must say so.
    """

    row: int
    word: str
    text: str
    figures: list[str]
    is_named: bool = True  # its word says that it is one


def _find_totals(lines: SampleLines, is_group: Sequence[bool]) -> tuple[tuple[str, ...], list[str]]:
    """Return patterns of the lines that sum up, inner to outer."""
    kinds: dict[tuple[str, int], list[_TotalLine]] = {}
    for k, text in enumerate(lines.texts):
        found = None if is_group[k] else _read_total(k, text)
        if found is not None and not (found.is_named and lines.records[k]):
            kinds.setdefault((found.word, len(found.figures)), []).append(found)
    ordered = sorted(_choose(kinds.values()), key=len)
    breaks: set[int] = set()
    known: dict[int, list[int]] = {}
    agreeing: dict[int, int] = {}
    for place, kind in enumerate(ordered):  # an outer total ends what an inner one sums up
        before, breaks = breaks, breaks | {line.row for line in kind}
        columns, agreeing[place] = _assign_columns(lines, kind, breaks)
        while not columns and len(kind[0].figures) > 1:  # the first of them may be a name
            for line in kind:
                line.text = f"{line.text} {line.figures.pop(0)}".strip()
            columns, agreeing[place] = _assign_columns(lines, kind, breaks)
        share = agreeing[place] / max(1, len(kind) * len(columns))
        is_sure = share == 1 and _sum_several(lines, kind, breaks)
        if columns and (is_sure or (kind[0].is_named and 2 * share >= 1)):
            known[place] = columns
        elif not kind[0].is_named:
            breaks = before  # they are records
    found_kinds: list[tuple[str, str]] = []
    for place, kind in enumerate(ordered):
        alike = [c for c in known.values() if len(c) == len(kind[0].figures)] * kind[0].is_named
        columns = known.get(place) or (alike[0] if alike else [])
        names = [lines.names[column] for column in columns]
        pattern = _write_total(kind, names) if columns else ""
        if pattern and _matches_only(lines, pattern, kind):
            n_figures = len(kind) * len(columns)
            said = f"Lines like {' '.join(lines.texts[kind[0].row].split())[:60]!r} ({len(kind)} of them) sum up {' and '.join(names)}: {agreeing[place] if place in known else 0} of {n_figures} figures agree."
            found_kinds.insert(0, (pattern, said))
    return tuple(pattern for pattern, _ in found_kinds), [said for _, said in found_kinds]


def _choose(kinds: Iterable[list[_TotalLine]]) -> Iterator[list[_TotalLine]]:
    """Yield the kinds of lines that may sum up: those with a word for it, and a few others that recur most."""
    others: list[list[_TotalLine]] = []
    for kind in kinds:
        if kind[0].is_named:
            yield kind
        elif len(kind) >= _RECURRING:
            others.append(kind)
    yield from sorted(others, key=len, reverse=True)[:_MOST]


def _matches_only(lines: SampleLines, pattern: str, kind: Sequence[_TotalLine]) -> bool:
    """Return whether a pattern matches all lines of a kind and no record."""
    hits = _match_any(lines, [pattern])
    mine = {line.row for line in kind}
    is_other = (lines.records[k] and k not in mine for k in range(len(hits)))
    no_record = not any(map(operator.and_, hits, is_other))
    return no_record and all(hits[row] for row in mine)


def _sum_several(lines: SampleLines, kind: Sequence[_TotalLine], breaks: set[int]) -> bool:
    """Return whether lines recur, mostly stand below several records each, and their figures are something."""
    n_several, n_records = 0, 0
    mine = {line.row for line in kind}
    for k in range(len(lines.rows)):
        if k in breaks:
            n_several += k in mine and n_records > 1
            n_records = 0
        else:
            n_records += lines.records[k]
    is_something = all(read_number(figure) for line in kind for figure in line.figures)
    return len(kind) >= _RECURRING and 2 * n_several >= len(kind) and is_something


def _read_total(row: int, text: str) -> _TotalLine | None:
    named = re.match(TOTAL, text)
    found = named or re.match(_ANY_TOTAL, text)
    if found is None:
        return None
    words = text[found.end() :].split()
    figures: list[str] = []
    while words and re.fullmatch(_FIGURE, words[-1]):
        figures.insert(0, words.pop())
    if not figures or (named is None and words):
        return None
    return _TotalLine(row, found[1] + found[2], " ".join(words), figures, named is not None)


def _assign_columns(
    lines: SampleLines, kind: Sequence[_TotalLine], breaks: set[int]
) -> tuple[list[int], int]:
    """Return the column that each figure of some total lines sums up, and how many agree."""
    numeric = [c for c, shapes in lines.typed.items() if shapes & {"digits", "number", "money"}]
    names = Counter(lines.names)
    numeric = [
        c for c in numeric if names[lines.names[c]] == 1 and re.fullmatch(_NAME, lines.names[c])
    ]
    sums = {column: _sum_up(lines, column, breaks) for column in numeric}
    columns: list[int] = []
    n_agreeing = 0
    for place in range(len(kind[0].figures)):
        after = [column for column in numeric if not columns or column > columns[-1]]
        agreeing = {
            column: sum(
                read_number(line.figures[place]) == sums[column].get(line.row) for line in kind
            )
            for column in after
        }
        best = max(agreeing, key=lambda column: agreeing[column], default=None)
        if best is None or not agreeing[best]:
            return [], 0
        columns.append(best)
        n_agreeing += agreeing[best]
    return columns, n_agreeing


def _sum_up(lines: SampleLines, column: int, breaks: set[int]) -> dict[int, Decimal]:
    """Return what the records above each break add up to, since the break before."""
    sums, running = {}, Decimal(0)
    for k, row in enumerate(lines.rows):
        if k in breaks:
            sums[k], running = running, Decimal(0)
        elif lines.records[k] and column < len(row):
            running += read_number(row[column]) or 0
    return sums


def _write_total(kind: Sequence[_TotalLine], names: Sequence[str]) -> str:
    texts = [line.text for line in kind]
    between = ""
    if any(texts):
        filled = [text for text in texts if text]
        shape = next((name for name in ("words", "digits") if are_all(name, filled)), "any")
        between = f" {{{shape}}}" if all(texts) else f" {{{shape}?}}"
    money = any(re.search("[€$£¥]", figure) for line in kind for figure in line.figures)
    shape = "money" if money else "number"
    return kind[0].word + between + "".join(f" {{{shape} as {name}}}" for name in names)
