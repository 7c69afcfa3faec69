"""Draft a comb: settle what is left open, from a bounded sample, with the evidence.

Every candidate is tried on the sample's first records and priced; the cheapest few are
tried again on more of it, and the cheapest of these wins. What the analyst has stated is
never overruled: it only leaves fewer candidates.
"""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.combs.check import find_split, make_fits
from wetcomb.combs.comb import Comb
from wetcomb.combs.engine import EDGE_SHARE, MANY_EDGES
from wetcomb.combs.memory import make_text
from wetcomb.combs.part import Part
from wetcomb.core.errors import InputError
from wetcomb.core.table import Table
from wetcomb.drafts.alignment import find_realign
from wetcomb.drafts.candidates import find_candidates, find_quotes
from wetcomb.drafts.furniture import find_furniture
from wetcomb.drafts.heading import find_heading_lines, weigh_heading
from wetcomb.drafts.layouts import list_layouts
from wetcomb.drafts.parts import find_parts
from wetcomb.drafts.structure import (
    Lines,
    find_named_lines,
    find_stacked,
    find_unwrap,
    find_wrapped,
)
from wetcomb.drafts.trial import Trial, try_split
from wetcomb.match.characters import Columns
from wetcomb.match.lines import match_line
from wetcomb.match.marks import LINE_WORD, NO_DELIMITER, name_mark
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.split.blank_edges import find_edge_candidates
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import AUTO, Step

__all__ = [
    "add_realign",
    "check_edges",
    "draft",
    "name_cut",
    "settle_column",
    "settle_split",
    "weigh_split",
    "weigh_steps",
]

_FIRST_LINES, _MORE_LINES, _TRIAL_BYTES = 400, 2000, 1 << 18
_RUNNERS_UP = 2
_NARROW = 10.0  # bits; a runner-up so close to the winner makes the choice doubtful
_WEAK_HEADING = 3.0  # bits


class _Sample(msgspec.Struct, frozen=True):
    """The whole sample and two beginnings of it."""

    whole: bytes
    first: bytes
    more: bytes

    @classmethod
    def of(cls, text: bytes) -> _Sample:
        return cls(text, _cut_lines(text, _FIRST_LINES), _cut_lines(text, _MORE_LINES))


def draft(
    text: str | bytes,
    *,
    encoding: str = "",
    part: Part | None = None,
    first_line: int = 1,
    **given: Any,
) -> Comb:
    """Return the comb that would rebuild a text, its evidence in `notes`.

    Parameters
    ----------
    text : the text, or a sample of whole lines from its beginning
    part : which part of it the text is, where that has been said; else the only table among
        other lines is taken by itself
    first_line : number of its first line in the source
    given : options of `Split` that are known already; they are never overruled

    Raises
    ------
    InputError : there are no lines to go by
    UsageError : what is given contradicts itself
    """
    raw = text.encode() if isinstance(text, str) else text
    found, said = part or Part(), list[str]()
    rebuilt = weigh_steps(raw, given)
    whole = rebuilt.split
    if (
        part is None and not rebuilt.before and not whole.stacked
    ):  # else short lines belong to what they stand by
        found, raw, said = find_only_table(raw, whole, first_line)
        if not found.is_whole:
            rebuilt = weigh_steps(raw, given)
    rebuilt = add_realign(rebuilt, raw)
    comb = Comb(rebuilt.steps, encoding, notes=(*said, *rebuilt.notes), part=found)
    return replace(comb, fits=make_fits(*find_split(comb, raw)))


