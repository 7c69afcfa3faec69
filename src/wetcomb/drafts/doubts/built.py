"""Doubts about how a table is built: several fields in a value, whole records in one, cells that slipped."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from itertools import pairwise

import numpy as np

from wetcomb.core.doubts import Doubt
from wetcomb.core.table import MISSING
from wetcomb.drafts.doubts.seen import Column, Drafted, Raised
from wetcomb.drafts.pricing.columns import find_rigid
from wetcomb.drafts.pricing.names import is_torn
from wetcomb.drafts.pricing.terms import find_common_start
from wetcomb.drafts.proposals.surroundings import find_recurring
from wetcomb.match.lines import match_line
from wetcomb.match.mail_heads import is_of_mail
from wetcomb.match.patterns import compile_pattern
from wetcomb.match.shapes import TYPED, find_shape
from wetcomb.steps.split.options import Split

__all__ = ["find_built_doubts"]

_FEWEST, _COLUMNS = 4, 3  # values that say something together; columns of which one alone is odd
_SAME = 0.9  # share of a column's values that are built alike
_ENOUGH = 6  # values that all have one figure between words
_GAPPED = 0.2  # share of them that hold a gap
_TYPED = TYPED | {"code"}
_CHOICE, _OTHERS = 2, 0.7  # words that all values begin with; share of different ones behind them
_FULL = 0.6  # share of cells that are filled in a table whose records are no such pieces
_UNITS = frozenset("%‰°")  # behind figures
_WITHIN = _UNITS | frozenset("-'._/@")  # marks within words or figures
_RARE, _NARROW = 0.2, 3  # share of the records that fill a piece of a column, and its signs
_SLIPPED = (0.15, 0.85)  # share of figures in a column that is neither one of figures nor of words
_OPENING, _CLOSING = re.compile(r"[=\[({<\"]|[^\W\d]:(?!//)"), re.compile(r"[\])}>\"]|[;:,]$")
_LEADER = re.compile(r"\S ?([.·…_])(?: ?\1){3,} ?\S")
_NUMBERED = re.compile(r"(\d+)\.? +[^\W\d]")


def find_built_doubts(seen: Drafted) -> Iterator[Raised]:
    """Yield what speaks against the way that values are cut and put together."""
    for column in seen.columns:
        if len(column.values) >= _FEWEST and len(set(column.values)) > 1:
            yield from _find_frame(column)
            yield from _find_fields(column, is_blank_cut=seen.split.blanks == "space")
            yield from _find_numbered(seen, column)
            if seen.split.blanks == "space" or seen.pull is not None:
                yield from _find_choice(column)
            yield from _find_same_figure(column)
    yield from _find_torn_name(seen)
    yield from _find_slipped(seen)
    yield from _find_cut_off(seen)
    yield from _find_page_lines(seen)
    yield from _find_shifted(seen)
    yield from _find_lone(seen)
    yield from _find_cut_within(seen)
    yield from _find_mixed_mark(seen)
    yield from _find_leaders(seen)
    yield from _find_sliver(seen)
    yield from _find_empty(seen)


def _find_torn_name(seen: Drafted) -> Iterator[Raised]:
    """Look for a name that begins within a word of the heading, or holds a gap: it may be two."""
    for column, source in zip(seen.table.names, seen.batch.name_sources, strict=False):
        if "  " in column.strip() and source.is_found:
            yield Raised(Doubt("heading-torn", f"the name {column!r} holds a gap: it may be two"))
            return
        if is_torn(seen.batch, source):
            yield Raised(Doubt("heading-torn", f"the name {column!r} begins within a word"))
            return


def _find_frame(column: Column) -> Iterator[Raised]:
    """Look for text around every value that says what it is, or holds it together."""
    values = column.values
    n_rigid = sum(find_rigid(" ".join(value.split())) is not None for value in values)
    if n_rigid >= _SAME * len(values):
        return  # days, phone numbers and the like have marks of their own
    head = find_common_start(values)
    tail = find_common_start([value[::-1] for value in values])[::-1]
    for text, where, marks in ((head, "begin", _OPENING), (tail, "end", _CLOSING)):
        if marks.search(text):
            said = f"all {len(values)} values of {column.name} {where} with {text.strip()[:30]!r}"
            yield Raised(Doubt("marks-kept", said))
            return


def _find_fields(column: Column, *, is_blank_cut: bool) -> Iterator[Raised]:
    """Look for values that all hold figures and words in one order: they may be several fields."""
    gaps = [value for value in column.values if "  " in value]
    if len(gaps) > _GAPPED * len(column.values):
        said = f"{len(gaps)} values of {column.name} hold a gap, like {gaps[0][:40]!r}"
        yield Raised(Doubt("fields-inside", said))
        return
    forms = Counter(map(_find_form, column.values))
    form, number = forms.most_common(1)[0]
    is_clause = any(re.search(r"[,;:]", value) for value in column.values)  # a sentence
    least = 1 if is_blank_cut or (number >= _ENOUGH and not is_clause) else 2
    if form.count("n") < least or len(form) < 3 or number < _SAME * len(column.values):
        return
    example = next(value for value in column.values if _find_form(value) == form)
    said = f"{number} values of {column.name} hold figures and words in the same order, like {example[:40]!r}"
    yield Raised(Doubt("fields-inside", said))


def _find_form(value: str) -> str:
    """Return the order of figures (n) and words (w) in a value; nothing if it is one by itself."""
    value = " ".join(value.split())
    if find_rigid(value) is not None:
        return ""
    form = ""
    for piece in value.split():
        kind = "n" if any(map(str.isdecimal, piece)) else "w"
        form += kind if kind == "n" or form[-1:] != "w" else ""
    return form


def _find_numbered(seen: Drafted, column: Column) -> Iterator[Raised]:
    """Look for values that begin with a number that rises by itself: it may be a field."""
    found = [_NUMBERED.match(value) for value in column.values]
    if not all(found):
        return
    rigid = find_rigid(column.values[0])
    if rigid is not None and rigid.shape != "words":
        return  # a figure and its unit
    numbers = [int(match[1]) for match in found if match]
    if all(a < b for a, b in pairwise(numbers)) and find_shape(column.values[0]) != "date":
        said = f"all values of {column.name} begin with a number that rises, like {column.values[0][:40]!r}"
        yield Raised(Doubt("fields-inside", said))


def _find_choice(column: Column) -> Iterator[Raised]:
    """Look for values of several words that begin with one of very few: it may be a field."""
    pieces = [value.split(None, 1) for value in column.values]
    firsts = Counter(piece[0] for piece in pieces)
    is_few = 1 < len(firsts) <= _CHOICE and min(firsts.values()) > 1
    rests = {piece[1] for piece in pieces if len(piece) > 1}
    is_told = all(len(piece) > 1 and find_shape(piece[0]) == "yes-no" for piece in pieces)
    if is_few and len(pieces) > _FEWEST and (is_told or len(rests) >= _OTHERS * len(pieces)):
        words = " or ".join(repr(word) for word in sorted(firsts))
        said = f"all {len(pieces)} values of {column.name} begin with {words}: that may be a field"
        yield Raised(Doubt("fields-inside", said))


def _find_same_figure(column: Column) -> Iterator[Raised]:
    """Look for a figure that nearly all values begin with: it may end the record above."""
    pieces = [value.split(None, 1) for value in column.values]
    firsts = Counter(piece[0] for piece in pieces if len(piece) > 1)
    figure, number = firsts.most_common(1)[0] if firsts else ("", 0)
    if figure.isdecimal() and _SAME * len(pieces) - 1 <= number < len(pieces):
        said = f"{number} of {len(pieces)} values of {column.name} begin with {figure!r}: it may belong to the field before"
        yield Raised(Doubt("fields-inside", said))


def _find_slipped(seen: Drafted) -> Iterator[Raised]:
    """Look for cells of a line each that stand under the wrong columns from some record on."""
    main = next((step for step in seen.steps if isinstance(step, Split)), None)
    is_blank_cut = main is not None and main.blanks == "space"
    if main is None or not (main.per_record or main.column_by_column or is_blank_cut):
        return
    mixed = []
    for column in seen.columns:
        values = [value for value in column.values if any(map(str.isalnum, value))]
        n_typed = sum(find_shape(value) in _TYPED for value in values)
        if len(values) >= _FEWEST:
            share = n_typed / len(values)
            mixed += [column.name] * (_SLIPPED[0] <= share <= _SLIPPED[1])
    if len(mixed) > 1 - is_blank_cut:
        said = f"{' and '.join(mixed[:2])} hold{'s' * (len(mixed) == 1)} figures in some records and words in others: cells may have slipped"
        yield Raised(Doubt("foreign-value", said))


def _find_cut_off(seen: Drafted) -> Iterator[Raised]:
    """Look beside cells of a line each for as many lines more as a record or a column has."""
    main = next((step for step in seen.steps if isinstance(step, Split)), None)
    if main is None or not (main.per_record or main.column_by_column):
        return
    left = [line for line in (*seen.before, *seen.behind) if line.strip()]
    left = [line for line in left if not is_of_mail(line.encode())]
    n_fields = len(seen.table.names)
    is_block = main.per_record and n_fields > 2 and abs(len(left) - n_fields) < 2
    least = seen.table.n_records if main.column_by_column else n_fields
    if len(left) >= max(_FEWEST, least) or is_block:
        said = f"{len(left)} lines beside the table were left out, first {left[0].strip()[:40]!r}"
        yield Raised(Doubt("outside-alike", said))


def _find_empty(seen: Drafted) -> Iterator[Raised]:
    """Look for columns with a name and nothing else: the name may belong to the one beside it."""
    if (not seen.split.blanks and not seen.split.edges) or seen.split.edges == "rule":
        return  # a rule is drawn over empty columns, too
    for column in seen.columns:
        if not column.values and seen.table.n_records >= _FEWEST:
            said = f"nothing stands under {column.name!r}: it may be part of the name beside it"
            yield Raised(Doubt("heading-torn", said))
            return


def _find_page_lines(seen: Drafted) -> Iterator[Raised]:
    """Look for values that took in lines which recur page by page."""
    lines = [" ".join(line.lstrip("> ").split()) for line in seen.inside.decode().splitlines()]
    dropped = [text for step in seen.steps for text in getattr(step, "drop_lines", ())]
    patterns = [compile_pattern(pattern) for pattern in (*find_recurring(lines), *dropped)]
    for row in range(seen.n_records if dropped else 0):
        said = " ".join(filter(None, seen.rows[row]))
        if any(match_line(p, said.encode(), "line") for p in patterns):
            said = f"a record is a line that recurs on every page: {said[:40]!r}"
            yield Raised(Doubt("page-lines", said, seen.list_lines([row])))
            return
    found = {line for line in lines for p in patterns if match_line(p, line.encode(), "line")}
    for column in seen.columns if found else ():
        for row, value in zip(column.rows, column.values, strict=True):
            said = " ".join(value.split())
            held = next((line for line in found if line in said and line != said), "")
            if held:
                said = f"a value of {column.name} holds a line that recurs on every page: {held[:40]!r}"
                yield Raised(Doubt("page-lines", said, seen.list_lines([row])))
                return


def _find_shifted(seen: Drafted) -> Iterator[Raised]:
    """Look at records that end early for words in columns where the others hold figures: they may have shifted."""
    table = seen.table
    ends_early = table.starts[:, -1] == MISSING
    for column in seen.columns[:-1]:
        full, short = list[str](), list[str]()
        for row, value in zip(column.rows, column.values, strict=True):
            (short if ends_early[row] else full).append(value)
        n_typed = sum(find_shape(value) in _TYPED for value in full)
        n_words = sum(find_shape(value) not in _TYPED for value in short)
        if len(full) >= _FEWEST and n_typed >= _SAME * len(full) and n_words > 1:
            said = f"{n_words} records that end early hold words in {column.name}, where the others hold figures: their cells may have shifted"
            yield Raised(Doubt("foreign-value", said))
            return


def _find_lone(seen: Drafted) -> Iterator[Raised]:
    """Look for single records that fill one column only, and not the first: they may go on with the one above."""
    table = seen.table
    filled = table.ends[: seen.n_records] > table.starts[: seen.n_records]
    if filled.shape[1] < _COLUMNS or seen.split.wrapped or seen.n_records < _FEWEST:
        return
    lone = np.flatnonzero((filled.sum(axis=1) == 1) & ~filled[:, 0])
    if lone.size and float(filled.mean()) > _FULL:
        row = int(lone[0])
        said = f"a record fills one column only: {table.record_text(row).strip()[:40]!r}"
        yield Raised(Doubt("thin-records", said, seen.list_lines([row])))


def _find_cut_within(seen: Drafted) -> Iterator[Raised]:
    """Look at lines cut once, at a mark that stands within their words or figures."""
    marks = seen.split.literals
    if len(seen.table.names) != 2 or len(marks) != 1 or marks[0] not in _WITHIN:
        return
    behind = "" if marks[0] in _UNITS else r"\w"
    held = [line for line in seen.lines if marks[0] in line]
    within = [line for line in held if re.search(rf"\w{re.escape(marks[0])}{behind}", line)]
    if len(held) >= _FEWEST and len(within) >= _SAME * len(held):
        said = f"{marks[0]!r} was taken for what parts fields, and stands within words or figures, as in {within[0].strip()[:40]!r}"
        yield Raised(Doubt("cut-inside", said))


def _find_leaders(seen: Drafted) -> Iterator[Raised]:
    """Look for values that hold a leader: what stands before it and behind are two fields."""
    for column in seen.columns:
        led = [value for value in column.values if _LEADER.search(value)]
        if len(led) >= max(_FEWEST - 1, _SAME * len(column.values)):
            said = f"{len(led)} values of {column.name} hold a leader, like {led[0][:40]!r}"
            yield Raised(Doubt("mark-inside", said))
            return


def _find_mixed_mark(seen: Drafted) -> Iterator[Raised]:
    """Look at a mark that stands between blanks in every record, and within words or figures, too."""
    marks = seen.split.literals
    if len(marks) != 1 or len(marks[0]) != 1 or marks[0].isspace() or len(seen.table.names) < 3:
        return
    sign = re.escape(marks[0])
    apart = sum(re.search(rf"\S {sign} \S", line) is not None for line in seen.lines)
    within = [line for line in seen.lines if re.search(rf"\w{sign}\w", line)]
    least = max(_FEWEST, _SAME * seen.n_records)
    if apart >= least and len(within) >= _FEWEST:
        said = f"{marks[0]!r} parts fields with blanks around it and without, as in {within[0].strip()[:40]!r}"
        yield Raised(Doubt("cut-inside", said), ({"delimiter": (f" {marks[0]} ",)},))


def _find_sliver(seen: Drafted) -> Iterator[Raised]:
    """Look for a narrow column within a table that hardly any record fills: a piece of the one beside it."""
    if not isinstance(seen.split.edges, tuple) or not seen.split.edges:
        return
    for column in seen.columns[:-1]:
        is_rare = 0 < len(column.values) <= _RARE * seen.n_records
        if is_rare and column.name.startswith("field-") and max(map(len, column.values)) <= _NARROW:
            said = f"{column.name} holds {column.values[0]!r} and is blank in nearly all records: it may be a piece of the column beside it"
            yield Raised(Doubt("cut-inside", said, seen.list_lines(column.rows[:1])))
            return
