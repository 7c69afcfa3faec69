"""Ways to cut a column, written as steps: what is found by examples becomes options that anyone can read.

Each form is tried in turn, from what reads best, over all values; the first that gives exactly the
stretches that were learnt is taken.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterator, Sequence
from contextlib import suppress
from typing import NamedTuple

from wetcomb.combs.on_table import run_on_table
from wetcomb.core.errors import WetCombError
from wetcomb.core.table import Table
from wetcomb.drafts.examples.cuttings import Cutting
from wetcomb.drafts.examples.places import find_kinds
from wetcomb.match.patterns import Pattern, compile_pattern
from wetcomb.steps.pull.options import Pull
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step

__all__ = ["Written", "find_pattern", "write_cutting"]

Spans = Sequence[tuple[int, int] | None]

_SHAPES = (
    ("digits", re.compile(r"\d+")),
    ("number", re.compile(r"\d+(?:[.,]\d+)*")),
    ("word", re.compile(r"[^\W\d_]+(?:['’-][^\W\d_]+)*")),
)
#: Regular expressions of a stretch, the narrowest first.
_BODIES = (
    r"\d+", r"\d+(?:[.,]\d+)*", r"[^\W\d_]+", r"[^\W_]+", r"\S+",
)  # fmt: skip
_QUOTES = "\"'"
_REGEX = "regex:"
_FIXED = 8  # characters of a stretch that may be told by its size
_MOST_TRIED, _MOST_RUN, _RANKS = (
    300,
    24,
    12,
)  # patterns, and steps that are run; choices of each part


class Written(NamedTuple):
    """A step, what it calls the new columns, in the order of the stretches, and columns that are left over."""

    step: Step
    names: tuple[str, ...]
    spare: tuple[str, ...] = ()


def write_cutting(
    table: Table, column: str, values: Sequence[str], cutting: Cutting, names: Sequence[str]
) -> Written | None:
    """Return the step that puts the stretches of a column in its place; None if no form gives them.

    Parameters
    ----------
    values : of the column, one a record
    names : of the new columns, as many as there are stretches, where the form leaves that free
    """
    order = _find_order(cutting)
    if order is None:
        return None
    back = [order.index(k) for k in range(len(order))]
    spans = [tuple(own[k] for k in order) for own in cutting.spans]
    called = [names[k] for k in order]
    wanted = [
        tuple(value[span[0] : span[1]] if span else "" for span in own)
        for value, own in zip(values, spans, strict=True)
    ]
    for step in itertools.islice(_list_splits(column, values, spans, called), _MOST_RUN):
        rows = _run(step, table, called)
        if rows is not None and all(
            row == cells or (not all(cells) and _is_kept(value, row))
            for value, row, cells in zip(values, rows, wanted, strict=True)
        ):
            return Written(step, tuple(names), tuple(n for n in step.names if n not in called))
    pattern = find_pattern(values, spans, called)
    if pattern is not None:
        pull = Pull(column=column, pattern=(pattern,))
        own = compile_pattern(pattern).fields
        if _run(pull, table, own) == wanted:
            return Written(pull, tuple(own[k] for k in back))
    return None


def _find_order(cutting: Cutting) -> list[int] | None:
    """Return the order in which the stretches stand in all values; None if there is none."""
    number = len(cutting.spans[0])
    full = next((spans for spans in cutting.spans if None not in spans), None)
    if full is None:
        return None
    order = sorted(range(number), key=lambda k: full[k] or (0, 0))
    for spans in cutting.spans:
        real = [spans[k] for k in order if spans[k] is not None]
        if any(a[1] > b[0] for a, b in itertools.pairwise(filter(None, real))):
            return None
    return order


def _run(step: Step, table: Table, names: Sequence[str]) -> list[tuple[str, ...]] | None:
    """Return what a step makes of a column, a value of each record; None if it leaves a record odd."""
    with suppress(WetCombError):
        made = run_on_table(step, table)
        is_same = made.n_records == table.n_records and set(names) <= {*made.names}
        if is_same and not {*made.snags.records.tolist()} - {*table.snags.records.tolist()}:
            columns = [made.names.index(name) for name in names]
            return [
                tuple(made.value(row, column) or "" for column in columns)
                for row in range(made.n_records)
            ]
    return None


def _is_kept(value: str, cells: Sequence[str]) -> bool:
    """Return whether the pieces of a value that lacks one hold every letter and digit of it."""
    kept = [sign for cell in cells for sign in cell if sign.isalnum()]
    return kept == [sign for sign in value if sign.isalnum()]


def _list_splits(
    column: str, values: Sequence[str], spans: Sequence[Spans], names: Sequence[str]
) -> Iterator[Split]:
    """Yield cuts of the column at one mark, or where the kind of character changes."""
    row = next((k for k, own in enumerate(spans) if None not in own), None)
    if row is None:
        return
    value, own = values[row], [span for span in spans[row] if span is not None]
    gaps = _list_gaps_of(value, own)
    kinds = find_kinds(value)
    drawn = (sign for gap in gaps for sign in gap if not sign.isalnum() and not sign.isspace())
    marks = dict.fromkeys(drawn)
    if any(gap.isspace() for gap in gaps):
        marks[" "] = None
    said = [value[a:b] for a, b in own]
    quote = ("none",) if any(set(_QUOTES) & {*text} for text in values) else ("double",)
    for mark in marks:
        for cuts, pieces in _list_cuts(value, mark):
            places = _find_places(pieces, said)
            if places:
                called = [f"{column}-left-{k + 1}" for k in range(len(pieces))]
                for place, name in zip(places, names, strict=True):
                    called[place] = name
                with suppress(WetCombError):
                    yield Split(
                        column=column, delimiter=("space" if mark == " " else mark,), quote=quote,
                        cut_runs_once=mark == " ", cuts=cuts, names=tuple(called),
                    )  # fmt: skip
    if not any(gaps) and len(own) > 1:
        pairs = tuple(dict.fromkeys(f"{kinds[at - 1]}|{kinds[at]}" for at, _ in own[1:]))
        with suppress(WetCombError):
            yield Split(column=column, delimiter=("none",), boundary=pairs, quote=quote, names=tuple(names))  # fmt: skip


def _list_gaps_of(value: str, spans: Sequence[tuple[int, int]]) -> list[str]:
    """Return what stands before, between and behind some stretches."""
    edges = [0, *itertools.chain(*spans), len(value)]
    return [value[a:b] for a, b in zip(edges[::2], edges[1::2], strict=True)]


def _list_cuts(value: str, mark: str) -> Iterator[tuple[str, list[str]]]:
    """Yield which cuts count, and the pieces that they leave."""
    pieces = value.split() if mark == " " else [piece.strip() for piece in value.split(mark)]
    yield "all", pieces
    for number in range(1, min(4, len(pieces))):
        yield f"first:{number}", [piece.strip() for piece in value.split(mark, number)]
        yield f"last:{number}", [piece.strip() for piece in value.rsplit(mark, number)]


def _find_places(pieces: Sequence[str], said: Sequence[str]) -> list[int] | None:
    """Return which pieces are just what is wanted, in order."""
    places, at = [], 0
    for text in said:
        found = next((k for k in range(at, len(pieces)) if pieces[k] == text), None)
        if found is None:
            return None
        places.append(found)
        at = found + 1
    return places


def find_pattern(
    values: Sequence[str], spans: Sequence[Spans], names: Sequence[str], *, is_whole: bool = False
) -> str | None:
    """Return a pattern whose fields are just these stretches of all values, in the order in which they stand.

    Values in which there are none are not covered by it.

    Parameters
    ----------
    is_whole : it must cover all of each value
    """
    row = next((k for k, own in enumerate(spans) if None not in own), None)
    if row is None:
        return None
    value, own = values[row], [span for span in spans[row] if span is not None]
    lacks = [any(each[k] is None and any(each) for each in spans) for k in range(len(own))]
    texts, gaps = _gather(values, spans, len(own))
    wanted = [
        [value[span[0] : span[1]] if span else "" for span in each] if any(each) else None
        for value, each in zip(values, spans, strict=True)
    ]
    told = _list_gaps_of(value, own), [value[a:b] for a, b in own], own[-1][1] == len(value)
    tried = (*_list_worded(*told[:2], names, lacks, texts, gaps), *_list_regexes(*told, lacks, texts, gaps))  # fmt: skip
    for pattern in tried:
        if pattern.startswith(_REGEX) and not _may_find(pattern, values, wanted):
            continue
        with suppress(WetCombError):
            compiled = compile_pattern(pattern)
            pairs = zip(values, wanted, strict=True)
            if all(_finds(compiled, value, is_whole=is_whole) == cells for value, cells in pairs):
                return pattern
    return None


def _gather(
    values: Sequence[str], spans: Sequence[Spans], number: int
) -> tuple[list[set[str]], list[set[str]]]:
    """Return the texts of each stretch over all values, and of what stands before each and behind the last."""
    texts, gaps = [set[str]() for _ in range(number)], [set[str]() for _ in range(number + 1)]
    for value, own in zip(values, spans, strict=True):
        at = 0
        for k, span in enumerate(own):
            if span is None:
                at = -1
                continue
            texts[k].add(value[span[0] : span[1]])
            if at >= 0:
                gaps[k].add(value[at : span[0]])
            at = span[1]
        if at >= 0:
            gaps[number].add(value[at:])
    return texts, gaps


def _take_simplest(choices: Sequence[Sequence[str]]) -> list[str]:
    """Return choices put together, those first that take the first of each."""
    ranks = itertools.product(*(range(min(len(one), _RANKS)) for one in choices))
    order = sorted(itertools.islice(ranks, 20 * _MOST_TRIED), key=sum)[:_MOST_TRIED]
    return ["".join(one[k] for one, k in zip(choices, rank, strict=True)) for rank in order]


def _may_find(pattern: str, values: Sequence[str], wanted: Sequence[Sequence[str] | None]) -> bool:
    """Return whether a regular expression finds what is wanted, before it is compiled with all that is looked at."""
    regex = re.compile(pattern.removeprefix(_REGEX))
    for value, cells in zip(values, wanted, strict=True):
        found = regex.match(value)
        said = [(text or "").strip() for text in found.groups()] if found and value else None
        if said != cells:
            return False
    return True


def _finds(pattern: Pattern, value: str, *, is_whole: bool) -> list[str] | None:
    """Return what the fields of a pattern find in a value."""
    raw = value.encode()
    matches = [*pattern.find_each(raw)] if raw else []
    if len(matches) != 1:  # each match would be a value of its own
        return None
    (found,) = matches
    if is_whole and (found.start, found.end) != (0, len(raw)):
        return None
    return [raw[a:b].decode().strip() if a >= 0 else "" for a, b in found.fields]


def _list_worded(
    gaps: Sequence[str],
    said: Sequence[str],
    names: Sequence[str],
    lacks: Sequence[bool],
    texts: Sequence[set[str]],
    all_gaps: Sequence[set[str]],
) -> list[str]:
    """Return patterns in the words of our language."""
    if any(set("{}?|") & {*text} for text in (*names, *gaps)):
        return []
    choices: list[list[str]] = []
    for k, gap in enumerate(gaps):
        is_last = k == len(said)
        same = len({re.sub(r"\s+", " ", one) for one in all_gaps[k]}) == 1
        choices.append(_word_gap(gap, is_first=k == 0, is_last=is_last, is_same=same))
        if not is_last:
            shapes = [name for name, regex in _SHAPES if all(map(regex.fullmatch, texts[k]))]
            sign = "?" if lacks[k] else ""
            choices.append([f"{{{shape} as {names[k]}{sign}}}" for shape in ["any", *shapes]])
    return _take_simplest(choices)


def _word_gap(gap: str, *, is_first: bool, is_last: bool, is_same: bool) -> list[str]:
    """Return how what stands beside stretches may be written.

    Parameters
    ----------
    is_same : it is so in all values
    """
    plain = re.sub(r"\s+", " ", gap)
    if not any(map(str.isalnum, gap)):
        return [plain.rstrip() if is_last else plain.lstrip() if is_first else plain]
    before, behind = re.match(r"\W*", plain), re.search(r"\W*$", plain)
    assert before is not None and behind is not None
    if is_last:
        return [before[0] + "{any}", before[0].rstrip()]
    skipped = ("" if is_first else before[0]) + "{any}" + behind[0]
    return [plain] if is_same else [skipped]


def _list_regexes(
    gaps: Sequence[str],
    said: Sequence[str],
    is_end: bool,
    lacks: Sequence[bool],
    texts: Sequence[set[str]],
    all_gaps: Sequence[set[str]],
) -> list[str]:
    """Return regular expressions over the whole value; their fields are a, b, c."""
    choices: list[list[str]] = []
    for k, text in enumerate(said):
        behind = gaps[k + 1].lstrip()[:1]
        bodies = _list_bodies(text, behind, is_end=is_end and k == len(said) - 1)
        bodies = [body for body in bodies if all(re.fullmatch(body, one) for one in texts[k])]
        before = _list_before(gaps[k], is_first=k == 0)
        before = [gap for gap in before if all(re.fullmatch(gap, one) for one in all_gaps[k])]
        name = f"(?P<{chr(ord('a') + k)}>"
        pairs = itertools.product(range(len(before)), range(len(bodies)))
        own = [f"{before[g]}{name}{bodies[b]})" for g, b in sorted(pairs, key=sum)]
        choices.append([f"(?:{one})?" for one in own] if lacks[k] else own)
    ends = {gap.strip() for gap in all_gaps[-1]}
    choices.append(["$"] if ends == {""} else [*[_escape(gaps[-1]) + "$"][: len(ends) == 1], "", ".*$"])  # fmt: skip
    return [f"{_REGEX}^{one}" for one in _take_simplest(choices)] if all(choices) else []


def _list_bodies(text: str, behind: str, *, is_end: bool) -> list[str]:
    """Return how a stretch may be told, from the narrowest."""
    found = [*_BODIES]
    if behind and behind not in text and not behind.isalnum():
        found.insert(0, f"[^{re.escape(behind)}]+")
    if len(text) <= _FIXED:
        found.append(f".{{{len(text)}}}" if len(text) > 1 else ".")
    return [*found, ".+" if is_end else ".+?", ".+"]


def _list_before(gap: str, *, is_first: bool) -> list[str]:
    """Return how what stands before a stretch may be told."""
    found = [_escape(gap), r"\s*", r"\s+", r"\W+"]
    last = gap.rstrip()[-1:]
    if last and not last.isalnum():
        mark = re.escape(last)
        found += [
            rf"[^{mark}]*{mark}\s*" * count for count in range(1, min(4, gap.count(last) + 1))
        ]
        found.append(rf".*{mark}\s*")
    found += [r"\S+\s+", r".*\s", r"\D*", r"[^\W\d_]*", r".*?", r".*"]
    return list(dict.fromkeys(found if not is_first else [one for one in found if one != r"\s+"]))


def _escape(gap: str) -> str:
    return r"\s*".join(map(re.escape, re.split(r"\s+", gap)))
