"""The pieces of records as they were cut, those of `rest` among them, laid side by side."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bools, Ints, is_among, spread
from wetcomb.core.ledger import Charge
from wetcomb.core.snags import SNAG_CODES
from wetcomb.core.table import MISSING, Table
from wetcomb.match.digests import Digests, Reader, digest_text
from wetcomb.steps.realign.profiles import Bounds, PieceMatrix

__all__ = ["LaidPieces", "find_pieces", "glue_particles", "has_particles"]


class LaidPieces(msgspec.Struct, frozen=True, eq=False):
    """P pieces of M records.

    Attributes
    ----------
    rows : (M,) int64, the records' places in their table
    offsets : (M + 1,) int64, first piece of each
    starts, ends : (P,) int64, the value of each piece, -1 where it is missing
    outer_starts, outer_ends : (P,) int64, where it stands in the body, quote marks included
    follows : (P,) bool, whether it stands behind the one before in the record's own lines, so that
        the two can be put together
    """

    rows: Ints
    offsets: Ints
    starts: Ints
    ends: Ints
    outer_starts: Ints
    outer_ends: Ints
    follows: Bools

    @property
    def counts(self) -> Ints:
        """How many pieces each record has."""
        return np.diff(self.offsets)

    def matrix(self, reader: Reader, places: Ints, n_pieces: int, bounds: Bounds) -> PieceMatrix:
        """Return some of the records, all of so many pieces, to be read together."""
        pieces = self.offsets[places] + np.arange(n_pieces)[:, None]
        return PieceMatrix(
            reader,
            self.starts[pieces],
            self.ends[pieces],
            self.outer_starts[pieces],
            self.outer_ends[pieces],
            self.follows[pieces],
            bounds,
        )

    def texts(self, table: Table, place: int) -> tuple[str, ...]:
        """Return the pieces of one record as strings."""
        first, last = self.offsets[place : place + 2].tolist()
        spans = zip(self.starts[first:last].tolist(), self.ends[first:last].tolist(), strict=True)
        return tuple(table.text.value(max(a, 0), max(b, 0)) for a, b in spans)


def find_pieces(table: Table, rows: Ints, charges: Sequence[Charge]) -> LaidPieces:
    """Return the pieces of some records: their cells up to the last one, then those of the rest.

    Parameters
    ----------
    charges : of the piece the table came in; they tell where quote marks stand
    """
    there = table.starts[rows] != MISSING
    n_columns = there.shape[1]
    n_cells = np.where(there.any(axis=1), n_columns - np.argmax(there[:, ::-1], axis=1), 0)
    short = table.snags.records[table.snags.kinds == SNAG_CODES["short"]]
    n_cells[~is_among(rows, short)] = n_columns  # what is missing at its end was a word for nothing
    over, over_starts, over_ends = _find_over(table, rows)
    counts = n_cells + np.diff(over)
    offsets = np.concatenate([[0], np.cumsum(counts)])
    owners, places = spread(counts)
    is_cell = places < n_cells[owners]
    starts, ends = np.empty((2, owners.size), np.int64)
    cells = owners[is_cell], places[is_cell]
    starts[is_cell], ends[is_cell] = table.starts[rows][cells], table.ends[rows][cells]
    starts[~is_cell], ends[~is_cell] = over_starts, over_ends
    outer_starts, outer_ends = table.text.find_extents(starts, ends)
    marks = [charge for charge in charges if charge.reason == "quote-mark" and charge.starts.size]
    if marks:
        mark_starts = np.sort(np.concatenate([mark.starts for mark in marks]))
        mark_ends = np.sort(np.concatenate([mark.ends for mark in marks]))
        at = np.searchsorted(mark_ends, outer_starts)
        opens = mark_ends.take(at, mode="clip") == outer_starts
        outer_starts = np.where(opens, mark_starts.take(at, mode="clip"), outer_starts)
        at = np.searchsorted(mark_starts, outer_ends)
        closes = opens & (mark_starts.take(at, mode="clip") == outer_ends)
        outer_ends = np.where(closes, mark_ends.take(at, mode="clip"), outer_ends)
    follows = np.zeros(starts.size, np.bool_)
    follows[1:] = (outer_starts[1:] >= outer_ends[:-1]) & (owners[1:] == owners[:-1])
    follows[1:] &= outer_starts[:-1] >= table.record_starts[rows][owners[1:]]
    return LaidPieces(rows, offsets, starts, ends, outer_starts, outer_ends, follows)


def _find_over(table: Table, rows: Ints) -> tuple[Ints, Ints, Ints]:
    """Return the offsets and spans of the pieces of rests; a rest of unknown pieces is one."""
    surplus = table.surplus
    has_rest = table.rest_starts[rows] != MISSING
    counts = has_rest.astype(np.int64)
    if surplus is None or not surplus.rows.size:
        spans = table.rest_starts[rows][has_rest], table.rest_ends[rows][has_rest]
        return np.concatenate([[0], np.cumsum(counts)]), spans[0], spans[1]
    at = np.searchsorted(surplus.rows, rows)
    known = has_rest & (surplus.rows.take(at, mode="clip") == rows)
    counts[known] = np.diff(surplus.offsets)[at[known]]
    owners, places = spread(counts)
    starts = table.rest_starts[rows][owners].astype(np.int64)
    ends = table.rest_ends[rows][owners].astype(np.int64)
    is_known = known[owners]
    pieces = surplus.offsets[at[owners[is_known]]] + places[is_known]
    starts[is_known], ends[is_known] = surplus.starts[pieces], surplus.ends[pieces]
    return np.concatenate([[0], np.cumsum(counts)]), starts, ends


def has_particles(reader: Reader, table: Table, particles: Sequence[str]) -> Bools:
    """Return which records have a cell that is the first word of a particle."""
    firsts = np.array([digest_text(text.split()[0]) for text in particles], np.uint64)
    prints = reader.find_prints(table.starts, table.ends, folded=False)
    found: Bools = np.logical_or.reduce(is_among(prints, firsts), axis=1)
    return found


def glue_particles(reader: Reader, laid: LaidPieces, particles: Sequence[str]) -> LaidPieces:
    """Return the pieces with those that are a particle put together with the one behind them."""
    prints = reader.find_prints(laid.starts, laid.ends, folded=False)
    is_last = np.append(~laid.follows[1:], True)
    is_last[:-1] |= laid.ends[1:] <= laid.starts[1:]  # nothing to belong to stands behind it
    goes_on = np.zeros(prints.size, np.bool_)
    for text in particles:
        goes_on |= _find_words(prints, is_last, text.split())
    if not goes_on.any():
        return laid
    heads = np.flatnonzero(~np.append(False, goes_on[:-1]))
    lasts = np.append(heads[1:], prints.size) - 1
    several = lasts > heads
    outer_starts, outer_ends = laid.outer_starts[heads], laid.outer_ends[lasts]
    return replace(
        laid,
        offsets=np.searchsorted(heads, laid.offsets),
        starts=np.where(several, outer_starts, laid.starts[heads]),
        ends=np.where(several, outer_ends, laid.ends[heads]),
        outer_starts=outer_starts,
        outer_ends=outer_ends,
        follows=laid.follows[heads],
    )


def _find_words(prints: Digests, is_last: Bools, words: Sequence[str]) -> Bools:
    """Return the pieces of each place where all words stand one behind another, with one behind them."""
    found = np.ones(prints.size, np.bool_)
    for ahead, word in enumerate(words):
        here = np.zeros(prints.size, np.bool_)
        if ahead < prints.size:
            here[: prints.size - ahead] = prints[ahead:] == np.uint64(digest_text(word))
            here[: prints.size - ahead] &= ~is_last[ahead:]
        found &= here
    all_words = np.zeros(prints.size, np.bool_)
    for ahead in range(len(words)):
        all_words[ahead:] |= found[: prints.size - ahead]
    return all_words
