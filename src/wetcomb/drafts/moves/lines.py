"""Moves that put lines together, or take some for the names and sums of others."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from contextlib import suppress
from itertools import pairwise

import numpy as np
from msgspec.structs import replace

from wetcomb.combs.memory import make_text
from wetcomb.core.errors import WetCombError
from wetcomb.drafts.moves.restating import find_split, restate
from wetcomb.drafts.named_lines import find_named_lines
from wetcomb.drafts.pricing.chains import Chain, Priced, PricedText
from wetcomb.drafts.record_lines import SampleLines
from wetcomb.drafts.trial import try_split
from wetcomb.steps.split.options import Split
from wetcomb.steps.unwrap.options import Unwrap
from wetcomb.steps.wash.options import Wash

__all__ = [
    "group_by_margin",
    "join_bare",
    "join_wrapped",
    "mend_hyphens",
    "name_lines",
    "wash_first",
]

_LINE_ENDS = re.compile(r"\r\n|\n|\r")
_OVER = 1.5  # lines below one at the margin that names them
_KEYS, _PARTED, _HEADS = 3, 3, 3
_CUT = 0.7  # share of the lines that go on which are as long as any: others ended in a blank
_HEAD_LABEL = re.compile(r"\s*([^\W\d][\w .]{0,24}?)\s?(:|=| -)\s+(\S.*)")
_WORD = re.compile(r"[^\W\d_]+")
_HEAD, _TAIL = re.compile(r"([^\W\d_]+)-(?=\s|$)"), re.compile(r"(?:^|\s{2}|\| ?)\s*([^\W\d_A-Z]+)")


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
            yield restate(priced.chain, place, replace(split, wrapped=True, **key), note)
    reasons = set() if priced.batch.drops is None else set(priced.batch.drops.reasons.tolist())
    if reasons:
        for what in ("blank-line", "rule"):
            note = f"Records stand on several lines, parted by {what.replace('-', ' ')}s."
            yield restate(priced.chain, place, replace(split, wrapped=True, parted_by=what), note)


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
        yield restate(priced.chain, place, replace(split, group=(labelled[0],)), note)
    with suppress(WetCombError):
        raw = text.take(priced.chain.first, priced.chain.last)
        trial = try_split(np.frombuffer(raw, np.uint8), replace(split, heading="none"), 0.0)
        named, notes = find_named_lines(SampleLines.of(trial, split))
        if named:
            yield restate(priced.chain, place, replace(split, **named), " ".join(notes))


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


def wash_first(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain behind a wash, where that takes off what cannot be seen or mends wrong decoding."""
    chain = priced.chain
    if text.said != text.lines and not any(isinstance(step, Wash) for step in chain.steps):
        note = "What cannot be seen, and what was decoded wrongly, is washed off first."
        yield replace(chain, steps=(Wash(), *chain.steps), notes=(*chain.notes, note))


def mend_hyphens(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain with words mended that a hyphen parts at a line's end, where some stand whole too."""
    if not _has_parted_words(text):
        return
    for place, step in enumerate(priced.chain.steps):
        is_join = isinstance(step, Unwrap) or (isinstance(step, Split) and step.wrapped)
        if is_join and not step.hyphens:  # type: ignore[attr-defined]
            note = "Words that a hyphen parts at a line's end are mended."
            yield restate(priced.chain, place, replace(step, hyphens="mend"), note)


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
            yield restate(priced.chain, place, replace(step, glue=""), note)


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


def group_by_margin(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain with lines at the margin that name the records below them, all of which are indented."""
    found = find_split(priced.chain)
    if found is None or found[1].group or found[1].records_at != "newline":
        return
    place, split = found
    before = priced.chain.steps[:place]
    is_washed = all(isinstance(step, Wash) for step in before)
    if not is_washed or split.per_record or split.column_by_column:
        return
    raw = make_text(before, text.take(priced.chain.first, priced.chain.last))
    lines = [line for line in _LINE_ENDS.split(raw.decode()) if line.strip()]
    heads = [k for k, line in enumerate(lines) if not line[0].isspace()]
    is_apart = all(b - a > 1 for a, b in pairwise([*heads, len(lines)]))
    is_single = not any(re.search(r"\s{2}", lines[k].strip()) for k in heads)
    is_over_several = len(lines) - len(heads) >= _OVER * len(heads)  # else they begin records
    if heads[:1] == [0] and len(heads) > 1 and is_apart and is_single and is_over_several:
        note = f"Lines at the margin like {lines[0].strip()[:40]!r} name the records below them: column group."
        step = replace(split, group=(r"regex:(?P<group>\S.*)",))
        yield restate(priced.chain, place, step, note)
