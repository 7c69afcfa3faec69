"""Who claims what: values of labels, of anchors, of the first lines of blocks; and what is left."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from wetcomb.core.arrays import Ints, is_among, sort_unique
from wetcomb.core.cutting.recut import trim
from wetcomb.steps.pull.anchors import Taken
from wetcomb.steps.pull.blocks import Blocks, MailHead
from wetcomb.steps.pull.laying import Claims
from wetcomb.steps.pull.line_labels import Labels
from wetcomb.steps.pull.lines import Lines
from wetcomb.steps.pull.values import Values

__all__ = [
    "Parts",
    "claim",
    "claim_left",
    "find_before",
    "join_spans",
    "keep_first_heads",
    "leave_inner",
]


class Parts(msgspec.Struct, eq=False):
    """The blocks of some lines: the first line of each and the one behind it, the block of every line."""

    begins: Ints
    ends: Ints
    of_lines: Ints


def keep_first_heads(
    labels: Labels, heads: Sequence[MailHead], parts: Parts
) -> tuple[Labels, Ints]:
    """Return the labels that stand in blocks, in heads of mails only in the first of each; and where these end."""
    head_ends = np.zeros(parts.of_lines.size, np.int64)
    is_text = parts.of_lines < 0
    seen: set[int] = set()
    for head in heads:
        block = int(parts.of_lines[head.first])
        head_ends[head.first : head.end] = head.end
        is_text[head.first : head.end] |= block in seen
        seen.add(block)
    kept = labels.select(~is_text[labels.lines])
    return kept, head_ends[kept.lines]


def leave_inner(
    lines: Lines, labels: Labels, head_ends: Ints, of_lines: Ints
) -> tuple[Labels, Ints]:
    """Return labels without those that stand within a value, going by their own block.

    A form prints each of its labels once. So one right behind the mark of another is that one's
    value, where it begins another line of its block; and so is one that begins its line deeper
    than the same label did before.
    """
    if not labels.lines.size:
        return labels, head_ends
    is_first = np.append(True, labels.lines[1:] != labels.lines[:-1])
    n_labels = int(labels.labels.max()) + 1
    keys = of_lines[labels.lines] * n_labels + labels.labels
    kept = np.ones(keys.size, np.bool_)
    near = np.flatnonzero(~is_first)
    near = near[labels.starts[near] == labels.values[near - 1]]  # no value stands between
    near = near[lines.data[labels.starts[near] - 2] != 0x20]
    if near.size:
        kept[near] = ~is_among(keys[near], keys[is_first])
    order = np.argsort(keys, kind="stable")
    again = np.flatnonzero(keys[order][1:] == keys[order][:-1]) + 1
    if again.size:
        depths = (lines.begins - lines.starts)[labels.lines]
        before, here = order[again - 1], order[again]
        kept[here[is_first[here] & (depths[here] > depths[before])]] = False
    if kept.all():
        return labels, head_ends
    gone = np.flatnonzero(~kept)
    before = np.maximum.accumulate(np.where(kept, np.arange(kept.size), 0))[gone]
    is_same = labels.lines[before] == labels.lines[gone]  # else its line is one of its own
    np.maximum.at(labels.stops, before[is_same], labels.stops[gone[is_same]])
    labels.has_marks[before] = True
    return labels.select(kept), head_ends[kept]


def claim(
    labels: Labels, values: Values, columns: Ints, parts: Parts, taken: Taken, blocks: Blocks
) -> tuple[Claims, Ints, tuple[Ints, Ints]]:
    """Return what is claimed, the blocks that are records, and spans that nothing claims after all.

    Values of labels come first, in their order, then what anchors took, then what the first lines
    of blocks name.

    Parameters
    ----------
    columns : of each label; -1 for one that nobody asked for
    """
    is_asked = columns >= 0
    place_of = np.cumsum(is_asked) - 1
    mine = is_asked[values.owners]
    n_labels, n_taken, n_fields = int(is_asked.sum()), len(taken.blocks), len(blocks.fields)
    named = np.array([(block, nth, *span) for block, nth, span in blocks.fields], np.int64)
    named = named.reshape(-1, 4)
    owned = np.concatenate(
        [parts.of_lines[labels.lines][is_asked], np.array(taken.blocks, np.int64), named[:, 0]]
    )
    kept = sort_unique(owned)
    spans = [(k, *span) for k, pieces in enumerate(taken.pieces) for span in pieces]
    more = np.array(spans, np.int64).reshape(-1, 3)
    claims = Claims(
        np.searchsorted(kept, owned),
        np.concatenate([columns[is_asked], np.array(taken.columns, np.int64), named[:, 1]]),
        np.concatenate(
            [np.full(n_labels, -1), np.array(taken.rows, np.int64), np.full(n_fields, -1)]
        ),
        np.concatenate([labels.values[is_asked], np.array(taken.places, np.int64), named[:, 2]]),
        np.concatenate(
            [
                place_of[values.owners[mine]],
                more[:, 0] + n_labels,
                np.arange(n_fields) + n_labels + n_taken,
            ]
        ),
        np.concatenate([values.starts[mine], more[:, 1], named[:, 2]]),
        np.concatenate([values.ends[mine], more[:, 2], named[:, 3]]),
    )
    left = np.array(taken.left, np.int64).reshape(-1, 2)
    return claims, kept, join_spans((values.starts[~mine], values.ends[~mine]), *left.T)


def claim_left(
    claims: Claims,
    kept: Ints,
    left: tuple[Ints, Ints],
    lines: Lines,
    parts: Parts,
    column: int,
) -> tuple[Claims, tuple[Ints, Ints]]:
    """Return claims with what is left in a column of its own, and what is left of blocks that are no records."""
    order = np.argsort(left[0], kind="stable")
    starts, ends = left[0][order], left[1][order]
    blocks = parts.of_lines[np.searchsorted(lines.starts, starts, "right") - 1]
    mine = is_among(blocks, kept)
    records = np.searchsorted(kept, blocks[mine])
    firsts = np.flatnonzero(np.append(True, np.diff(records) != 0)[: records.size])
    n_new, n_values = firsts.size, claims.records.size
    owners = n_values + np.searchsorted(records[firsts], records)
    more = Claims(
        np.append(claims.records, records[firsts]),
        np.append(claims.columns, np.full(n_new, column)),
        np.append(claims.rows, np.full(n_new, -1)),
        np.append(claims.places, starts[mine][firsts]),
        np.append(claims.owners, owners),
        np.append(claims.starts, starts[mine]),
        np.append(claims.ends, ends[mine]),
    )
    return more, (starts[~mine], ends[~mine])


def find_before(lines: Lines, labels: Labels) -> tuple[Ints, Ints]:
    """Return what stands before the first label of lines."""
    is_first = np.append(True, labels.lines[1:] != labels.lines[:-1])[: labels.lines.size]
    begins, starts = lines.begins[labels.lines[is_first]], labels.starts[is_first]
    real = starts > begins
    return trim(lines.data, begins[real], starts[real])


def join_spans(spans: tuple[Ints, Ints], starts: Ints, ends: Ints) -> tuple[Ints, Ints]:
    """Return spans with others behind them."""
    return np.append(spans[0], starts), np.append(spans[1], ends)
