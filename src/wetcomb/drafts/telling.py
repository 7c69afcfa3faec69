"""What was weighed, in words: how a text is cut, and what came next."""

from __future__ import annotations

import math

from wetcomb.core.inspection import RUNNERS_UP
from wetcomb.drafts.trial import Trial
from wetcomb.match.marks import LINE_WORD, name_mark
from wetcomb.steps.split.options import Split

__all__ = ["count_noun", "make_plain", "name_cut", "tell_cut"]

_NARROW = 10.0  # bits; a runner-up so close to the winner makes the choice doubtful


def tell_cut(whole: Trial, winner: Trial, runners_up: list[Trial]) -> list[str]:
    fitting, total = whole.n_fitting, len(whole.rows)
    hardly = "; that cuts hardly any of them" if winner.price == math.inf else ""
    n_fields = count_noun(whole.n_fields, "field")
    notes = [f"{_say_cut(whole.split)}: {n_fields} in {fitting} of {total} records{hardly}."]
    if runners_up:
        tried = "; ".join(
            f"{name_cut(trial.split)}, {count_noun(trial.n_fields, 'field')} in {trial.n_fitting} of {len(trial.rows)}"
            for trial in runners_up
        )
        notes.append(f"{RUNNERS_UP}: {tried}.")
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


def make_plain(text: str) -> str:
    """Return text for a comment: one line, nothing in it that cannot be printed."""
    return "".join(sign if sign.isprintable() else "·" for sign in " ".join(text.split()))


def count_noun(number: int, noun: str) -> str:
    return f"{number} {noun}" + "s" * (number != 1)
