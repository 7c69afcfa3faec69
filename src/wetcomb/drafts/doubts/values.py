"""Doubts that the values of the table raise by themselves."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import pairwise

import numpy as np

from wetcomb.core.doubts import Doubt
from wetcomb.drafts.doubts.seen import Column, Drafted, Raised
from wetcomb.drafts.doubts.spoilt import find_spoilt
from wetcomb.drafts.lacking import LACKING_WORDS
from wetcomb.drafts.record_lines import TOTAL
from wetcomb.drafts.telling import count_noun
from wetcomb.match.numbers import read_number
from wetcomb.match.shapes import TYPED
from wetcomb.match.signs import CONTROLS, DIRECTION_MARKS, SOFT_HYPHENS, ZERO_WIDTH
from wetcomb.steps.wash.options import Wash

__all__ = ["find_value_doubts"]

_BLANK = 0.1  # share of records whose first column is blank
_TYPED, _SOME, _FEWEST = (
    0.8,
    0.4,
    4,
)  # share of a column's values that are figures, and how many at least
_FULL = 0.5  # share of the lines joined that look like whole records
_UNIT = 3  # characters of a unit
_MARKED = 0.8  # share of a column's values that begin or end with the same mark
_WORD = re.compile(r"[^\W\d_]{2}")
_TORN = re.compile(r"\d[.,:/] +\d|\d +[.,:/]\d|\d +(?!\d{3}(?!\d))\d")
_PRINTABLE = "=[C-F][0-9A-F]=[89AB][0-9A-F]|=3D=3D"  # a mail's signs, never undone
_OF_A_SUM, _SUMMED = 2, 3  # cells of a record that sums up, and records that it does
_ODD = f"[{ZERO_WIDTH}{SOFT_HYPHENS}{re.escape(CONTROLS)}\x80-\x9f\ufffd{DIRECTION_MARKS}]|[ÃÂ][\x80-¿]|â[€”•]|Ð[\x80-¿]|Î[\x80-¿]|(?:[ØÙÚÛ]\\S){{2}}|{_PRINTABLE}"
_CONTROL_BYTES = frozenset(CONTROLS.encode())
_PARTED = re.compile(r"[^\W\d_]{2}- (?:[^\W\d_]*[a-zà-ÿ]|(?<=[A-Z]- )[A-Z]{2})")
_HEAD_MARK = re.compile(r"[^\w\s(\[\"'#+\-№%$€£¥<.,]+(?=\s|\w|$)|>+|-+\s")
_GLUED = re.compile(r"\d+[^\W\d_]|.*[^\W\d_]\d+$|.*[^\W\d_]{3}\d+[^\W\d_]{3}")
_LONG = re.compile(r"[^\W\d_]{4}|\d[A-ZÀ-Þ][a-zà-ÿ]|[^\W\d_]+ [^\W\d_]{2}|[^\W\d_a-zA-Z]{3}")
_SMALL = 12  # records, of which one with a blank first cell tells something
_DRAWN = re.compile("[\u2500-\u257f]")
_TAIL_MARK = re.compile(r"([^\w\s)\]\"'%])\1{2,}$")
#: Marks and words that stand for the value above.
_DITTO = frozenset(('"', "''", "″", "〃", "„", "do.", "ditto", "idem", "id."))
#: Words for what is missing.
_FIGURES = TYPED - {"email", "url"}


def find_value_doubts(seen: Drafted) -> Iterator[Raised]:
    """Yield what speaks against the table's values."""
    yield from _find_first_blank(seen)
    yield from _find_thin(seen)
    yield from _find_totals(seen)
    yield from _find_signs(seen)
    for column in seen.columns:
        yield from _find_foreign(seen, column)
    for column in seen.columns:
        yield from _find_marks(seen, column)
    yield from find_spoilt(seen)
    yield from _find_quotes_left(seen)
    yield from _find_glued(seen)
    yield from _find_units(seen)
    yield from _find_joined(seen)
    yield from _find_bare(seen)
    yield from _find_equal(seen)


def _find_first_blank(seen: Drafted) -> Iterator[Raised]:
    if len(seen.columns) < 2 or not seen.n_records:
        return
    place = min(len(seen.split.group), len(seen.columns) - 1)
    first = seen.columns[place]
    blank = [row for row, values in enumerate(seen.rows) if not values[place]]
    is_small = seen.n_records < _SMALL and blank != [0]
    if len(blank) < max(2 - is_small, _BLANK * seen.n_records):
        return
    said = f"{first.name} is blank in {len(blank)} of {count_noun(seen.n_records, 'record')}; nothing was joined or carried down"
    lines = seen.list_lines(blank[:3])
    tries = ({"wrapped": True, "key": first.name},) if not seen.split.wrapped else ()
    yield Raised(Doubt("first-blank", said, lines), tries)


