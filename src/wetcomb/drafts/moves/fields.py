"""Moves that change columns and what stands in them."""

from __future__ import annotations

import re
from collections.abc import Iterator
from itertools import pairwise

import numpy as np
from msgspec.structs import replace

from wetcomb.core.table import MISSING
from wetcomb.drafts.moves.restating import find_split, restate
from wetcomb.drafts.pricing.chains import Chain, Priced, PricedText
from wetcomb.drafts.pricing.columns import find_rigid
from wetcomb.drafts.pricing.names import is_torn
from wetcomb.drafts.record_lines import TOTAL
from wetcomb.match.marks import QUOTE_WORDS
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.realign.options import Realign
from wetcomb.steps.split.options import Split
from wetcomb.steps.unwrap.options import Unwrap

__all__ = [
    "carry_down",
    "join_columns",
    "quote",
    "realign",
    "space_once",
    "strip_drawn",
    "take_frame_off",
]

_ABSORBING = 6  # columns at the end that may take a surplus
_MOSTLY = 0.8  # share of the values of a column of figures that are some
_LONG = 60  # characters of a value of several lines
_SPREAD, _FEWEST = 0.3, 3  # records with gaps in such a value: their share, and how many at least
_DRAWN, _DRAWN_LEAST = re.compile(r"[\u2500-\u257f\s]*[\u2500-\u257f]\s*"), 0.3