def find_only_table(
    text: bytes, whole: Split, first_line: int = 1
) -> tuple[Part, bytes, list[str]]:
    """Return the one table among prose and notes, if they are no records of it.

    The lines outside are left out only where they do not fit the way the whole would be cut.
    """
    parts = find_parts(text)
    tables = [part for part in parts if part.kind == "table" and part.last - part.first > 1]
    others = [part for part in parts if part not in tables]
    if len(tables) > 1:
        said = ", ".join(f"lines {table.move(first_line - 1).lines}" for table in tables[:4])
        return Part(), text, [f"There are {len(tables)} tables ({said}); --part N takes one."]
    if len(tables) != 1 or not others:
        return Part(), text, []
    lines = text.splitlines(keepends=True)
    table = tables[0]
    inside = b"".join(lines[table.first - 1 : table.last])
    outside = [line for part in others for line in lines[part.first - 1 : part.last]]
    if not _are_misfits(outside, inside, whole):
        return Part(), text, []
    is_open = table.last == parts[-1].last
    moved = table.move(first_line - 1)
    head = lines[table.first - 1].strip().decode()
    if is_open and head and not any(line.strip() == head.encode() for line in outside):
        part = Part(from_=(f"text:{head}",))
    else:
        part = Part(lines=f"{moved.first}-" if is_open else moved.lines)
    n_outside = len(outside)
    return (
        part,
        inside,
        [
            f"The table begins in line {moved.first}; {_count(n_outside, 'line')} around it {'is' if n_outside == 1 else 'are'} left out."
        ],
    )


def _are_misfits(lines: Sequence[bytes], inside: bytes, whole: Split) -> bool:
    """Return whether lines make no records of the table that they stand around."""
    table = try_split(np.frombuffer(inside, np.uint8), whole, 0.0)
    around = try_split(
        np.frombuffer(b"".join(line.rstrip(b"\r\n") + b"\n" for line in lines), np.uint8),
        whole,
        0.0,
    )
    n_alike = sum(len(row) == table.n_fields and all(row) for row in around.rows)
    return (
        table.n_fields > 1
        and 3 * n_alike <= len(around.rows)
        and len(table.rows) > len(around.rows)
    )


class Rebuilt(msgspec.Struct, frozen=True):
    """The steps that rebuild a text: what comes before and after the split, and how that was weighed."""

    before: tuple[Step, ...]
    split: Split
    weighed: Weighed
    notes: list[str]
    after: tuple[Step, ...] = ()

    @property
    def steps(self) -> tuple[Step, ...]:
        """All steps, in order."""
        return (*self.before, self.split, *self.after)


def weigh_steps(text: bytes, given: Mapping[str, Any]) -> Rebuilt:
    """Return the steps that make a table of a text, with the evidence: also what is beside its records."""
    before: tuple[Step, ...] = ()
    if not any(given.get(name) for name in (*_BESIDE, *_CUTTING)):
        stacked, notes, block = find_stacked(text.decode())
        if stacked:
            split = Split(**{**given, **stacked})
            first = weigh_split(block.encode(), {"edges": "blanks", "heading": split.heading})
            return Rebuilt((), split, first, notes)
    wash, notes = find_furniture(text)
    if wash is not None:
        before, text = (wash,), make_text([wash], text)
    weighed = weigh_split(text, given)
    split, said = weighed.settled
    if any(given.get(name) for name in _BESIDE) or not _has_line_records(split):
        return Rebuilt(before, split, weighed, [*notes, *said])
    unwrap, unwrapped = find_unwrap(weighed.whole, given)
    if unwrap is not None:
        before, text = (*before, unwrap), make_text([unwrap], text)
        notes += unwrapped
        weighed = weigh_split(text, given)
        split, said = weighed.settled
    named, why_named = find_named_lines(Lines.of(weighed.whole, split))
    if named:
        weighed = weigh_split(text, {**given, **named})
        split, said = weighed.settled
    wrapped, why_wrapped = find_wrapped(Lines.of(weighed.whole, split), split)
    split = replace(split, **wrapped)
    notes += [*said, *why_named, *why_wrapped]
    return Rebuilt(before, split, weighed, notes)


def add_realign(rebuilt: Rebuilt, text: bytes) -> Rebuilt:
    """Return the steps with the one that puts shifted cells back, where some are."""
    realign, why = find_realign(text, rebuilt.before, rebuilt.split)
    if realign is None:
        return rebuilt
    return replace(rebuilt, after=(realign,), notes=[*rebuilt.notes, *why])


