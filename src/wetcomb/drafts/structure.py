"""What lines are beside records: group lines, total lines, lines that go on with a record.

Only what is certain is taken, for a value must never leave as furniture and no record may
swallow its neighbour:

- group lines say `Label: value` with the same label twice or more, make no record of the
  table, and one of them stands before the first record;
- total lines begin with a word for a total, make no record, and at least half of their
  figures agree with the records above them, which also tells the column they belong to;
- a line goes on with the record above it if the key and every column of figures, dates or
  codes is blank in it, so that columns left blank for "the same" are never joined; where
  blank lines or rules part the records, each block must hold these columns just once;
- blocks are columns of one table if they say the same row labels, three or more, in the same
  order;
- lines are one record if each has too few fields and together they have just enough.
"""

from __future__ import annotations

import operator
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from decimal import Decimal
from functools import cached_property
from itertools import groupby, pairwise
from typing import Any

import msgspec

from wetcomb.drafts.trial import Trial
from wetcomb.match.lines import match_line
from wetcomb.match.numbers import read_number
from wetcomb.match.patterns import compile_pattern
from wetcomb.match.shapes import TYPED, find_shape
from wetcomb.steps.split.options import Split
from wetcomb.steps.unwrap.options import Unwrap

__all__ = ["Lines", "find_named_lines", "find_stacked", "find_unwrap", "find_wrapped"]

_GROUP = re.compile(r"[ \t\f]*([^\W\d_][\w.&'-]*(?: [\w.&'-]+){0,3}) ?:[ \t]+(\S(?:.*\S)?)[ \t]*")
_TOTAL = re.compile(
    r"[ \t\f]*((?:(?:sub|grand|page|carried|brought)[- ]?)?totals?|carried forward|sum"
    r"|(?:zwischen|gesamt)?summe|gesamt|sous-total|totale|totaal|suma)\b(:?)",
    re.IGNORECASE,
)
_FIGURE = re.compile(r"[-+(]?(?:[€$£¥] ?)?\d[\d.,']*\)?-?(?: ?[€$£¥%])?")
_BARE = "{words as group}"
_WORD = re.compile(r"[^\W\d_]+")
_PARTED = re.compile(r"([^\W\d_]+)-[ \t]*$")
_NAME = re.compile(r"[^\W\d_][\w -]*")
_LABEL_END = re.compile(r"\s{2,}|\t")
_MOST = 3  # kinds of group lines
_SURE, _FILLED = 0.8, 0.95


