"""Numbered sections, trees whose records stand indented under headings, bullets of several levels."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from itertools import pairwise

from wetcomb.drafts.pricing.chains import Chain
from wetcomb.drafts.proposals.body import Body
from wetcomb.drafts.proposals.marked import list_marks
from wetcomb.drafts.proposals.starts import BULLET
from wetcomb.match.marks import name_mark
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.realign.options import Realign
from wetcomb.steps.split.options import Split
from wetcomb.steps.unwrap.options import Unwrap

__all__ = ["propose"]

_DEEPEST = 3  # levels above the records
_NUMBER = re.compile(r"\s*(\d{1,3}(?:\.\d{1,3})*)\.?\s+\S")
_LEAST = 3


def propose(body: Body) -> Iterator[Chain]:
    """Yield chains for outlines and trees."""
    numbered = [k for k in body.full if _NUMBER.match(body.lines[k])]
    if len(numbered) >= _LEAST:
        depths = {
            found[1].count(".") + 1 for k in numbered if (found := _NUMBER.match(body.lines[k]))
        }
        for level in sorted(depths)[:3]:
            split = Split(
                delimiter=("none",),
                records_at=f"heading:{level}",
                heading="none",
            )
            for first, last in [*body.list_windows(1, 2)][:4]:
                if first <= numbered[0]:
                    note = f"An outline: a record for each numbered heading of level {level}."
                    yield body.make_chain((split,), numbered[0], last, note)
    yield from _propose_trees(body)
    yield from _propose_bullets(body)


def _propose_bullets(body: Body) -> Iterator[Chain]:
    """Yield the chain for entries with a sign before each that tells its level."""
    found = {k: at[1] for k in body.full if (at := BULLET.match(body.lines[k]))}
    signs = list(dict.fromkeys(found.values()))
    if not 2 <= len(signs) <= _DEEPEST + 1:
        return
    counts = Counter(found.values())
    if counts[signs[-1]] < _LEAST or sorted(counts[sign] for sign in signs) != [
        counts[sign] for sign in signs
    ]:
        return  # what is further in stands more often
    last = max(k for k, sign in found.items() if sign == signs[-1])
    behind = next((k for k in range(last + 1, len(body.lines)) if not body.lines[k].strip()), None)
    groups = tuple(
        rf"regex:^\s*{re.escape(sign)}\s+(?P<level_{place}>\S.*)$"
        for place, sign in enumerate(signs[:-1], 1)
    )
    joined = Unwrap(starts=(rf"regex:^\s*[{re.escape(''.join(signs))}]\s",))
    split = Split(delimiter=("none",), group=groups, heading="none", fields=1, quote=("none",))
    clean = Clean(strip=(f"{len(signs)}={signs[-1]}",))
    note = f"Entries of {len(signs)} levels, told by the signs {' '.join(signs)}: a record for each {signs[-1]}."
    yield body.make_chain((joined, split, clean), min(found), behind, note)


def _propose_trees(body: Body) -> Iterator[Chain]:
    """Yield chains for records that stand indented under one or two levels of headings."""
    indents = {
        k: body.lines[k][: len(body.lines[k]) - len(body.lines[k].lstrip())] for k in body.full
    }
    levels = sorted(set(indents.values()), key=len)
    if not 2 <= len(levels) <= 4:
        return
    deepest = levels[-1]
    records = [k for k in body.full if indents[k] == deepest]
    if len(records) < _LEAST:
        return
    above = [
        level
        for level in levels[:-1]
        if any(indents[k] == level and k < records[-1] for k in body.full)
    ]
    inside = [k for k in body.full if k <= records[-1]]
    for n_levels in range(1, min(2, len(above)) + 1):
        used = above[-n_levels:]
        heads = [k for k in inside if indents[k] in used]
        starts = [k for k in inside if indents[k] == used[0]]
        first_record = next((k for k in inside if k > starts[0] and indents[k] == deepest), None)
        counts_above = [sum(indents[k] == level for k in inside) for level in used]
        is_broader = all(a <= b for a, b in pairwise([*counts_above, len(records)]))
        if first_record is None or len(heads) < 2 or not is_broader:
            continue
        first = max(k for k in starts if k < first_record)
        groups = tuple(
            f"regex:^{re.escape(level)}(?P<level_{place}>\\S.*)$"
            for place, level in enumerate(used, 1)
        )
        lines = [body.lines[k] for k in records]
        for mark in [*list_marks(lines)[:2], "gap", "none"]:
            counts = [line.count(mark) for line in lines]
            fields = max(set(counts), key=counts.count) + 1 if mark not in ("gap", "none") else 1
            if mark == "gap":
                fields = max(len(re.split(r" {2,}|\t", line.strip())) for line in lines)
            if fields < 2 and mark != "none":
                continue
            split = Split(
                delimiter=(name_mark(mark),), group=groups, heading="none", fields=fields, quote=("none",)
            )  # fmt: skip
            note = f"A tree: {len(records)} records under {len(heads)} headings that are indented less."
            yield body.make_chain((split,), first, records[-1] + 1, note)
            if fields == max(counts) + 1 > 1 and min(counts) < max(counts) and mark != "gap":
                last = f"field-{fields}"
                realign = Realign(optional=(last,))
                note = f"{note} {last} may be missing in a record."
                yield body.make_chain((split, realign), first, records[-1] + 1, note)