def _find_thin(seen: Drafted) -> Iterator[Raised]:
    """Look for records that fill one column only."""
    if len(seen.columns) < 3 + len(seen.split.group):
        return
    n_groups = len(seen.split.group)
    thin = [row for row, values in enumerate(seen.rows) if sum(map(bool, values[n_groups:])) == 1]
    if len(thin) >= max(2, _BLANK * seen.n_records):
        said = f"{len(thin)} of {count_noun(seen.n_records, 'record')} fill one column only"
        yield Raised(Doubt("thin-records", said, seen.list_lines(thin[:3])))


def _find_totals(seen: Drafted) -> Iterator[Raised]:
    """Look for records that sum others up: their word says so, or their figure does."""
    n_groups = len(seen.split.group)
    summing = _find_sums(seen.rows, n_groups)
    usual = max((sum(map(bool, values)) for values in seen.rows), default=0)
    for row, values in enumerate(seen.rows):
        filled = [value for value in values[n_groups:] if value]
        if 1 < len(filled) < usual:
            match = re.match(TOTAL, filled[0])
            if row in summing or (match and len(match[0]) >= len(filled[0]) - 2):
                line = seen.table.record_text(row).strip()
                drop = Wash(drop_lines=(f"text:{line}",)) if line.isprintable() else None
                lines = seen.list_lines([row])
                yield Raised(
                    Doubt(
                        "total-inside",
                        f"a record looks like a total of the others: {line[:60]!r}",
                        lines,
                    ),
                    before=drop,
                )
                return


def _find_sums(rows: Sequence[Sequence[str]], n_groups: int) -> set[int]:
    """Return the records of a word and a figure that is what several before it add up to, since the last with that word."""
    found: set[int] = set()
    first: dict[str, int] = {}
    for row, values in enumerate(rows):
        filled = [column for column, value in enumerate(values) if value and column >= n_groups]
        if len(filled) != _OF_A_SUM or any(map(str.isdecimal, values[filled[0]])):
            continue
        word, column = values[filled[0]], filled[1]
        figures = [
            read_number(one[column]) for one in rows[first.get(word, 0) : row] if one[column]
        ]
        first[word] = row + 1
        is_whole = len(figures) >= _SUMMED and None not in figures
        if is_whole and sum(filter(None, figures)) == read_number(values[column]) != 0:
            found.add(row)
    return found


def _find_signs(seen: Drafted) -> Iterator[Raised]:
    is_plain = seen.inside.isascii() and _CONTROL_BYTES.isdisjoint(seen.inside)
    is_plain &= re.search(_PRINTABLE.encode(), seen.inside) is None
    odd = [
        (row, value)
        for _, row, value in (() if is_plain else seen.iter_values())
        if re.search(_ODD, value)
    ]
    blank = [(row, value) for _, row, value in seen.iter_values() if not value.strip()]
    if blank:
        said = f"{count_noun(len(blank), 'value')} {'is' if len(blank) == 1 else 'are'} nothing but spaces that are no plain blanks"
        lines = seen.list_lines([row for row, _ in blank[:3]])
        yield Raised(Doubt("odd-signs", said, lines), before=Wash(plain_spaces=True))
    odd_names = [name for name in seen.table.names if not is_plain and re.search(_ODD, name)]
    if odd or odd_names:
        said = f"{count_noun(len(odd) + len(odd_names), 'value')} {'holds' if len(odd) + len(odd_names) == 1 else 'hold'} signs that cannot be seen, or were decoded wrongly"
        lines = seen.list_lines([row for row, _ in odd[:3]])
        yield Raised(Doubt("odd-signs", said, lines), before=Wash())
    parted = [(row, value) for _, row, value in seen.iter_values() if _PARTED.search(value)]
    if parted:
        found = _PARTED.search(parted[0][1])
        assert found is not None
        said = f"{found[0]!r} in {count_noun(len(parted), 'value')}: the hyphen of a line's end was left"
        lines = seen.list_lines([row for row, _ in parted[:3]])
        wrapped = {"wrapped": True, "key": seen.split.key, "hyphens": "mend"}
        tries = (wrapped,) if seen.split.wrapped and not seen.split.parted_by else ()
        yield Raised(Doubt("hyphen-left", said, lines), tries)