class Lines(msgspec.Struct, frozen=True, dict=True):
    """The lines of a sample as a split cuts them, the heading left out.

    Attributes
    ----------
    rows, texts, parted : of each line, its fields, its text and what stands before it
    odd : which of them have an edge or a mark that does not fit
    n_fields : how many fields a record has
    names : the headings
    """

    rows: Sequence[Sequence[str]]
    texts: Sequence[str]
    parted: Sequence[str]
    odd: frozenset[int]
    n_fields: int
    names: Sequence[str]

    @classmethod
    def of(cls, whole: Trial, split: Split) -> Lines:
        """Return the lines of a trial that are no heading."""
        first = split.n_heading
        heading = [tuple(row) for row in whole.rows[:first]][-1:]
        head = list(heading[0]) if heading else []
        n_fields = max(whole.n_fields, len(head))
        names = [
            name.strip() or f"field-{place}"
            for place, name in enumerate([*head, *[""] * (n_fields - len(head))], 1)
        ]
        kept = [k for k in range(first, len(whole.rows)) if tuple(whole.rows[k]) not in heading]
        return cls(
            [whole.rows[k] for k in kept],
            [whole.lines[k] if k < len(whole.lines) else "" for k in kept],
            [whole.parted[k] if k < len(whole.parted) else "" for k in kept],
            frozenset(place for place, k in enumerate(kept) if k in whole.odd),
            n_fields,
            names,
        )

    @cached_property
    def typed(self) -> dict[int, set[str]]:
        """The columns of figures, dates, times or codes, with the shapes they have."""
        found = {}
        for column in range(self.n_fields):
            shapes = Counter(
                find_shape(row[column])
                for k, row in enumerate(self.rows)
                if k not in self.odd and column < len(row) and row[column]
            )
            typed = {shape for shape in shapes if shape in TYPED or shape == "code"}
            total = sum(shapes.values())
            if total and sum(shapes[shape] for shape in typed) >= _SURE * total:
                found[column] = typed
        return found

    @cached_property
    def records(self) -> list[bool]:
        """Which lines hold the figures, dates and codes of a record."""
        return [self._is_record(k) for k in range(len(self.rows))]

    def _is_record(self, k: int) -> bool:
        row = self.rows[k]
        if k in self.odd:
            return False
        if not self.typed:
            return len(row) == self.n_fields and 2 * sum(map(bool, row)) > self.n_fields
        cells = [row[column] if column < len(row) else "" for column in self.typed]
        kinds = zip(cells, self.typed.values(), strict=True)
        fitting = sum(bool(cell) and find_shape(cell) in shapes for cell, shapes in kinds)
        if _TOTAL.match(self.texts[k]) and sum(map(bool, row)) < self._usual:
            return False  # it may sum up what stands above it
        return 2 * fitting >= len(self.typed)

    @cached_property
    def _usual(self) -> int:
        """How many fields are filled in most lines, those apart that begin with a word for a total."""
        counts = Counter(
            sum(map(bool, row))
            for row, text in zip(self.rows, self.texts, strict=True)
            if not _TOTAL.match(text)
        )
        return counts.most_common(1)[0][0] if counts else 0

    def without(self, gone: Sequence[bool]) -> Lines:
        """Return the other lines."""
        kept = [k for k, leaves in enumerate(gone) if not leaves]
        return Lines(
            [self.rows[k] for k in kept],
            [self.texts[k] for k in kept],
            [self.parted[k] for k in kept],
            frozenset(place for place, k in enumerate(kept) if k in self.odd),
            self.n_fields,
            self.names,
        )


def find_named_lines(lines: Lines) -> tuple[dict[str, Any], list[str]]:
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


def _match_any(lines: Lines, patterns: Sequence[str]) -> list[bool]:
    compiled = [compile_pattern(pattern) for pattern in patterns]
    return [any(match_line(p, text.encode(), "line") for p in compiled) for text in lines.texts]


def _find_groups(lines: Lines) -> tuple[tuple[str, ...], list[str]]:
    """Return patterns of the lines that name what follows, outer to inner."""
    found: dict[str, list[tuple[int, str]]] = {}
    margins: dict[str, int] = {}
    for k, text in enumerate(lines.texts):
        match = _GROUP.fullmatch(text)
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
        is_named = _NAME.fullmatch(label) and not _TOTAL.match(label)
        follow = [any(lines.records[a + 1 : b]) for a, b in _list_spans(rows, len(lines.rows))]
        if len(rows) > 1 and is_named and rows[0] < first_record and all(follow):
            kept.append((len(rows), label, [value for _, value in places]))
    if not kept:
        return _find_bare_groups(lines)
    if len(kept) > _MOST:
        return (), []
    kept.sort(key=lambda group: group[0])
    patterns = []
    for _, label, values in kept:
        shape = "words" if _are_all("words", values) else "any"
        patterns.append(f"{label}: {{{shape} as {label}}}")
    n_named = sum(number for number, *_ in kept)
    if _match_any(lines, patterns).count(True) > n_named:  # a record, or a remark that goes on
        return (), []
    said = [
        f"Lines like {f'{label}: {values[0]}'!r} ({len(values)} of them) name the records below them: column {label}."
        for _, label, values in kept
    ]
    return tuple(patterns), said


def _find_bare_groups(lines: Lines) -> tuple[tuple[str, ...], list[str]]:
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
    if lines.n_fields < 2 or any(_TOTAL.match(v) or re.search(r"\s\s|\t", v) for v in values):
        return (), []
    said = f"Lines of words alone like {values[0]!r} ({len(values)} of them) each stand above records: column group."
    return (_BARE,), [said]


def _list_spans(rows: Sequence[int], n_rows: int) -> list[tuple[int, int]]:
    return list(zip(rows, [*rows[1:], n_rows], strict=True))