_HAS_GAP = re.compile(rb"\S(?:  |\t)")

#: Options that say what lines are beside records: where one is given, nothing of that is looked for.
_BESIDE = ("group", "totals", "wrapped", "panels", "take", "stacked", "column", "each_a_record")


def _has_line_records(split: Split) -> bool:
    return split.records_at == "newline" and not split.per_record and split.panels == 1


def settle_split(text: bytes, given: Mapping[str, Any]) -> tuple[Split, list[str]]:
    """Return a split with nothing left open, and the evidence line by line."""
    return weigh_split(text, given).settled


class Weighed(msgspec.Struct, frozen=True):
    """How a text is best cut: the winner on the whole sample, the next ones, what was settled."""

    whole: Trial
    runners_up: Sequence[Trial]
    settled: tuple[Split, list[str]]


def weigh_split(text: bytes, given: Mapping[str, Any]) -> Weighed:
    """Try all ways to cut a text; return the best with its evidence."""
    if not text.strip():
        raise InputError("this holds nothing but blank lines; there are no records in it")
    text = _without_named_lines(text, given)
    sample = _Sample.of(text)
    winner, runners_up = _choose_cut(sample, given)
    data = np.frombuffer(sample.whole, np.uint8)
    whole = try_split(data, winner.split, winner.prior)
    while runners_up and not given.get("edges") and _cuts_words(whole):
        winner, *runners_up = runners_up  # such edges would stop the run
        whole = try_split(data, winner.split, winner.prior)
    if not whole.rows:
        raise InputError("no line of this makes a record; there is nothing to rebuild")
    notes = _tell_cut(whole, winner, runners_up)
    cut = whole.split
    settled = dict(given)
    for name in ("delimiter", "quote", "quote_ends", "edges", "records_at", "per_record", "frame"):
        settled[name] = getattr(cut, name)
    if cut.frame and not given.get("frame"):
        notes.append("A mark before and behind every record is a frame around it, no column.")
    if cut.per_record:
        settled["cell_shapes"] = given.get("cell_shapes", _find_cell_shapes(whole))
    settled["panels"], panel_notes = _settle_panels(whole, given)
    notes += panel_notes
    settled["heading"], heading_note = _settle_heading(whole, given, settled["panels"])
    notes += heading_note
    settled["fields"], fields_note = _settle_fields(
        whole, given, settled["heading"], settled["panels"]
    )
    notes += fields_note
    return Weighed(whole, runners_up, (Split(**settled), notes))


def _cuts_words(whole: Trial) -> bool:
    """Return whether edges cut through so many words of the whole sample that a run would stop."""
    n_odd = len(whole.odd) if isinstance(whole.split.edges, tuple) and whole.split.edges else 0
    return n_odd >= MANY_EDGES and n_odd >= EDGE_SHARE * len(whole.rows)


def _without_named_lines(text: bytes, given: Mapping[str, Any]) -> bytes:
    """Return a text without its group and total lines: they say nothing of how records are cut.

    A first line with gaps in it is a heading, which a pattern of shapes alone may cover too.
    """
    words = [*_list_words(given.get("group", ())), *_list_words(given.get("totals", ()))]
    if not words:
        return text
    ignored = given.get("ignore_case", False)
    patterns = [compile_pattern(word, ignore_case=ignored) for word in words]
    lines = text.lstrip(b"\r\n").splitlines(keepends=True)
    said = [pattern for pattern in patterns if pattern.literal]
    return b"".join(
        line
        for place, line in enumerate(lines)
        if not any(
            match_line(pattern, line, "line")
            for pattern in (patterns if place or not _HAS_GAP.search(line) else said)
        )
    )


def _list_words(value: Sequence[str] | str) -> Sequence[str]:
    return (value,) if isinstance(value, str) else value


