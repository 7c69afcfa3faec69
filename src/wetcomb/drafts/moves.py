"""Moves that a chain may be grown by, one at a time, as long as its price falls."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import suppress
from itertools import pairwise

import numpy as np
from msgspec.structs import replace

from wetcomb.core.cutting.layout import is_rule
from wetcomb.core.errors import WetCombError
from wetcomb.core.table import MISSING
from wetcomb.drafts.named_lines import find_named_lines
from wetcomb.drafts.pricing.chains import Chain, Priced, PricedText
from wetcomb.drafts.record_lines import TOTAL, SampleLines
from wetcomb.drafts.trial import try_split
from wetcomb.match.marks import QUOTE_WORDS
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.realign.options import Realign
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step
from wetcomb.steps.unwrap.options import Unwrap

__all__ = ["MOVES", "find_split"]

_OVER = 1.5  # lines below one at the margin that names them
_KEYS, _PARTED, _HEADS, _ABSORBING = 3, 3, 3, 6
_CUT = 0.7  # share of the lines that go on which are as long as any: others ended in a blank
_THIN = 0.2  # share of the records that fill a column which may be none
_HEAD_LABEL = re.compile(r"\s*([^\W\d][\w .]{0,24}?)\s?(:|=| -)\s+(\S.*)")
_DRAWN, _DRAWN_LEAST = re.compile(r"[\u2500-\u257f\s]*[\u2500-\u257f]\s*"), 0.3
_WORD = re.compile(r"[^\W\d_]+")
_HEAD, _TAIL = re.compile(r"([^\W\d_]+)-(?=\s|$)"), re.compile(r"(?:^|\s{2}|\| ?)\s*([^\W\d_A-Z]+)")


def find_split(chain: Chain) -> tuple[int, Split] | None:
    """Return the split that makes the table, and its place; None where another step does."""
    for place, step in enumerate(chain.steps):
        if isinstance(step, Split) and not step.column:
            return place, step
    return None


def _restate(chain: Chain, place: int, step: Step, note: str = "") -> Chain:
    steps = (*chain.steps[:place], step, *chain.steps[place + 1 :])
    return replace(chain, steps=steps, notes=(*chain.notes, note) if note else chain.notes)


def take_heading(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain with its first record, or its first two lines, for a heading."""
    found = find_split(priced.chain)
    if found is None or found[1].heading != "none" or found[1].outline_level:
        return
    place, split = found
    if split.per_record or split.edges or split.cuts != "all":
        yield _restate(priced.chain, place, replace(split, heading="first"))
    else:
        yield _restate(priced.chain, place, replace(split, heading="first", fields=0))
    if split.edges and not split.wrapped:
        yield _restate(priced.chain, place, replace(split, heading=2))