def _are_all(shape: str, values: Sequence[str]) -> bool:
    pattern = compile_pattern(f"{{{shape}}}")
    return all(pattern.covers(value.encode()) for value in values)


class _TotalLine(msgspec.Struct):
    """A line that may sum up: its place, its word, the text behind that, its figures."""

    row: int
    word: str
    text: str
    figures: list[str]


def _find_totals(lines: Lines, is_group: Sequence[bool]) -> tuple[tuple[str, ...], list[str]]:
    """Return patterns of the lines that sum up, inner to outer."""
    kinds: dict[tuple[str, int], list[_TotalLine]] = {}
    for k, text in enumerate(lines.texts):
        found = None if is_group[k] or lines.records[k] else _read_total(k, text)
        if found is not None:
            kinds.setdefault((found.word, len(found.figures)), []).append(found)
    ordered = sorted(kinds.values(), key=len)
    breaks: set[int] = set()
    known: dict[int, list[int]] = {}
    agreeing: dict[int, int] = {}
    for place, kind in enumerate(ordered):  # an outer total ends what an inner one sums up
        breaks |= {line.row for line in kind}
        columns, agreeing[place] = _assign_columns(lines, kind, breaks)
        while not columns and len(kind[0].figures) > 1:  # the first of them may be a name
            for line in kind:
                line.text = f"{line.text} {line.figures.pop(0)}".strip()
            columns, agreeing[place] = _assign_columns(lines, kind, breaks)
        if columns and 2 * agreeing[place] >= len(kind) * len(columns):
            known[place] = columns
    found_kinds: list[tuple[str, str]] = []
    for place, kind in enumerate(ordered):
        alike = [c for c in known.values() if len(c) == len(kind[0].figures)]
        columns = known.get(place) or (alike[0] if alike else [])
        names = [lines.names[column] for column in columns]
        pattern = _write_total(kind, names) if columns else ""
        if pattern and _matches_only(lines, pattern, kind):
            n_figures = len(kind) * len(columns)
            said = f"Lines like {' '.join(lines.texts[kind[0].row].split())[:60]!r} ({len(kind)} of them) sum up {' and '.join(names)}: {agreeing[place] if place in known else 0} of {n_figures} figures agree."
            found_kinds.insert(0, (pattern, said))
    return tuple(pattern for pattern, _ in found_kinds), [said for _, said in found_kinds]


def _matches_only(lines: Lines, pattern: str, kind: Sequence[_TotalLine]) -> bool:
    """Return whether a pattern matches all lines of a kind and no record."""
    hits = _match_any(lines, [pattern])
    no_record = not any(map(operator.and_, hits, lines.records))
    return no_record and all(hits[line.row] for line in kind)


def _read_total(row: int, text: str) -> _TotalLine | None:
    found = _TOTAL.match(text)
    if found is None:
        return None
    words = text[found.end() :].split()
    figures: list[str] = []
    while words and _FIGURE.fullmatch(words[-1]):
        figures.insert(0, words.pop())
    if not figures:
        return None
    return _TotalLine(row, found[1] + found[2], " ".join(words), figures)


def _assign_columns(
    lines: Lines, kind: Sequence[_TotalLine], breaks: set[int]
) -> tuple[list[int], int]:
    """Return the column that each figure of some total lines sums up, and how many agree."""
    numeric = [c for c, shapes in lines.typed.items() if shapes & {"digits", "number", "money"}]
    names = Counter(lines.names)
    numeric = [c for c in numeric if names[lines.names[c]] == 1 and _NAME.fullmatch(lines.names[c])]
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


def _sum_up(lines: Lines, column: int, breaks: set[int]) -> dict[int, Decimal]:
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
        shape = next((name for name in ("words", "digits") if _are_all(name, filled)), "any")
        between = f" {{{shape}}}" if all(texts) else f" {{{shape}?}}"
    money = any(re.search("[€$£¥]", figure) for line in kind for figure in line.figures)
    shape = "money" if money else "number"
    return kind[0].word + between + "".join(f" {{{shape} as {name}}}" for name in names)