def check_edges(split: Split, sample: bytes) -> None:
    """Raise InputError for edges that lie beyond every line of a text."""
    if split.learns_edges or not split.edges:
        return
    lines = [line for line in re.split(rb"\r\n|\n|\r", sample) if line.strip()]
    data = np.frombuffer(b"\n".join(lines), np.uint8)
    feeds = np.flatnonzero(data == 0x0A)
    starts, ends = np.append(0, feeds + 1), np.append(feeds, data.size)
    columns = Columns(data, starts, ends, split.tab_width)
    widest = int(columns.find_columns(ends, np.arange(starts.size)).max())
    beyond = [edge for edge in split.edges if edge >= widest]
    if beyond:
        raise InputError(
            f"--edges {beyond[0]} lies beyond every line looked at; the longest has {widest} columns"
        )


def settle_column(table: Table, given: Mapping[str, Any]) -> tuple[Split, list[str]]:
    """Return a split of a table's column with nothing left open, and the evidence.

    Parameters
    ----------
    table : what the steps before make of the sample
    """
    known = dict(given) | {"heading": "none"}
    known.pop("column")
    places = [table.find_column(name) for name in given["column"]]
    values = [table.value(row, place) for place in places for row in range(table.n_records)]
    lines = [value for value in values if value and "\n" not in value and "\r" not in value]
    if not lines:
        raise InputError(f"column {given['column'][0]!r} holds nothing to cut")
    known["each_a_record"] = False
    is_list = given.get("each_a_record", False)
    split, notes = settle_split("\n".join(lines).encode() + b"\n", known)
    settled = dict(given) | {
        "delimiter": split.delimiter,
        "quote": split.quote,
        "quote_ends": split.quote_ends,
        "heading": "none",
        "fields": 0 if is_list else split.fields,
    }
    return Split(**settled), [f"Column {' and '.join(given['column'])}: {note}" for note in notes]


def _choose_cut(sample: _Sample, given: Mapping[str, Any]) -> tuple[Trial, list[Trial]]:
    """Return the cheapest way to cut, and the next ones that cut elsewhere."""
    first = np.frombuffer(sample.first, np.uint8)
    trials = []
    for split, prior in _list_splits(sample.first.decode(), given):
        trial = try_split(first, split, prior)
        trials.append(trial)
        if trial.n_odd_quotes and "quote_ends" not in given and split.quote_pairs:
            trials.append(try_split(first, replace(split, quote_ends="delimiter"), prior + 8.0))
    ranked = sorted(trials, key=lambda trial: trial.price)
    best = _unlike([ranked[0], *(trial for trial in ranked[1:] if trial.price < math.inf)])
    best = best[: _RUNNERS_UP + 1]
    if len(sample.more) > len(sample.first) and len(best) > 1:
        more = np.frombuffer(sample.more, np.uint8)
        best = [try_split(more, trial.split, trial.prior) for trial in best]
        best.sort(key=lambda trial: trial.price)
    return best[0], best[1:]


def _unlike(trials: list[Trial]) -> list[Trial]:
    """Return the trials without those that cut at the same mark as a cheaper one."""
    seen: set[str] = set()
    kept = []
    for trial in trials:
        said = name_cut(trial.split)
        kind = "edges" if trial.split.edges else said
        if said not in seen and (kind not in seen or kind != "edges"):
            seen |= {said, kind}
            kept.append(trial)
    return kept


#: Options that say how to cut: where one of them is given, other kinds of cut are not tried.
_CUTTING = ("delimiter", "edges", "boundary", "before", "after", "per_record", "each_a_record")


