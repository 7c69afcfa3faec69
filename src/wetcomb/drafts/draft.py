"""Draft a comb: settle what is left open, from a bounded sample, with the evidence.

Every candidate is tried on the sample's first records and priced; the cheapest few are
tried again on more of it, and the cheapest of these wins. What the analyst has stated is
never overruled: it only leaves fewer candidates.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import msgspec
import numpy as np

from wetcomb.combs.check import make_fits
from wetcomb.combs.comb import Comb
from wetcomb.core.errors import InputError, UsageError, find_nearest
from wetcomb.core.table import Table
from wetcomb.drafts.candidates import find_candidates, find_quotes
from wetcomb.drafts.heading import weigh_heading
from wetcomb.drafts.trial import Trial, try_split
from wetcomb.match.marks import NO_DELIMITER, name_mark
from wetcomb.steps.split import Split
from wetcomb.steps.step import AUTO

__all__ = ["draft", "settle_column", "settle_split"]

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


def draft(text: str | bytes, *, encoding: str = "", **given: Any) -> Comb:
    """Return the comb that would rebuild a text, its evidence in `notes`.

    Parameters
    ----------
    text : the text, or a sample of whole lines from its beginning
    given : options of `Split` that are known already; they are never overruled

    Raises
    ------
    InputError : there are no lines to go by
    UsageError : what is given contradicts itself
    """
    raw = text.encode() if isinstance(text, str) else text
    split, notes = settle_split(raw, given)
    return Comb((split,), encoding, make_fits(split, raw), tuple(notes))


def settle_split(text: bytes, given: Mapping[str, Any]) -> tuple[Split, list[str]]:
    """Return a split with nothing left open, and the evidence line by line."""
    if not text.strip():
        raise InputError("this holds nothing but blank lines; there are no records in it")
    sample = _Sample.of(text)
    winner, runners_up = _choose_cut(sample, given)
    whole = try_split(np.frombuffer(sample.whole, np.uint8), winner.split, winner.prior)
    if not whole.rows:
        raise InputError("no line of this makes a record; there is nothing to rebuild")
    notes = _tell_cut(whole, winner, runners_up)
    settled = dict(given)
    settled.update(
        delimiter=winner.split.delimiter,
        quote=winner.split.quote,
        quote_ends=winner.split.quote_ends,
    )
    settled["header"], heading_note = _settle_heading(whole, given)
    notes += heading_note
    settled["fields"], fields_note = _settle_fields(whole, given, settled["header"])
    notes += fields_note
    return Split(**settled), notes


def settle_column(table: Table, given: Mapping[str, Any]) -> tuple[Split, list[str]]:
    """Return a split of a table's column with nothing left open, and the evidence.

    Parameters
    ----------
    table : what the steps before make of the sample
    """
    known = dict(given) | {"header": "none"}
    known.pop("column")
    places = [_find_place(table, name) for name in given["column"]]
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
        "header": "none",
        "fields": 0 if is_list else split.fields,
    }
    return Split(**settled), [f"Column {' and '.join(given['column'])}: {note}" for note in notes]


def _find_place(table: Table, name: str) -> int:
    if name in table.names:
        return table.names.index(name)
    if name.isdigit() and 0 < int(name) <= len(table.names):
        return int(name) - 1
    raise UsageError(
        f"--column: there is no column {name!r}{find_nearest(name, table.names) or '; there are: ' + ', '.join(table.names)}"
    )


def _choose_cut(sample: _Sample, given: Mapping[str, Any]) -> tuple[Trial, list[Trial]]:
    """Return the cheapest way to cut, and the next ones that cut elsewhere."""
    first = np.frombuffer(sample.first, np.uint8)
    trials = []
    for split, prior in _list_splits(sample.first.decode(), given):
        trial = try_split(first, split, prior)
        trials.append(trial)
        if trial.n_odd_quotes and "quote_ends" not in given and split.quote_pairs:
            options = _options_of(split, given) | {"quote_ends": "delimiter"}
            trials.append(try_split(first, Split(**options), prior + 8.0))
    best = _unlike(sorted(trials, key=lambda trial: trial.price))[: _RUNNERS_UP + 1]
    if len(sample.more) > len(sample.first) and len(best) > 1:
        more = np.frombuffer(sample.more, np.uint8)
        best = [try_split(more, trial.split, trial.prior) for trial in best]
        best.sort(key=lambda trial: trial.price)
    return best[0], best[1:]


def _unlike(trials: list[Trial]) -> list[Trial]:
    """Return the trials without those that cut at the same delimiter as a cheaper one."""
    seen: set[Any] = set()
    kept = []
    for trial in trials:
        if trial.split.delimiter not in seen:
            seen.add(trial.split.delimiter)
            kept.append(trial)
    return kept


def _options_of(split: Split, given: Mapping[str, Any]) -> dict[str, Any]:
    return dict(given) | {"delimiter": split.delimiter, "quote": split.quote}


def _list_splits(text: str, given: Mapping[str, Any]) -> list[tuple[Split, float]]:
    lines = [line for line in text.splitlines() if line.strip()]
    is_stated = given.get("delimiter", AUTO) is not AUTO
    candidates = [("", 0.0)] if is_stated else find_candidates(lines)
    splits = []
    for delimiter, prior in candidates:
        quotes = find_quotes(text, delimiter) if "quote" not in given else [("", 0.0)]
        for quote, quote_prior in quotes:
            options = dict(given)
            if not is_stated:
                options["delimiter"] = delimiter
            if quote:
                options["quote"] = quote
            splits.append((Split(**options), prior + quote_prior))
    return splits


def _settle_heading(whole: Trial, given: Mapping[str, Any]) -> tuple[str, list[str]]:
    stated = given.get("header", AUTO)
    if stated is not AUTO:
        return str(stated), []
    bits = weigh_heading(whole.rows, whole.n_fields)
    doubt = ", but this is doubtful" if abs(bits) < _WEAK_HEADING else ""
    excerpt = _make_plain(", ".join(whole.rows[0])[:60])
    if bits > 0:
        return "first", [f"The first record is the heading ({excerpt}){doubt}."]
    return "none", [
        f"There is no heading: the first record looks like the others ({excerpt}){doubt}."
    ]


def _settle_fields(whole: Trial, given: Mapping[str, Any], header: str) -> tuple[int, list[str]]:
    stated = given.get("fields", AUTO)
    if isinstance(stated, int):
        return stated, []
    if header == "none":
        names = given.get("names", ())
        return (len(names) if names and not given.get("take") else whole.n_fields), []
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
    if whole.split.delimiter == (NO_DELIMITER,):
        notes.append("No delimiter makes a table of this: each line is one field.")
    if whole.split.quote != ("double",):
        notes.append(f"Quote mark: {' '.join(whole.split.quote)}.")
    if whole.split.quote_ends == "delimiter":
        notes.append("Inner marks are not doubled: a quoted field ends only before a delimiter.")
    return notes


def _say_cut(split: Split) -> str:
    return "Not cut" if split.delimiter == (NO_DELIMITER,) else f"Cut at {name_cut(split)}"


def name_cut(split: Split) -> str:
    """Return what a split cuts at, as a person would say it."""
    words = [name_mark(text) for text in split.literals]
    said = [word if word.isalpha() else f"{word!r}" for word in words]
    return " or ".join([*said, split.blanks] if split.blanks else said) or "no delimiter"


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