def _find_foreign(seen: Drafted, column: Column) -> Iterator[Raised]:
    """Look for words among figures: of what is no figure, what has letters or is torn."""
    n_figures = sum(column.counts[shape] for shape in _FIGURES)
    total = len(column.values)
    is_joined = seen.split.wrapped or len(seen.steps) > 1
    if is_joined and 2 <= n_figures < total and n_figures >= _SOME * total:
        torn = [
            (row, value)
            for row, value in zip(column.rows, column.values, strict=True)
            if _TORN.search(value)
        ]
        if torn:
            said = f"{torn[0][1][:40]!r} in {column.name}: a figure cut in two"
            lines = seen.list_lines([row for row, _ in torn[:3]])
            yield Raised(Doubt("foreign-value", said, lines))
            return
    if n_figures == total or n_figures < max(_FEWEST, _TYPED * total):
        return
    odd = [
        (row, value)
        for row, value, shape in zip(column.rows, column.values, column.shapes, strict=True)
        if shape not in _FIGURES
        and (_WORD.search(value) or _TORN.search(value))
        and value.casefold() not in LACKING_WORDS
    ]
    often = Counter(value for _, value in odd)
    odd = [(row, value) for row, value in odd if often[value] == 1 or len(value) > 12]
    if odd:
        value = odd[0][1]
        said = f"{value[:40]!r} in {column.name}, a column of figures"
        yield Raised(Doubt("foreign-value", said, seen.list_lines([row for row, _ in odd[:3]])))


def _find_marks(seen: Drafted, column: Column) -> Iterator[Raised]:
    above = [row for row, value in zip(column.rows, column.values, strict=True) if value in _DITTO]
    if above:
        said = f"{count_noun(len(above), 'value')} of {column.name} only {'says' if len(above) == 1 else 'say'} that the one above holds"
        yield Raised(Doubt("marks-kept", said, seen.list_lines(above[:3])))
        return
    drawn = [
        row for row, value in zip(column.rows, column.values, strict=True) if _DRAWN.match(value)
    ]
    if len(drawn) > 1:
        said = f"{count_noun(len(drawn), 'value')} of {column.name} begin with what a tree or a frame is drawn of"
        yield Raised(Doubt("marks-kept", said, seen.list_lines(drawn[:3])))
        return
    least = max(3, _MARKED * len(column.values))
    if len(column.values) < least:
        return
    is_still = len(set(column.values)) == 1 and len(column.values) == seen.n_sound
    for pattern, where in ((_HEAD_MARK, "begin"), (_TAIL_MARK, "end")):
        found = Counter(
            match[0][:3]
            for value in column.values
            if (match := _find_at(pattern, value)) and (len(match[0]) < len(value) or is_still)
        )
        is_lone = not any(map(str.isalnum, "".join(column.values))) and (
            len(column.values) > 1 or seen.n_sound > 1
        )
        if is_lone and seen.split.heading == "none":
            said = f"{column.name} holds nothing but {column.values[0]!r}"
            yield Raised(Doubt("marks-kept", said))
            return
        if found and found.most_common(1)[0][1] >= least:
            mark = found.most_common(1)[0][0]
            said = f"{found[mark]} values of {column.name} {where} with {mark.strip()!r}"
            yield Raised(Doubt("marks-kept", said))
            return


def _find_at(pattern: re.Pattern[str], value: str) -> re.Match[str] | None:
    return pattern.match(value) if pattern is _HEAD_MARK else pattern.search(value)


def _find_glued(seen: Drafted) -> Iterator[Raised]:
    """Look for figures and words without anything between them, and names cut at a blank."""
    for column in seen.columns:
        glued = [v for v in column.values if _GLUED.match(v) and (_LONG.search(v) or _is_named(v))]
        if len(glued) >= max(3, _MARKED * len(column.values)):
            said = f"{len(glued)} values of {column.name} look like {glued[0][:40]!r}: a figure and a word with nothing between"
            yield Raised(Doubt("glued-values", said))
            return
    if seen.split.blanks != "space" or not seen.was_cut:
        return
    for left, right in pairwise(seen.columns):
        shares = [column.counts["word"] / max(1, len(column.values)) for column in (left, right)]
        are_names = all(value[0].isupper() for value in (*left.values, *right.values))
        if min(shares) >= _MARKED and are_names and seen.split.heading == "none":
            said = f"{left.values[0]!r} and {right.values[0]!r} stand side by side: they may be one name"
            yield Raised(Doubt("cut-inside", said))
            return


def _is_named(value: str) -> bool:
    """Return whether a figure and a name of three letters or more stand together."""
    found = re.match(r"\d+([^\W\d_])([^\W\d_])[^\W\d_]", value)
    return found is not None and found[1].isupper() and found[2].islower()


def _find_units(seen: Drafted) -> Iterator[Raised]:
    """Look for a unit that stands in a column of its own behind its figures."""
    for left, right in pairwise(seen.columns):
        figures = sum(left.counts[shape] for shape in _FIGURES)
        is_unit = len(set(right.values)) == 1 and len(right.values) > _FEWEST
        is_unit = is_unit and len(right.values[0]) <= _UNIT and right.rows == left.rows
        is_unit = is_unit and not right.counts["yes-no"]
        if is_unit and figures == len(left.values) and seen.split.heading == "none":
            said = f"{left.values[0]!r} and {right.values[0]!r} stand side by side: a figure and its unit"
            yield Raised(Doubt("cut-inside", said))
            return


