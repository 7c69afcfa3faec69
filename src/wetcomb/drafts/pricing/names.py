"""What the names of columns cost, and what they are worth: a heading says what stands below."""

from __future__ import annotations

import re
from collections.abc import Sequence

from wetcomb.core.batch import Batch, NameSource
from wetcomb.core.table import Table
from wetcomb.drafts.pricing.columns import find_rigid
from wetcomb.drafts.pricing.terms import find_common_start
from wetcomb.drafts.pricing.tokens import Tokens
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step

__all__ = ["is_torn", "price_names", "takes_in_record"]

_HEADING, _HEADING_WITH_DIGITS = 20.0, 8.0  # what names are worth that say what stands below
_CAPITALS = 10.0  # a heading in capitals over values that are not
_TITLE = 40.0  # words that all names begin with: a line above them that is no name
_UNPLACED = 25.0  # upper words of a heading that blanks part: what they stand over is not told
_ODD_NAME = 30.0  # a name with a gap in it: it may be two; one with a piece of a rule
_GAPS = re.compile(r"  |\t|([^\w\s.])\1{3}")
_UNCUT = 60.0  # a name that holds what parts fields: it is several
_LABEL = 15.0  # a name that ends as a label does
_TORN = 40.0  # a word of the heading that a cut goes through
_SWALLOWED = 60.0  # names that take in a record
_LIKE = 14.0  # a name that looks like the figures below it
_OVER, _MOST_OVER, _MOSTLY = 8.0, 20.0, 0.6  # what a name over figures speaks for itself
_TWICE, _LACKING, _SEVERAL = 30.0, 6.0, 4.0  # two of one name, one too few, several lines of them
_LONGEST = 4  # bytes of a character
_PARTING, _MOST = (": ", "; "), 0.9  # marks that part what stands in a value, in how many of them
_TOP = 8  # records that a name is held against


def price_names(batch: Batch, steps: Sequence[Step], lines: Sequence[str], tokens: Tokens) -> float:
    """Return the bits of the names that a text gives to the columns of a batch, less what they are worth.

    Parameters
    ----------
    lines : which hold names and nothing else
    """
    table = batch.table
    assert table is not None
    names = table.names
    found = [name for name, s in zip(names, batch.name_sources, strict=False) if s.is_found]
    if not found and not lines:
        return 0.0
    said = dict.fromkeys(line.strip() for line in lines)
    bits = sum(map(tokens.price, said)) + 1.0 * (len(lines) - len(said))
    if not lines:  # it stands on one line with records
        bits = sum(map(tokens.price, found))
    has_digits = any(any(map(str.isdecimal, name)) for name in found)
    bits -= _HEADING_WITH_DIGITS if has_digits else _HEADING
    bare = [re.sub(r"-\d+$", "", name) for name in names]
    bits += _TWICE * (len(set(bare)) < len(bare)) + _LACKING * (len(found) < len(names))
    bits += _UNPLACED * any(
        isinstance(step, Split) and step.blanks != "" and step.n_heading > 1 for step in steps
    )
    bits -= _CAPITALS * _is_in_capitals(table, found)
    bits += _TITLE * (" " in find_common_start(names) and len(names) > 1)
    bits += _ODD_NAME * sum(_GAPS.search(name.strip()) is not None for name in names)
    bits += _LABEL * sum(name.endswith(":") for name in names)
    marks = [
        m for step in steps if isinstance(step, Split) and step.cuts != "all" for m in step.literals
    ]
    bits += _UNCUT * any(mark in name for mark in marks if mark.strip() for name in names)
    bits += _TORN * sum(is_torn(batch, source) for source in batch.name_sources)
    kinds = [_hold_against_below(table, column, name) for column, name in enumerate(names)]
    bits += _LIKE * kinds.count("like") - min(_MOST_OVER, _OVER * kinds.count("over"))
    bits += _SWALLOWED * (takes_in_record(table) or _is_sentence(table))
    return bits + _SEVERAL * (len(lines) > 1)


def _is_in_capitals(table: Table, names: Sequence[str]) -> bool:
    """Return whether a heading alone is in capitals."""
    below = [
        table.value(row, column) or ""
        for row in range(min(table.n_records, _TOP))
        for column in range(len(table.names))
    ]
    return "".join(names).isupper() and 2 * sum(map(str.isupper, below)) < len(below)


def is_torn(batch: Batch, source: NameSource) -> bool:
    """Return whether a name begins within a word."""
    if not source.spans:
        return False
    data, start = batch.text.data, source.spans[0][0]
    left = data[max(0, start - _LONGEST) : start].tobytes().decode(errors="ignore")
    right = data[start : start + _LONGEST].tobytes().decode(errors="ignore")
    return left[-1:].isalnum() and right[:1].isalnum()


def takes_in_record(table: Table) -> bool:
    """Return whether most names of several words end in a figure of the kind that stands below: a record is among them."""
    ends = [name.split()[-1] if " " in name and name.split() else "" for name in table.names]
    taken = [_hold_against_below(table, k, end) == "like" for k, end in enumerate(ends) if end]
    return len(taken) > 1 and sum(taken) >= _MOSTLY * len(table.names)


def _is_sentence(table: Table) -> bool:
    """Return whether a name holds a mark within as the values below it do: it is the first of them."""
    for column, name in enumerate(table.names):
        below = [table.value(row, column) or "" for row in range(min(table.n_records, _TOP))]
        if len(below) > 1 and any(
            mark in name and sum(mark in value for value in below) >= _MOST * len(below)
            for mark in _PARTING
        ):
            return True
    return False


def _hold_against_below(table: Table, column: int, name: str) -> str:
    """Return whether a name looks `like` the figures below it, or is none and stands `over` figures."""
    rigid = find_rigid(name)
    below = [table.value(row, column) or "" for row in range(min(table.n_records, _TOP))]
    shapes = [found.shape if (found := find_rigid(value)) else "" for value in below if value]
    if rigid is None or rigid.shape == "words":
        n_figures = sum(any(map(str.isdecimal, value)) for value in below)
        is_name = bool(name) and not any(map(str.isdecimal, name))
        return "over" if is_name and n_figures >= _MOSTLY * len(shapes) > 0 else ""
    return "like" if 2 * shapes.count(rigid.shape) > len(shapes) else ""