def find_wrapped(lines: Lines, split: Split) -> tuple[dict[str, Any], list[str]]:
    """Return the options for records of several lines, and what tells them."""
    if not lines.typed or split.blanks or not lines.rows:
        return {}, []
    filled = [{c for c, cell in enumerate(row) if cell} for row in lines.rows]
    typed = set(lines.typed)
    is_whole = [bool(split.edges) or len(row) == lines.n_fields for row in lines.rows]
    goes_on = [
        bool(cells) and whole and not cells & typed
        for cells, whole in zip(filled, is_whole, strict=True)
    ]
    if sum(goes_on) < 2:
        return {}, []
    blocks = _find_blocks(lines, goes_on)
    n_on = sum(goes_on)
    if blocks:
        what = blocks.replace("-", " ")
        note = f"Records stand on several lines, parted by {what}s: {n_on} lines go on with one."
        return {"wrapped": True, "parted_by": blocks}, [note]
    heads = [k for k, is_on in enumerate(goes_on) if not is_on]
    on = [k for k, is_on in enumerate(goes_on) if is_on]
    keys = [
        column
        for column in range(lines.n_fields)
        if sum(column in filled[k] for k in heads) >= _FILLED * len(heads)
        and not any(column in filled[k] for k in on)
    ]
    if not keys or goes_on[0] or lines.odd & set(on):
        return {}, []
    key = min(keys)
    note = f"Where {lines.names[key]} and all figures are blank a line goes on with the record above: {n_on} lines do."
    return {"wrapped": True} | ({"key": str(key + 1)} if key else {}), [note]


def _find_blocks(lines: Lines, goes_on: Sequence[bool]) -> str:
    """Return what parts blocks of lines of which each holds the figures of just one record."""
    for kind in ("blank-line", "rule"):
        starts = [k for k, before in enumerate(lines.parted) if before == kind or not k]
        blocks = [goes_on[a:b] for a, b in _list_spans(starts, len(lines.rows))]
        n_long = sum(len(block) > 1 for block in blocks)
        is_first = all(not block[0] for block in blocks)  # then the key alone tells as much
        has_one = all(block.count(False) == 1 for block in blocks)
        if len(blocks) > 2 and 2 * n_long >= len(blocks) and has_one and not is_first:
            return kind
    return ""


def find_unwrap(whole: Trial, given: Mapping[str, Any]) -> tuple[Unwrap | None, list[str]]:
    """Return the step that puts lines together which have just enough fields together."""
    split = whole.split
    words = split.delimiter if isinstance(split.delimiter, tuple) else ()
    if len(words) != 1 or not split.literals or "records_at" in given or not whole.rows:
        return None, []
    n_fields = max(whole.n_fields, len(whole.rows[0]))
    if n_fields < 3 or any('"' in text for text in whole.lines):
        return None, []
    counts = [len(row) for row in whole.rows]
    return _find_width(whole, counts, n_fields) or _find_sums(
        whole.lines, counts, n_fields, words[0]
    )


def _find_width(
    whole: Trial, counts: Sequence[int], n_fields: int
) -> tuple[Unwrap | None, list[str]] | None:
    """Return how lines are joined that were cut off at a width; None where they were not."""
    sizes = [len(text) for text in whole.lines]
    width = max(sizes)
    groups: list[list[int]] = [[]]
    for k, size in enumerate(sizes):
        groups[-1].append(k)
        if size < width:
            groups.append([])
    groups = [group for group in groups if group]
    sums = [sum(counts[k] - 1 for k in group) + 1 for group in groups]
    n_fitting = sums.count(n_fields)
    joined = [
        total == n_fields for total, group in zip(sums, groups, strict=True) if len(group) > 1
    ]
    if len(joined) < 3 or min(sum(joined) / len(joined), n_fitting / len(groups)) < _FILLED:
        return None
    said = f"Lines are cut off at {width} characters: put together, {n_fitting} of {len(groups)} records have {n_fields} fields."
    starts = _find_starts([whole.lines[group[0]] for group in groups[1:]], whole.split)
    if not starts:
        return Unwrap(width=width, glue=""), [said]
    return Unwrap(starts=(starts,), glue=""), [said, f"Every record begins like {starts!r}."]


