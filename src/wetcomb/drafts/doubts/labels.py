"""Doubts about labelled fields: what their values hold, and what no label claims."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator

import numpy as np

from wetcomb.core.doubts import Doubt
from wetcomb.drafts.doubts.seen import Drafted, Raised
from wetcomb.drafts.telling import count_noun
from wetcomb.match.mail_heads import find_heads
from wetcomb.match.shapes import TYPED, find_shape

__all__ = ["find_label_doubts"]

_LABEL = re.compile(r"(?:^|[;,|]\s*|\s{2,})([^\W\d_][^:=;,|]{0,30}?)\s*[:=](?!//)(?:\s|$)")
_SHARE = 0.15  # of the lines that no label claims, other than those that all blocks have
_ALONE = re.compile(r"[^\W\d_][^:=]{0,30}:")  # a label whose value is below
_EACH, _FEW = 0.8, 4  # of them such as hold one value: in each record, and how many at least
_FULL = 3  # labels that records mostly have, from which one that has a single one is odd
_FIRM = TYPED | {"code"}
_GLUED = re.compile(r"[a-zà-ÿа-я)\d]([A-ZÀ-ÝА-Я][^\W\d_]+):\s")


def find_label_doubts(seen: Drafted) -> Iterator[Raised]:
    """Yield what speaks against labels that were worked out."""
    held: Counter[str] = Counter()
    rows: dict[str, list[int]] = {}
    for _, row, value in seen.iter_values():
        for match in [*_LABEL.finditer(value), *_GLUED.finditer(value)]:
            held[match[1]] += 1
            rows.setdefault(match[1], []).append(row)
    known = set(seen.table.names)
    odd = [(label, n) for label, n in held.most_common() if n > 1 or label in known]
    if odd:
        label, number = odd[0]
        said = f"{label!r} stands in {count_noun(number, 'value')} as labels do"
        yield Raised(Doubt("labels", said, seen.list_lines(rows[label][:3])))
        return
    filled = (seen.table.starts >= 0).sum(axis=1)
    thin = np.flatnonzero(filled == 1)
    if thin.size and np.median(filled) >= _FULL:
        name = seen.table.names[int(np.argmax(seen.table.starts[thin[0]] >= 0))]
        said = f"{count_noun(thin.size, 'record')} {'has' if thin.size == 1 else 'have'} only one label, first {name!r}"
        yield Raised(Doubt("labels", said, seen.list_lines(thin[:3].tolist())))
        return
    heads = find_heads([line.encode() for line in seen.inside.decode().splitlines()])
    every = seen.inside.decode().splitlines()
    in_heads = {line.strip() for a, b in heads for line in every[a:b]}
    lines = [line for line in _list_unclaimed(seen) if line not in in_heads]
    again = Counter(lines)
    single = [line for line in lines if 2 * again[line] < seen.n_records or again[line] < 2]
    alone = [line for line in single if _ALONE.fullmatch(line)]
    if alone and any(line.strip(" >\t:") in known for line in every if ":" in line):
        said = f"{alone[0]!r} stands in a block as labels do, and no label claims it"
        yield Raised(Doubt("labels", said))
        return
    firm = sum(find_shape(line) in _FIRM for line in single)
    is_each = firm >= max(_FEW, _EACH * seen.n_records)
    if is_each or len(single) > max(1, _SHARE * len(seen.lines)):
        said = f"{len(single)} of {count_noun(len(seen.lines), 'line')} stand in blocks and no label claims them, first {single[0][:50]!r}"
        yield Raised(Doubt("labels", said))


def _list_unclaimed(seen: Drafted) -> list[str]:
    """Return the lines that no label claims."""
    found = [charge for charge in seen.batch.charges if charge.reason == "unclaimed"]
    starts = np.concatenate([np.zeros(0, np.int64), *(charge.starts for charge in found)])
    ends = np.concatenate([np.zeros(0, np.int64), *(charge.ends for charge in found)])
    values = seen.table.ends[seen.table.ends <= seen.batch.text.body_size]
    last = int(values.max()) if values.size else 0  # what stands behind all values is a closing
    spans = [span for span in zip(starts.tolist(), ends.tolist(), strict=True) if span[0] < last]
    return [line for span in spans if (line := seen.batch.text.value(*span).strip())]
