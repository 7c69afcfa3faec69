"""Doubts about how a text was cut, and which of its lines."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from itertools import groupby
from typing import Any

import numpy as np

from wetcomb.core.doubts import Doubt
from wetcomb.drafts.doubts.patterns import find_pattern_doubts
from wetcomb.drafts.doubts.seen import Column, Drafted, Raised
from wetcomb.drafts.record_lines import TOTAL
from wetcomb.drafts.telling import count_noun, name_cut
from wetcomb.drafts.trial import try_split
from wetcomb.match.mail_heads import is_of_mail
from wetcomb.match.numbers import read_number
from wetcomb.match.shapes import TYPED
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import AUTO, list_options

__all__ = ["CUT_OPTIONS", "find_cut_doubts", "find_search_doubts", "list_cut_options"]

#: Options that say how a text is cut.
CUT_OPTIONS = ("delimiter", "edges", "per_record", "records_at", "quote", "quote_ends")

_CLOSE = 10.0  # bits between the best way to cut and the next
#: The same for a whole text: 3 of 15 wrong tables save less, and 1 of 151 right ones.
_SEARCH_GAIN = 0.03
_REGULAR_GAIN, _FULL = -0.11, 0.85  # of a table in which nothing is odd; its share of filled cells
_NEAR_TIE = 6.0  # bits: of 290 right drafts of practice texts 5 are so near to another, of 27 silently wrong ones 8
_GAIN = 0.04  # share of the bits of plain lines that a table saves at least
_FEWEST_HEADS = 2  # lines at the top that look like a mail's
_LABELLED = 0.7  # share of lines or values that look like a label and its value
_FEWEST, _NEARLY_ALL = 4, 0.8  # values, and the share of them that hold the same mark
_STILL = 3  # records from which a word in each of them is a label
_FAR, _FEW_MARKS = 200, 2  # lines further away, which marks tell; so few of them do not
_NEAR = 3  # lines beside a table that are looked at
_FEW, _MANY, _WIDE = 1, 6, 20  # records, of so many lines or columns

_MAIL_HEADS = frozenset(
    [
        "from",
        "to",
        "cc",
        "subject",
        "date",
        "sent",
        "von",
        "an",
        "betreff",
        "gesendet",
        "datum",
        "de",
        "à",
        "objet",
        "envoyé",
        "od",
        "do",
        "temat",
        "van",
        "aan",
        "onderwerp",
    ]
)
_SAME_HEAD = re.compile(r"[^\W\d_]{2}[^:=]{0,30}[:=]")
_SAME_TAIL = re.compile(r"[;,|]\s*[^\W\d_]{2}\w*$")
_STOPS = (".", ",", ":", "!", "?")  # a sentence ends so, not a record
_FIGURE = r"\d(?:[\d.,']*\d)?"
_SHORT = 1000  # lines of a text that is surely looked at as a whole
_RECORD_WORDS = r"(?:records?|rows?|entries|items|einträge|datensätze|zeilen|lignes|enregistrements|registros|filas|righe|pozycji|записей)"
_COUNT = rf"(?i)\b(\d[\d.,' ]{{0,8}}) {_RECORD_WORDS}\b|\b{_RECORD_WORDS}\s*:\s*(\d[\d.,']{{0,8}})"
_GAPS = re.compile(r"[ \t]{2,}|\t")
_LABEL = re.compile(r"[^\W\d][^:=|\t]{0,30}?\s*(?::\s|=|\.{3,}|\s…+|:$)")


def find_cut_doubts(seen: Drafted) -> Iterator[Raised]:
    """Yield what speaks against the way the text was cut."""
    if _is_uncut(seen):
        yield _raise_no_table(seen)
        return
    if seen.weighed is not None and seen.was_cut:
        yield from _look_at_prices(seen)
    yield from find_search_doubts(seen)
    is_blocks = seen.split.stacked or seen.split.column_by_column  # that make one table
    is_one = is_blocks or seen.split.wrapped or seen.split.group or seen.split.outline_level
    if seen.n_tables > 1 and not is_one and len(seen.steps) == 1:
        said = f"{seen.n_tables} tables stand in the text, and the lines of all are taken as one"
        yield Raised(Doubt("several-tables", said))
    if seen.n_records <= _FEW and (len(seen.lines) >= _MANY or len(seen.columns) >= _WIDE):
        said = f"{count_noun(seen.n_records, 'record')} of {count_noun(len(seen.lines), 'line')}, {len(seen.columns)} columns"
        yield Raised(Doubt("few-records", said))
    yield from _find_mail(seen)
    yield from _find_labels(seen)
    yield from _find_outside(seen)
    yield from _find_count(seen)
    yield from _find_sum(seen)


def find_search_doubts(seen: Drafted) -> Iterator[Raised]:
    """Yield what speaks against what a search of the whole text has found."""
    yield from _find_carried(seen)
    if seen.gain is not None and seen.gain < (_REGULAR_GAIN if _is_regular(seen) else _SEARCH_GAIN):
        said = f"as a table it takes {max(0.0, 100 * seen.gain):.0f} % less to write down than as plain lines: it may be none"
        yield Raised(Doubt("hardly-cut", said))
    if seen.rival is not None and seen.rival[1] < _NEAR_TIE:
        said = (
            f"another way makes another table and explains the text about as well: {seen.rival[0]}"
        )
        yield Raised(Doubt("cut-close", said))
    yield from find_pattern_doubts(seen)


def _is_regular(seen: Drafted) -> bool:
    """Return whether a table that is small stands to reason: nothing is odd, and a column holds figures only.

    Or figures and words in one order.
    """
    table = seen.table
    if table.n_records < _FEWEST or table.snags.n_records:
        return False
    is_full = float((table.ends > table.starts).mean()) >= _FULL
    return is_full and any(
        len(column.values) >= _FEWEST
        and (
            all(shape in TYPED or shape == "code" for shape in column.shapes)
            or _is_of_one_order(column)
        )
        for column in seen.columns
    )


def _is_of_one_order(column: Column) -> bool:
    orders = set(map(_find_order, column.values))
    order = orders.pop() if len(orders) == 1 else ""
    return "n" in order and "x" not in order


def _find_order(value: str) -> str:
    """Return the order of bare figures (n), words (w) and what else holds figures (x) in a value."""
    kinds = (
        "n" if piece.isdecimal() else "x" if any(map(str.isdecimal, piece)) else "w"
        for piece in value.split()
    )
    return "".join(kind for kind, _ in groupby(kinds))


def _find_carried(seen: Drafted) -> Iterator[Raised]:
    """Yield a doubt where values were carried down that are no days, and no finer column proves it."""
    names = [name for step in seen.steps for name in getattr(step, "carry", ())]
    for name in names:
        column = seen.columns[seen.table.find_column(name, "--carry")]
        proved = any("until it is printed again" in note for note in seen.notes)
        if not proved and column.values and column.counts["date"] < len(column.values):
            said = f"{column.name} is blank in some records and was carried down from the one above"
            yield Raised(Doubt("first-blank", said))
            return


def _is_uncut(seen: Drafted) -> bool:
    is_one = len(seen.table.names) == 1 and seen.was_cut and seen.is_open("names")
    return is_one and len(seen.lines) > 1


def _raise_no_table(seen: Drafted) -> Raised:
    said = f"each of {count_noun(len(seen.lines), 'line')} came out as one field, and nobody asked for that"
    ways = seen.weighed.runners_up if seen.weighed is not None else ()
    tries = tuple(list_cut_options(way.split) for way in ways if way.n_fields > 1)
    return Raised(Doubt("no-table", said), tries)


def list_cut_options(split: Split) -> dict[str, Any]:
    """Return the options of a split that say how it cuts."""
    defaults = {entry.name: entry.default for entry in list_options(Split)}
    options: Mapping[str, Any] = {name: getattr(split, name) for name in CUT_OPTIONS}
    found = {
        name: value
        for name, value in options.items()
        if value != defaults[name] and value is not AUTO and value != ()
    }
    if found.get("delimiter") == ("none",) and len(found) > 1:
        del found["delimiter"]
    return found


def _look_at_prices(seen: Drafted) -> Iterator[Raised]:
    weighed = seen.weighed
    assert weighed is not None
    winner, runners_up = weighed.winner, weighed.runners_up
    ways = tuple(list_cut_options(trial.split) for trial in runners_up)
    if weighed.plain is not None and winner.n_fields > 1:
        n_lines = sum(bool(line.strip()) for line in "\n".join(winner.lines).splitlines())
        gain = 1 - winner.price / max(1.0, weighed.plain * n_lines)
        if gain < _GAIN and not winner.split.per_record and winner.split.records_at == "newline":
            said = f"as a table it takes {max(0, 100 * gain):.0f} % less to write down than as plain lines: it may be none"
            yield Raised(Doubt("hardly-cut", said))
    near = [
        trial
        for trial in runners_up
        if trial.price < winner.price + _CLOSE
        and trial.n_fields > 1
        and trial.n_fields != winner.n_fields
        and name_cut(trial.split).replace(" ", "") != name_cut(winner.split).replace(" ", "")
    ]
    if near:
        trial = near[0]
        said = f"cut at {name_cut(trial.split)} it has {count_noun(trial.n_fields, 'field')}, at {name_cut(winner.split)} {winner.n_fields}; both are about as likely"
        yield Raised(Doubt("cut-close", said), (list_cut_options(winner.split), *ways[:1]))


def _find_mail(seen: Drafted) -> Iterator[Raised]:
    top: dict[str, str] = {}
    for line in seen.lines[:8]:
        name, mark, value = line.strip(" >\t").partition(":")
        if mark and value.startswith(" ") and name.strip().casefold() in _MAIL_HEADS:
            top.setdefault(name.strip().casefold(), line)
    if len(top) >= _FEWEST_HEADS:
        first = next(iter(top.values())).strip()[:40]
        said = f"the text begins as a mail does ({first!r}), and that stands among the records"
        yield Raised(Doubt("mail-text", said))


def _find_labels(seen: Drafted) -> Iterator[Raised]:
    """Look for labels: at the lines' start, or in every value of a column."""
    if seen.split.cut_runs_once:
        return  # a leader parts names and what stands at the margin
    lines = seen.lines
    found = [match[0] for line in lines if (match := _LABEL.match(line.strip()))]
    kinds = set(found)
    recur = len(found) >= _LABELLED * len(lines) and 2 * len(kinds) <= len(found)
    if recur and len(lines) > 3 and seen.was_cut:
        example = max(kinds, key=found.count)
        said = f"{len(found)} of {len(lines)} lines begin with one of {len(kinds)} labels ({example.strip()!r})"
        yield Raised(Doubt("labels", said), ({"delimiter": (":",), "cuts": "first:1"},))
        return
    still = [column for column in seen.columns if _is_still(column, seen.n_sound)]
    if seen.split.heading == "none" and len(still) > 1:
        words = ", ".join(column.values[0] for column in still[:3])
        yield Raised(Doubt("labels", f"every record says {words!r}, as labels do"))
        return
    for column in seen.columns:
        same = _find_same(column)
        if same:
            yield Raised(Doubt("labels", f"all values of {column.name} hold the label {same!r}"))
            return
        mark = _find_mark_inside(column)
        if (
            mark and mark.strip() not in seen.split.literals
        ):  # what is quoted may hold the delimiter
            said = f"{mark.strip()!r} stands in nearly all values of {column.name}, and may part two fields"
            yield Raised(Doubt("mark-inside", said))
            return
        labels = [match[0] for value in column.values if (match := _LABEL.match(value))]
        if len(labels) >= _LABELLED * max(3, len(column.values)) and len(set(labels)) <= 3:
            said = f"{len(labels)} values of {column.name} begin with {labels[0].strip()!r}"
            yield Raised(Doubt("labels", said))
            return