def _list_splits(text: str, given: Mapping[str, Any]) -> list[tuple[Split, float]]:
    """Return the ways to cut that are worth trying, with the bits it takes to say them."""
    stated = {name for name in _CUTTING if given.get(name, AUTO) not in (AUTO, (), 0, False)}
    if given.get("edges") == "blanks" and not given.get("stacked"):
        return _list_edges(text, given)
    lines = [line for line in text.splitlines() if line.strip()]
    ways: list[tuple[dict[str, Any], float]] = []
    if stated <= {"per_record"}:
        ways += [({"delimiter": word}, prior) for word, prior in find_candidates(lines)]
    if not stated and given.get("records_at", "newline") == "newline":
        ways += list_layouts(text, given.get("tab_width", 8))
    if any(given.get(name) for name in ("group", "totals", "wrapped")):  # these need lines
        ways = [way for way in ways if not way[0].keys() & {"per_record", "records_at"}]
    splits = []
    for options, prior in ways or [({}, 0.0)]:
        delimiter = options.get("delimiter", "" if stated else NO_DELIMITER)
        quotes = find_quotes(text, delimiter) if "quote" not in given else [("", 0.0)]
        for quote, quote_prior in quotes:
            more = {"quote": quote} if quote else {}
            splits.append((Split(**{**given, **options, **more}), prior + quote_prior))
    return splits


def _list_edges(text: str, given: Mapping[str, Any]) -> list[tuple[Split, float]]:
    lines = [line for line in text.splitlines() if line.strip()]
    found = find_edge_candidates(lines, given.get("tab_width", 8))
    if not found:
        raise InputError(
            "--edges blanks: no display column is blank in all lines of this; give the edges as numbers"
        )
    return [(Split(**{**given, "edges": edges}), 5.0 * len(edges)) for edges in found]


def _find_cell_shapes(whole: Trial) -> tuple[str, ...]:
    """Return the shape of each column of counted cells, `any` where most values are of no one shape."""
    shapes = []
    for column in range(whole.n_fields):
        values = [row[column] for row in whole.rows[1:] if column < len(row) and row[column]]
        found = Counter(
            shape
            for value in values
            for shape in _CHECKED
            if compile_pattern(f"{{{shape}}}").covers(value.encode())
        )
        best = next((shape for shape in _CHECKED if found[shape] >= 0.95 * len(values)), "any")
        shapes.append(best if values else "any")
    return tuple(shapes)


#: Shapes that a missing cell is found by, the narrowest first.
_CHECKED = ("date", "time", "digits", "number", "percent", "money", "email", "url", "code", "words")