def take_in(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain with the lines right above it as a heading, or a further line of it."""
    found, chain = find_split(priced.chain), priced.chain
    if found is None or not found[1].edges or not chain.first:
        return
    place, split = found
    above = [k for k in range(max(0, chain.first - 3), chain.first) if text.lines[k].strip()]
    solid = [k for k in above if not is_rule(text.lines[k].encode())]
    if solid:
        wider = replace(chain, first=solid[-1])
        for heading in ("first", 2) if split.heading == "none" else (2, 3):
            yield _restate(wider, place, replace(split, heading=heading))


def leave_out(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain over less of the text: without the first or last stretch, or line."""
    chain, found = priced.chain, find_split(priced.chain)
    if found is not None and found[1].column_by_column:
        return  # a block less is a column less
    lines = text.lines
    full = [k for k in range(chain.first, chain.last) if lines[k].strip()]
    if len(full) < 4:
        return
    blank = [k for k in range(full[0], full[-1]) if not lines[k].strip()]
    if blank:
        begin = next(k for k in full if k > blank[0])
        end = max(k for k in full if k < blank[-1])
        yield replace(chain, first=begin)
        yield replace(chain, last=end + 1)
    yield replace(chain, first=full[1])
    yield replace(chain, last=full[-2] + 1)


def join_wrapped(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain with lines that go on under their columns joined to the record above."""
    found = find_split(priced.chain)
    table = priced.batch.table
    if found is None or not found[1].edges or found[1].wrapped or table is None:
        return
    place, split = found
    for column in range(min(_KEYS, len(table.names))):
        blank = table.ends[:, column] <= table.starts[:, column]
        if 0 < blank.sum() < table.n_records:
            key = {"key": str(column + 1)} if column else {}
            note = f"A line that is blank in column {column + 1} goes on with the record above."
            yield _restate(priced.chain, place, replace(split, wrapped=True, **key), note)
    reasons = set() if priced.batch.drops is None else set(priced.batch.drops.reasons.tolist())
    if reasons:
        for what in ("blank-line", "rule"):
            note = f"Records stand on several lines, parted by {what.replace('-', ' ')}s."
            yield _restate(priced.chain, place, replace(split, wrapped=True, parted_by=what), note)


def join_columns(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain with one edge less, where a column beside it is hardly filled or one blank away wherever it is."""
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
        if len(sources) == 2 and all(source.is_found for source in sources):
            continue  # the heading names both
        is_near = bool(both.any()) and bool(
            (table.starts[both, nth + 1] - table.ends[both, nth] <= 1).all()
        )
        is_thin = min(there[:, nth].mean(), there[:, nth + 1].mean()) <= _THIN
        if is_near or is_thin:
            fewer = tuple(one for one in edges if one != edge)
            fields = (
                split.fields - 1 if isinstance(split.fields, int) and split.fields else split.fields
            )
            step = replace(split, edges=fewer, fields=fields)
            note = f"Cut at columns {', '.join(map(str, fewer))}: at {edge} values would be parted."
            yield _restate(priced.chain, place, step, note)


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
            yield _restate(chain, len(chain.steps) - 1, replace(chain.steps[-1], carry=names), note)
        else:
            yield replace(
                chain, steps=(*chain.steps, Clean(carry=names)), notes=(*chain.notes, note)
            )


def name_lines(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain with group lines and total lines named."""
    found = find_split(priced.chain)
    if found is None or found[1].group or found[1].totals or found[1].wrapped:
        return
    place, split = found
    if (
        split.records_at != "newline"
        or split.per_record
        or split.column_by_column
        or split.boundary
    ):
        return
    if any(isinstance(step, Unwrap) for step in priced.chain.steps[:place]):
        return
    labelled = _find_labelled(text, priced)
    if labelled:
        note = f"Lines like {labelled[1]!r} name the records below them: column {labelled[2]}."
        yield _restate(priced.chain, place, replace(split, group=(labelled[0],)), note)
    with suppress(WetCombError):
        raw = text.take(priced.chain.first, priced.chain.last)
        trial = try_split(np.frombuffer(raw, np.uint8), replace(split, heading="none"), 0.0)
        named, notes = find_named_lines(SampleLines.of(trial, split))
        if named:
            yield _restate(priced.chain, place, replace(split, **named), " ".join(notes))


def _find_labelled(text: PricedText, priced: Priced) -> tuple[str, str, str] | None:
    """Return the pattern of lines with one label that stand above records, one of them, the label."""
    chain = priced.chain
    inside = [k for k in range(chain.first, chain.last) if text.lines[k].strip()]
    found = {k: match for k in inside if (match := _HEAD_LABEL.fullmatch(text.lines[k]))}
    kinds = {k: (match[1], match[2], match.start(1)) for k, match in found.items()}
    counts = Counter(kinds.values())
    for kind, number in counts.most_common(2):
        label, mark, margin = kind
        mine = [k for k in kinds if kinds[k] == kind]
        is_apart = all(b - a > 1 for a, b in pairwise(mine))
        is_above = inside.index(mine[0]) <= _HEADS
        if not (2 <= number <= len(inside) // 2 and is_apart and is_above and "{" not in label):
            continue
        pattern = f"{label}{mark} {{any as {label}}}"
        if number < sum(other[:2] == kind[:2] for other in kinds.values()):  # a value that goes on
            if margin or not label.isidentifier():
                continue
            pattern = rf"regex:{label}{re.escape(mark)}\s+(?P<{label}>\S.*)"
        return pattern, text.lines[mine[0]].strip(), label
    return None


def mend_hyphens(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain with words mended that a hyphen parts at a line's end, where some stand whole too."""
    if not _has_parted_words(text):
        return
    for place, step in enumerate(priced.chain.steps):
        is_join = isinstance(step, Unwrap) or (isinstance(step, Split) and step.wrapped)
        if is_join and not step.hyphens:  # type: ignore[attr-defined]
            note = "Words that a hyphen parts at a line's end are mended."
            yield _restate(priced.chain, place, replace(step, hyphens="mend"), note)


def _has_parted_words(text: PricedText) -> bool:
    """Return whether words that a hyphen parts at a line's end stand whole elsewhere, or there are several."""
    words = {word.casefold() for line in text.lines for word in _WORD.findall(line)}
    n_parted = n_whole = 0
    for line, below in pairwise(text.lines):
        for head in _HEAD.findall(line):
            tail = next((found[1] for found in [_TAIL.search(below)] if found), "")
            if tail:
                n_parted += 1
                n_whole += (head + tail).casefold() in words
    return n_whole > 0 or n_parted >= _PARTED


def join_bare(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain with lines joined as they stand, where they were all cut at one width."""
    for place, step in enumerate(priced.chain.steps):
        if isinstance(step, Unwrap) and step.glue and _is_cut_at_width(text, priced):
            note = "Lines are joined as they stand: all that go on are of one width."
            yield _restate(priced.chain, place, replace(step, glue=""), note)


def _is_cut_at_width(text: PricedText, priced: Priced) -> bool:
    """Return whether the lines that go on in the next one are as long as the longest line."""
    table = priced.batch.table
    assert table is not None
    firsts, lasts = table.line_numbers(np.arange(table.n_records))
    offset = text.first_line
    on = [
        line - offset
        for first, last in zip(firsts.tolist(), lasts.tolist(), strict=True)
        for line in range(first, last)
    ]
    lengths = [len(text.lines[line]) for line in on if text.lines[line].strip()]
    longest = max(map(len, text.lines[priced.chain.first : priced.chain.last]))
    n_whole = sum(length == longest for length in lengths)
    return len(lengths) > 1 and n_whole >= _CUT * len(lengths)


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
        yield _restate(priced.chain, place, replace(split, frame=True, fields=fields))


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


def group_by_margin(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain with lines at the margin that name the records below them, all of which are indented."""
    found = find_split(priced.chain)
    if found is None or found[1].group or found[1].records_at != "newline":
        return
    place, split = found
    if place or split.per_record or split.column_by_column:
        return
    lines = [line for line in text.lines[priced.chain.first : priced.chain.last] if line.strip()]
    heads = [k for k, line in enumerate(lines) if not line[0].isspace()]
    is_apart = all(b - a > 1 for a, b in pairwise([*heads, len(lines)]))
    is_single = not any(re.search(r"\s{2}", lines[k].strip()) for k in heads)
    is_over_several = len(lines) - len(heads) >= _OVER * len(heads)  # else they begin records
    if heads[:1] == [0] and len(heads) > 1 and is_apart and is_single and is_over_several:
        note = f"Lines at the margin like {lines[0].strip()[:40]!r} name the records below them: column group."
        step = replace(split, group=(r"regex:(?P<group>\S.*)",))
        yield _restate(priced.chain, place, step, note)


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
            yield _restate(priced.chain, place, replace(split, quote=(word,)), note)


#: Every move there is.
MOVES: tuple[Callable[[PricedText, Priced], Iterator[Chain]], ...] = (
    take_heading, take_in, take_frame_off, name_lines, group_by_margin, strip_drawn, quote, join_wrapped, join_columns, carry_down, mend_hyphens, join_bare, realign, leave_out,
)  # fmt: skip