def _find_mark_inside(column: Column) -> str:
    """Return a mark that every value holds as often: it may part two fields."""
    if len(column.values) < _FEWEST:
        return ""
    for mark in (": ", " | ", "; ", " – ", " - ", " = "):
        counts = Counter(value.count(mark) for value in column.values)
        usual, number = counts.most_common(1)[0]
        if usual and number >= _NEARLY_ALL * len(column.values):
            return mark
    return ""


def _is_still(column: Column, n_records: int) -> bool:
    """Return whether every record says the same word in a column."""
    is_full = len(column.values) == n_records >= _STILL
    return is_full and len(set(column.values)) == 1 and any(map(str.isalpha, column.values[0]))


def _find_same(column: Column) -> str:
    """Return a label that all values of a column begin with, or that stands behind them."""
    values = set(column.values)
    if len(values) < 3:
        return ""
    head = _find_common_head(values)
    tail = _find_common_head({value[::-1] for value in values})[::-1]
    found = _SAME_HEAD.match(head) or _SAME_TAIL.search(tail)
    return found[0].strip() if found else ""


def _find_common_head(values: set[str]) -> str:
    """Return what all values begin with: what the first and the last in their order do."""
    first, last = min(values), max(values)
    n_same = next((k for k, (a, b) in enumerate(zip(first, last, strict=False)) if a != b), None)
    return first if n_same is None else first[:n_same]