def _find_starts(heads: Sequence[str], split: Split) -> str:
    """Return a pattern that all first lines of records begin with; nothing where there is none."""
    mark = split.literals[0]
    values = [text.partition(mark)[0].strip() for text in heads]
    if any(sign in mark for sign in "{}?"):
        return ""
    found = [re.fullmatch(r"([^\W\d_]{0,6}[-/]?)\d+", value) for value in values]
    prefixes = {match[1] for match in found if match}
    if all(found) and len(prefixes) == 1:
        return f"{prefixes.pop()}{{digits}}{mark}"
    return f"{{date}}{mark}" if _are_all("date", values) else ""


def _find_sums(
    lines: Sequence[str], counts: Sequence[int], n_fields: int, delimiter: str
) -> tuple[Unwrap | None, list[str]]:
    """Return how short neighbours are joined that have just enough fields together."""
    n_joined = 0
    for is_short, group in groupby(counts, lambda count: count < n_fields):
        total, n_lines = 1, 0
        for count in group if is_short else ():
            total, n_lines = total + count - 1, n_lines + 1
            if total == n_fields:
                n_joined += n_lines
                total, n_lines = 1, 0
    n_short = sum(count < n_fields for count in counts)
    if n_joined < 4 or n_joined < _SURE * n_short:
        return None, []
    said = f"Records are wrapped: {n_joined} of {n_short} short lines make {n_fields} fields together with their neighbours."
    words = _find_parted_words(lines)
    if not words:
        return Unwrap(fields=n_fields, delimiter=delimiter), [said]
    whole = f"Words parted by a hyphen that also stand whole are mended: {', '.join(words[:3])}{', ...' * (len(words) > 3)}."
    step = Unwrap(fields=n_fields, delimiter=delimiter, hyphens="listed", words=words)
    return step, [said, whole]


def _find_parted_words(lines: Sequence[str]) -> tuple[str, ...]:
    """Return the words that a hyphen parts at a line's end and that stand whole elsewhere."""
    whole = {word.casefold() for text in lines for word in _WORD.findall(text)}
    found = set()
    for line, behind in pairwise(lines):
        head, tail = _PARTED.search(line), _WORD.match(behind.lstrip())
        if head and tail and tail[0][0].islower():
            found.add((head[1] + tail[0]).casefold())
    return tuple(sorted(found & whole))


def find_stacked(text: str) -> tuple[dict[str, Any], list[str], str]:
    """Return the options for blocks of columns one under another, what tells them, and the first."""
    blocks = [
        block.splitlines()
        for block in re.split(r"(?:\r\n|\n|\r)(?:[ \t]*(?:\r\n|\n|\r))+", text.strip("\r\n"))
        if block.strip()
    ]
    if len(blocks) < 2 or "\f" in text:
        return {}, [], ""
    labels = [[_LABEL_END.split(line.strip(), 1)[0] for line in block] for block in blocks]
    n_rows = min(map(len, labels))
    while n_rows and any(own[-n_rows:] != labels[0][-n_rows:] for own in labels[1:]):
        n_rows -= 1
    n_head = len(blocks[0]) - n_rows
    heads = [" ".join(" ".join(block[: len(block) - n_rows]).split()) for block in blocks]
    is_even = all(len(block) - n_rows <= n_head for block in blocks)
    if n_rows < 3 or not 1 <= n_head <= 3 or not is_even or len(set(heads)) < len(heads):
        return {}, [], ""
    n_columns = [max(len(_LABEL_END.split(line.strip())) for line in block) for block in blocks]
    if min(n_columns) < 2 or 2 * len(set(labels[0][-n_rows:])) < n_rows:
        return {}, [], ""
    options = {"stacked": True, "edges": "blanks", "heading": n_head if n_head > 1 else "first"}
    note = f"{len(blocks)} blocks have the same {n_rows} row labels ({labels[0][-n_rows]}, ...): they are put side by side."
    return options, [note], "\n".join(blocks[0]) + "\n"