def join_columns(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain with one edge less, where what stands behind it is one blank away wherever both are filled."""
    found, table = find_split(priced.chain), priced.batch.table
    if found is None or table is None or not isinstance(found[1].edges, tuple):
        return
    place, split = found
    edges = found[1].edges
    if len(edges) < 2 or len(table.names) != len(edges) + 1:
        return
    there = table.ends > table.starts
    for nth, edge in enumerate(edges):
        both = there[:, nth] & there[:, nth + 1]
        sources = priced.batch.name_sources[nth : nth + 2]
        are_named = len(sources) == 2 and all(source.is_found for source in sources)
        is_cut = len(sources) == 2 and is_torn(priced.batch, sources[1])
        if are_named and not is_cut:
            continue  # the heading names both
        is_near = bool(both.any()) and bool(
            (table.starts[both, nth + 1] - table.ends[both, nth] <= 1).all()
        )
        units = {table.value(row, nth + 1) for row in range(table.n_records)} - {"", None}
        is_near &= len(units) == 1 or not _are_figures(priced, nth)  # else they are two fields
        if is_near or is_cut:
            fewer = tuple(one for one in edges if one != edge)
            fields = (
                split.fields - 1 if isinstance(split.fields, int) and split.fields else split.fields
            )
            step = replace(split, edges=fewer, fields=fields)
            note = f"Cut at columns {', '.join(map(str, fewer))}: at {edge} values would be parted."
            yield restate(priced.chain, place, step, note)


def _are_figures(priced: Priced, column: int) -> bool:
    """Return whether nearly all values of a column hold figures and no words."""
    table = priced.batch.table
    assert table is not None
    values = [v for row in range(table.n_records) if (v := table.value(row, column))]
    rigid = [find_rigid(value) for value in values]
    return sum(r is not None and r.shape != "words" for r in rigid) >= _MOSTLY * len(values)


def carry_down(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain with the first column's value holding for the records below that leave it blank."""
    table = priced.batch.table
    chain = priced.chain
    if (
        table is None
        or table.n_records < 3
        or any(isinstance(s, Clean) and s.carry for s in chain.steps)
    ):
        return
    n_groups = 0
    while (
        n_groups < len(table.names)
        and (table.starts[1:, n_groups] == table.starts[:-1, n_groups]).any()
        and (table.starts[:, n_groups] != MISSING).all()
        and (table.ends[:, n_groups] > table.starts[:, n_groups]).all()
    ):
        n_groups += 1
    for column in range(n_groups, min(n_groups + 2, len(table.names) - 1)):
        blank = table.ends[:, column] <= table.starts[:, column]
        printed = [table.value(row, column) for row in np.flatnonzero(~blank).tolist()]
        is_anew = all(before != after for before, after in pairwise(printed))
        has_total = any(re.match(TOTAL, value or "") for value in printed)
        is_odd = bool(
            (~blank)[table.snags.records].any()
        )  # what does not fit holds for no other record
        if blank[0] or blank.sum() < 2 or not is_anew or has_total or is_odd:
            return
        names = tuple(str(k + 1) for k in range(n_groups, column + 1))
        note = f"{table.names[column]} is printed only where it changes; carried down."
        if isinstance(chain.steps[-1], Clean):
            yield restate(chain, len(chain.steps) - 1, replace(chain.steps[-1], carry=names), note)
        else:
            yield replace(
                chain, steps=(*chain.steps, Clean(carry=names)), notes=(*chain.notes, note)
            )


def realign(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain with columns that may be missing where records are short, or that take a surplus."""
    table = priced.batch.table
    found = find_split(priced.chain)
    if table is None or found is None or len(table.names) < 3 or not table.snags.n_records:
        return
    if found[0] + 1 != len(priced.chain.steps) or len(set(table.names)) < len(table.names):
        return
    steps, notes = priced.chain.steps, priced.chain.notes
    columns = range(len(table.names))
    missing = (table.starts == MISSING).mean(axis=0)
    optional = [column for column in columns[2:] if missing[column]]
    if (
        table.snags.n_records > 1
        and optional
        and optional[-1] == columns[-1]
        and missing[optional[0]] < 1
    ):
        names = tuple(table.names[column] for column in optional)
        note = f"{', '.join(names)} may be missing in a record."
        yield replace(priced.chain, steps=(*steps, Realign(optional=names)), notes=(*notes, note))
    if (table.rest_starts != MISSING).any():
        for column in columns[-_ABSORBING:]:
            name = table.names[column]
            note = f"{name} takes what a record has too much."
            step = Realign(absorb=(name,))
            yield replace(priced.chain, steps=(*steps, step), notes=(*notes, note))


def take_frame_off(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain with marks around every record for a frame."""
    found = find_split(priced.chain)
    table = priced.batch.table
    if found is None or table is None or found[1].frame or found[1].edges or len(table.names) < 4:
        return
    place, split = found
    is_bare = (table.ends <= table.starts).mean(axis=0) > 0.9
    if is_bare[0] and is_bare[-1]:
        fields = split.fields - 2 if isinstance(split.fields, int) and split.fields else 0
        yield restate(priced.chain, place, replace(split, frame=True, fields=fields))


def space_once(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain with one blank for several within values that were put together: text filled to the line."""
    table, steps = priced.batch.table, priced.chain.steps
    is_joined = any(
        isinstance(s, Unwrap) or (isinstance(s, Split) and s.wrapped) or getattr(s, "multiline", ())
        for s in steps
    )
    if table is None or not is_joined or any(isinstance(step, Clean) for step in steps):
        return
    values = [
        table.value(row, k) or "" for row in range(table.n_records) for k in range(len(table.names))
    ]
    gapped = sum("  " in value and len(value) > _LONG for value in values)
    if gapped >= max(_FEWEST, _SPREAD * table.n_records):
        note = "Several blanks within values are made one: their lines were filled to one width."
        yield replace(
            priced.chain, steps=(*steps, Clean(one_space=True)), notes=(*priced.chain.notes, note)
        )


def strip_drawn(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain with what a tree is drawn of taken off the values of a column."""
    table, steps = priced.batch.table, priced.chain.steps
    if table is None or any(isinstance(step, Clean) for step in steps):
        return
    for column, name in enumerate(table.names):
        values = [table.value(row, column) or "" for row in range(table.n_records)]
        drawn = [found[0] for value in values if (found := _DRAWN.match(value))]
        if len(drawn) >= _DRAWN_LEAST * len(values) and len(drawn) > 1:
            marks = "".join(sorted(set("".join(drawn))))
            note = f"What the tree is drawn of is taken off the values of {name}."
            step = Clean(strip=(f"{column + 1}={marks}",))
            yield replace(priced.chain, steps=(*steps, step), notes=(*priced.chain.notes, note))


def quote(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain with another quote mark, where one opens a value and closes one."""
    found, table = find_split(priced.chain), priced.batch.table
    if found is None or table is None or not found[1].literals:
        return
    place, split = found
    values = [
        table.value(row, column) or ""
        for row in range(table.n_records)
        for column in range(len(table.names))
    ]
    values += [table.rest(row) or "" for row in range(table.n_records)]
    for word, mark in QUOTE_WORDS.items():
        opens = any(value.startswith(mark) for value in values)
        if opens and any(value.endswith(mark) for value in values) and split.quote != (word,):
            note = f"Quote mark: {word}."
            yield restate(priced.chain, place, replace(split, quote=(word,)), note)