def _find_outside(seen: Drafted) -> Iterator[Raised]:
    """Look at the lines left out beside the table: they go on with it, or would be cut alike."""
    before = [line for line in seen.before if not is_of_mail(line.encode())]
    behind = [line for line in seen.behind if not is_of_mail(line.encode())]
    above, below = before[-_NEAR:], behind[:_NEAR]
    least = max(2, 0.6 * len(seen.table.names))
    alike = [line for line in (*above, *below) if _count_fields(line, seen.split) >= least]
    alike += [
        line for line in below[:1] if line.strip()[:1].islower()
    ]  # nothing parts it from the last record
    alike = [line for line in alike if line.strip() and not line.rstrip().endswith(_STOPS)]
    marks = seen.split.literals if len(seen.table.names) > _FEW_MARKS else ()
    alike += [
        line
        for line in (*before[-_FAR:], *behind[:_FAR])
        if any(mark.strip() and line.count(mark) + 1 == len(seen.table.names) for mark in marks)
    ]
    if alike:
        yield Raised(
            Doubt(
                "outside-alike",
                f"{alike[0].strip()[:60]!r} was left out, and looks like part of the table",
            )
        )


def _find_sum(seen: Drafted) -> Iterator[Raised]:
    """Look right behind the table for a printed total that no column of its records adds up to.

    A figure is held against the columns that are printed with as many decimals as it.
    """
    if len(seen.lines) > _SHORT or seen.n_records < seen.table.n_records:
        return
    line = next((line for line in seen.behind[:_NEAR] if re.match(TOTAL, line)), "")
    figures = [figure for figure in re.findall(_FIGURE, line) if _count_decimals(figure)]
    for figure in figures:
        printed, decimals = read_number(figure), _count_decimals(figure)
        alike = [
            (column.name, sum(filter(None, map(read_number, column.values))))
            for column in seen.columns
            if all(_count_decimals(value) == decimals for value in column.values)
        ]
        if alike and all(summed != printed for _, summed in alike):
            name, summed = alike[-1]
            said = f"{line.strip()[:60]!r} is printed, {name} adds up to {summed}"
            yield Raised(Doubt("total-off", said))
            return


