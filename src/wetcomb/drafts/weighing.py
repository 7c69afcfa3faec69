"""How a text is best cut: every candidate tried on a sample and priced, the cheapest few on more.

What the analyst has stated is never overruled: it only leaves fewer candidates.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping, Sequence
from typing import Any

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.combs.engine import EDGE_SHARE, MANY_EDGES
from wetcomb.core.errors import InputError
from wetcomb.core.table import Table
from wetcomb.drafts.candidates import find_candidates, find_quotes
from wetcomb.drafts.layouts import list_layouts
from wetcomb.drafts.options import find_cell_shapes, settle_fields, settle_heading, settle_panels
from wetcomb.drafts.telling import name_cut, tell_cut
from wetcomb.drafts.trial import Trial, try_split
from wetcomb.match.characters import Columns
from wetcomb.match.lines import match_line
from wetcomb.match.marks import NO_DELIMITER
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.split.blank_edges import find_edge_candidates
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import AUTO

__all__ = ["CUTTING", "Weighed", "check_edges_fit", "settle_column", "settle_split", "weigh_split"]

_FIRST_LINES, _MORE_LINES, _TRIAL_BYTES = 400, 2000, 1 << 18


_RUNNERS_UP = 2


class _Sample(msgspec.Struct, frozen=True):
    """The whole sample and two beginnings of it."""

    whole: bytes
    first: bytes
    more: bytes

    @classmethod
    def of(cls, text: bytes) -> _Sample:
        return cls(text, _cut_lines(text, _FIRST_LINES), _cut_lines(text, _MORE_LINES))

    def try_whole(self, winner: Trial) -> Trial:
        """Return a trial made on the first lines, made on all of them."""
        if len(self.first) == len(self.whole):
            return winner
        return try_split(np.frombuffer(self.whole, np.uint8), winner.split, winner.prior)


_HAS_GAP = re.compile(rb"\S(?:  |\t)")


def settle_split(text: bytes, given: Mapping[str, Any]) -> tuple[Split, list[str]]:
    """Return a split with nothing left open, and the evidence line by line."""
    return weigh_split(text, given).settled


class Weighed(msgspec.Struct, frozen=True):
    """How a text is best cut.

    Attributes
    ----------
    whole : the winner on the whole sample
    runners_up : the next ones, on a beginning of it
    settled : the options and what is told of them
    winner : the winner on the same beginning
    plain : bits of a plain line of that beginning; None where that was not tried
    heading_bits : evidence for a heading; None where it was stated, or is beyond doubt
    """

    whole: Trial
    runners_up: Sequence[Trial]
    settled: tuple[Split, list[str]]
    winner: Trial
    plain: float | None = None
    heading_bits: float | None = None


def weigh_split(text: bytes, given: Mapping[str, Any]) -> Weighed:
    """Try all ways to cut a text; return the best with its evidence."""
    if not text.strip():
        raise InputError("this holds nothing but blank lines; there are no records in it")
    text = _without_named_lines(text, given)
    sample = _Sample.of(text)
    winner, runners_up, plain = _choose_cut(sample, given)
    whole = sample.try_whole(winner)
    while runners_up and not given.get("edges") and _cuts_words(whole):
        winner, *runners_up = runners_up  # such edges would stop the run
        whole = sample.try_whole(winner)
    if not whole.rows:
        raise InputError("no line of this makes a record; there is nothing to rebuild")
    notes = tell_cut(whole, winner, runners_up)
    cut = whole.split
    settled = dict(given)
    for name in ("delimiter", "quote", "quote_ends", "edges", "records_at", "per_record", "frame"):
        settled[name] = getattr(cut, name)
    if cut.frame and not given.get("frame"):
        notes.append("A mark before and behind every record is a frame around it, no column.")
    if cut.per_record:
        settled["cell_shapes"] = given.get("cell_shapes") or find_cell_shapes(whole)
    settled["panels"], panel_notes = settle_panels(whole, given)
    notes += panel_notes
    settled["heading"], heading_note, bits = settle_heading(whole, given, settled["panels"])
    notes += heading_note
    settled["fields"], fields_note = settle_fields(
        whole, given, settled["heading"], settled["panels"]
    )
    notes += fields_note
    return Weighed(whole, runners_up, (Split(**settled), notes), winner, plain, bits)


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


def check_edges_fit(split: Split, sample: Callable[[], bytes]) -> None:
    """Raise InputError for edges that lie beyond every line of a text."""
    lines = [line for line in re.split(rb"\r\n|\n|\r", sample()) if line.strip()]
    data = np.frombuffer(b"\n".join(lines), np.uint8)
    feeds = np.flatnonzero(data == 0x0A)
    starts, ends = np.append(0, feeds + 1), np.append(feeds, data.size)
    columns = Columns(data, starts, ends, split.tab_width)
    widest = int(columns.find_columns(ends, np.arange(starts.size)).max())
    beyond = [edge for edge in split.edge_columns if edge >= widest]
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
    known = {
        name: value for name, value in known.items() if name not in ("column", "keep_original")
    }
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


def _choose_cut(
    sample: _Sample, given: Mapping[str, Any]
) -> tuple[Trial, list[Trial], float | None]:
    """Return the cheapest way to cut, the next ones that cut elsewhere, the price of plain lines."""
    first = np.frombuffer(sample.first, np.uint8)
    trials = []
    for split, prior in _list_splits(sample.first.decode(), given):
        trial = try_split(first, split, prior)
        trials.append(trial)
        if trial.n_odd_quotes and "quote_ends" not in given and split.quote_pairs:
            trials.append(try_split(first, replace(split, quote_ends="delimiter"), prior + 8.0))
    ranked = sorted(trials, key=lambda trial: trial.price)
    plain = next((trial for trial in trials if _is_plain(trial.split)), None)
    best = _unlike([ranked[0], *(trial for trial in ranked[1:] if trial.price < math.inf)])
    best = best[: _RUNNERS_UP + 1]
    if len(sample.more) > len(sample.first) and len(best) > 1:
        more = np.frombuffer(sample.more, np.uint8)
        best = [try_split(more, trial.split, trial.prior) for trial in best]
        best.sort(key=lambda trial: trial.price)
    per_line = plain.price_per_record if plain is not None else None
    return best[0], best[1:], per_line


def _is_plain(split: Split) -> bool:
    """Return whether a split leaves each line as it is."""
    return (
        split.delimiter == (NO_DELIMITER,)
        and not split.edges
        and not split.per_record
        and split.records_at == "newline"
    )


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
CUTTING = ("delimiter", "edges", "boundary", "before", "after", "per_record", "each_a_record")


def _list_splits(text: str, given: Mapping[str, Any]) -> list[tuple[Split, float]]:
    """Return the ways to cut that are worth trying, with the bits it takes to say them."""
    stated = {name for name in CUTTING if given.get(name, AUTO) not in (AUTO, (), 0, False)}
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