def _settle_panels(whole: Trial, given: Mapping[str, Any]) -> tuple[int, list[str]]:
    """Return how many panels stand side by side: the heading says the same names again."""
    if "panels" in given:
        return given["panels"], []
    names = whole.rows[0]
    for number in range(2, len(names) // 2 + 1):
        width = len(names) // number
        first = list(names[:width])
        is_again = len(names) == number * width and first * number == list(names)
        if is_again and len(set(first)) == width and all(first):
            return number, [
                f"The heading says {', '.join(names[:width])} {number} times: {number} panels side by side."
            ]
    return 1, []


def _settle_heading(
    whole: Trial, given: Mapping[str, Any], panels: int
) -> tuple[str | int, list[str]]:
    stated = given.get("heading", AUTO)
    if stated is not AUTO:
        return stated, []
    # a heading that comes again on every page is no evidence against itself
    rows = [whole.rows[0], *(row for row in whole.rows[1:] if row != whole.rows[0])]
    n_lines = find_heading_lines(rows, whole.n_fields)
    if n_lines > 1:
        return n_lines, [f"The heading has {n_lines} lines; they are joined downwards."]
    if panels > 1:
        return "first", []
    bits = weigh_heading(rows, whole.n_fields)
    doubt = ", but this is doubtful" if abs(bits) < _WEAK_HEADING else ""
    excerpt = _make_plain(", ".join(rows[0])[:60])
    if bits > 0:
        return "first", [f"The first record is the heading ({excerpt}){doubt}."]
    return "none", [
        f"There is no heading: the first record looks like the others ({excerpt}){doubt}."
    ]


def _settle_fields(
    whole: Trial, given: Mapping[str, Any], heading: str | int, panels: int
) -> tuple[int, list[str]]:
    stated = given.get("fields", AUTO)
    if isinstance(stated, int):
        return stated, []
    if heading == "none":
        names = given.get("names", ())
        n_fields = -(-whole.n_fields // panels)
        return (len(names) if names and not given.get("take") else n_fields), []
    if heading != "first" or whole.split.edges or whole.split.per_record:
        return 0, []
    short = whole.n_fields - len(whole.rows[0])
    if short > 0 and 2 * whole.n_fitting > len(whole.rows):
        return whole.n_fields, [
            f"The heading has {short} fewer names than most records have fields; the last columns get made-up names."
        ]
    return 0, []


def _tell_cut(whole: Trial, winner: Trial, runners_up: list[Trial]) -> list[str]:
    fitting, total = whole.n_fitting, len(whole.rows)
    notes = [
        f"{_say_cut(whole.split)}: {_count(whole.n_fields, 'field')} in {fitting} of {total} records,"
        f" {winner.price_per_record:.0f} bits a record."
    ]
    if runners_up:
        tried = "; ".join(
            f"{name_cut(trial.split)}, {_count(trial.n_fields, 'field')} in {trial.n_fitting} of {len(trial.rows)},"
            f" {trial.price / max(1, len(winner.rows)):.0f} bits"
            for trial in runners_up
        )
        notes.append(f"Next best: {tried}.")
        if runners_up[0].price < winner.price + _NARROW and runners_up[0].rows != winner.rows:
            notes.append("The next best is close: this choice is doubtful; say -d to settle it.")
    if name_cut(whole.split) == _UNCUT:
        notes.append("No delimiter makes a table of this: each line is one field.")
    if whole.split.quote != ("double",):
        notes.append(f"Quote mark: {' '.join(whole.split.quote)}.")
    if whole.split.quote_ends == "delimiter":
        notes.append("Inner marks are not doubled: a quoted field ends only before a delimiter.")
    return notes


def _say_cut(split: Split) -> str:
    said = name_cut(split)
    return "Not cut" if said == _UNCUT else f"Cut at {said}"


_UNCUT = "no delimiter"


def name_cut(split: Split) -> str:
    """Return what a split cuts at, as a person would say it."""
    words = [name_mark(text) for text in split.literals]
    said = [word if word.isalpha() else f"{word!r}" for word in words]
    said += [split.blanks] * bool(split.blanks)
    if LINE_WORD in (split.delimiter if isinstance(split.delimiter, tuple) else ()):
        said.append("line ends")
    if isinstance(split.edges, str):
        said.append(f"edges of the {split.edges}")
    elif isinstance(split.edges, tuple) and split.edges:
        said.append(f"columns {', '.join(map(str, split.edges))}")
    said += [f"changes like {example!r}" for example in split.boundary]
    said += [f"{pattern!r}" for pattern in (*split.before, *split.after)]
    if split.per_record:
        return f"{' or '.join(said) or 'line ends'}, {split.per_record} a record"
    if split.records_at != "newline":
        end = split.records_at if split.records_at == "blank-line" else repr(split.records_at)
        return f"{' or '.join(said) or 'nothing'}, records at {end}"
    return " or ".join(said) or _UNCUT


def _make_plain(text: str) -> str:
    """Return text for a comment: one line, nothing in it that cannot be printed."""
    return "".join(sign if sign.isprintable() else "·" for sign in " ".join(text.split()))


def _count(number: int, noun: str) -> str:
    return f"{number} {noun}" + "s" * (number != 1)


def _cut_lines(text: bytes, n_lines: int) -> bytes:
    """Return the first lines of a text, at most `_TRIAL_BYTES` of it, cut at a line end if there is one."""
    head = text[:_TRIAL_BYTES]
    position = 0
    for _ in range(n_lines):
        ends = [end for end in (head.find(b"\n", position), head.find(b"\r", position)) if end >= 0]
        if not ends:
            break
        position = min(ends) + 1
    if position == 0 or (position < len(head) == len(text) and len(text.splitlines()) <= n_lines):
        return _whole_characters(head) if len(head) < len(text) else head
    return head[:position]


def _whole_characters(data: bytes) -> bytes:
    return data.decode("utf-8", "ignore").encode()