def _count_decimals(text: str) -> int:
    """Return how many decimals a figure has; -1 for what is none."""
    found = re.fullmatch(r"\D{0,4}[\d.,' ]*?\d(?:[.,](\d{1,2}))?\D{0,4}", text.strip())
    return -1 if found is None else len(found[1] or "")


def _find_count(seen: Drafted) -> Iterator[Raised]:
    """Look beside the table for a printed number of records that it does not have."""
    number = seen.table.n_records
    if len(seen.lines) > _SHORT:
        return  # the sample may end before the text does
    for line in (*seen.before, *seen.behind):
        found = re.search(_COUNT, line)
        printed = re.sub(r"[.,' ]", "", (found[1] or found[2])) if found else ""
        if printed and int(printed) != number:
            said = f"{line.strip()[:60]!r} is printed, {count_noun(number, 'record')} came"
            yield Raised(Doubt("total-off", said))
            return


def _count_fields(line: str, split: Split) -> int:
    """Return how many fields a line has as it was cut, or at its gaps."""
    data = np.frombuffer(line.encode() + b"\n", np.uint8)
    rows: Sequence[Sequence[str]] = try_split(data, split, 0.0).rows
    cut = sum(map(bool, rows[0])) if rows else 0
    return max(cut, len(_GAPS.split(line.strip())) if split.edges or split.blanks else 0)