def _find_quotes_left(seen: Drafted) -> Iterator[Raised]:
    """Look for quote marks that open one value and close a later one, where none was taken for one."""
    if not seen.is_open("quote") or '"' in (
        sign for pair in seen.split.quote_pairs for sign in pair
    ):
        return
    values = [(row, value) for row, cells in enumerate(seen.rows) for value in cells]
    opens = next((k for k, (_, v) in enumerate(values) if v[:1] == '"' and '"' not in v[1:]), None)
    if opens is None:
        return
    closes = next(
        (k for k, (_, v) in enumerate(values) if k > opens and v[-1:] == '"' and '"' not in v[:-1]),
        None,
    )
    if closes is not None:
        (row, first), (last_row, last) = values[opens], values[closes]
        said = f"{first[:40]!r} opens with a quote mark and {last[:40]!r} closes with one; both were taken as text"
        lines = seen.list_lines(sorted({row, last_row}))
        yield Raised(Doubt("quotes-left", said, lines), ({"quote": ("double",)},))


def _find_joined(seen: Drafted) -> Iterator[Raised]:
    """Look for joined lines whose pieces are values of the column by themselves."""
    if not (seen.split.wrapped and seen.is_open("wrapped")):
        return
    key = list(seen.table.names).index(seen.split.key) if seen.split.key in seen.table.names else 0
    rows = seen.weighed.whole.rows if seen.weighed is not None else ()
    others = [[*row[:key], *row[key + 1 :]] for row in rows if len(row) > key and not row[key]]
    full = [cells for cells in others if len(cells) > 1 and all(cells)]
    if len(full) > 1 and len(full) >= _FULL * len(others):
        said = f"{len(full)} lines without a {seen.split.key} fill all other columns ({', '.join(full[0])[:40]!r})"
        yield Raised(Doubt("joined-unsure", said), ({"wrapped": False},))
        return
    glue = seen.split.glue
    for column in seen.columns[1:] if glue else ():
        single = Counter(value for value in column.values if glue not in value)
        known = {value for value, number in single.items() if number > 1}
        joined = [
            (row, value)
            for row, value in zip(column.rows, column.values, strict=True)
            if glue in value and set(value.split(glue)) <= known
        ]
        if len(joined) > 1:
            said = (
                f"{joined[0][1][:40]!r} in {column.name} is joined of what are values by themselves"
            )
            lines = seen.list_lines([row for row, _ in joined[:3]])
            yield Raised(Doubt("joined-unsure", said, lines), ({"wrapped": False},))
            return


def _find_bare(seen: Drafted) -> Iterator[Raised]:
    """Look for a bare word among cells that are all quoted."""
    if not seen.is_open("missing"):
        return
    marks = [c for c in seen.batch.charges if c.reason == "quote-mark"]
    if not marks:
        return
    ends = np.concatenate([charge.ends for charge in marks])
    quoted = set(ends.tolist())
    table = seen.table
    cells = [
        (row, column, int(table.starts[row, column]))
        for row in range(seen.n_records)
        for column in range(len(table.names))
        if table.ends[row, column] > table.starts[row, column]
    ]
    inside = [cell for cell in cells if cell[2] <= table.text.body_size]
    bare = [(row, column) for row, column, start in inside if start not in quoted]
    words = {table.value(row, column) or "" for row, column in bare}
    is_word = bare and len(words) == 1 and len(bare) <= 0.3 * len(inside)
    word = next(iter(words), "")
    if is_word and (word.isalpha() or not any(map(str.isalnum, word)) or "/" in word):
        said = f"{word!r} stands bare in {count_noun(len(bare), 'cell')}, all others are quoted"
        lines = seen.list_lines(sorted({row for row, _ in bare})[:3])
        yield Raised(Doubt("missing-bare", said, lines), ({"missing": (word,)},))


def _find_equal(seen: Drafted) -> Iterator[Raised]:
    if len(seen.columns) < 2:
        return
    first: dict[tuple[str, ...], int] = {}
    for row, values in enumerate(seen.rows):
        before = first.setdefault(tuple(values), row)
        if before != row and sum(map(bool, values)) > 1:
            again = len(seen.rows) - len(set(map(tuple, seen.rows)))
            lines = seen.list_lines([before, row])
            said = f"{count_noun(again, 'record')} {'is' if again == 1 else 'are'} to the letter what one before is, first {', '.join(values)[:50]!r}"
            yield Raised(Doubt("records-equal", said, lines))
            return
