"""One way to cut, tried on a sample and priced."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from functools import cached_property
from itertools import pairwise

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bytes, Ints, is_any_of
from wetcomb.core.layout import drop_lines
from wetcomb.core.ledger import LINE_DROPS
from wetcomb.core.ragged import LineDrops, Ragged
from wetcomb.core.reading import cut_records
from wetcomb.core.scanner import Scanner
from wetcomb.core.specials import find_specials
from wetcomb.drafts.price import MARK, SNAG_PRICE, price_column, price_counts, price_text
from wetcomb.match.marks import NO_DELIMITER
from wetcomb.steps.page_edges import find_heading_edges, find_rules
from wetcomb.steps.places import Places
from wetcomb.steps.split import Split

__all__ = ["Trial", "try_split"]

_MAX_COLUMNS = 200  # columns whose values are priced; more are taken to be like these
_BETWEEN_DIGITS = 5.0
_NEARLY_ALL = 0.9
_DIGITS = b"0123456789"


class Trial(msgspec.Struct, frozen=True, dict=True):
    """A split tried on a sample.

    Attributes
    ----------
    split : the options tried; heading and number of fields are not among them
    rows : the fields of each record, as cut
    n_fields : how many fields most records have
    lines : the text of each record, without its line end
    parted : for each record, what stands right before it: "blank-line", "rule" or nothing
    odd : records in which a quote mark or an edge does not fit
    n_in_numbers : cuts between two digits at a mark that stands inside numbers and dates
    prior : bits for saying how to cut
    """

    split: Split
    rows: Sequence[Sequence[str]]
    n_fields: int
    lines: Sequence[str]
    parted: Sequence[str]
    odd: frozenset[int]
    n_in_numbers: int
    prior: float

    @property
    def n_odd_quotes(self) -> int:
        """How many records have a quote mark or an edge that does not fit."""
        return len(self.odd)

    @property
    def n_fitting(self) -> int:
        """How many records have as many fields as most."""
        return sum(len(row) == self.n_fields for row in self.rows)

    @cached_property
    def price(self) -> float:
        """The bits of the table, its heading left out where there is more than a heading."""
        if not self.rows or (self.n_fields == 1 and self.split.delimiter != (NO_DELIMITER,)):
            return math.inf  # what cuts hardly any record makes no table
        is_list = bool(self.split.per_record) or self.split.records_at != "newline"
        has_heading = len(self.rows) > 2 and not is_list
        rows = self.rows[1:] if has_heading else self.rows
        bits = self.prior + price_counts(len(row) for row in rows)
        bits += SNAG_PRICE * (sum(len(row) != self.n_fields for row in rows) + self.n_odd_quotes)
        bits += _BETWEEN_DIGITS * self.n_in_numbers
        priced = min(self.n_fields, _MAX_COLUMNS)
        columns = [[row[column] for row in rows if column < len(row)] for column in range(priced)]
        if self.split.edges == "rule":  # it shows even the columns that nothing stands in
            columns = [values for values in columns if any(values)]
        bits += sum(map(price_column, columns)) * self.n_fields / priced
        for row in rows:
            bits += sum(MARK + price_text(value) for value in row[self.n_fields :])
        return bits

    @property
    def price_per_record(self) -> float:
        """The same for one record, to be compared between trials on the same sample."""
        return self.price / max(1, len(self.rows))


def try_split(data: Bytes, split: Split, prior: float) -> Trial:
    """Return what a split makes of a sample.

    Parameters
    ----------
    data : (N,) uint8, whole records
    """
    rules = split.rules()
    specials = find_specials(data, rules, is_last=True)
    scanner = Scanner(specials, rules)
    places = Places(split)
    first = cut_records(specials, rules, 0, None, scanner)
    edges = _settle_edges(split, data, first.ragged)
    recut, _ = places.recut(data, first.ragged, edges)
    ragged, _, _ = drop_lines(data, recut, None)
    n_fields = _find_usual(ragged)
    cut = first if places.changes_fields else cut_records(specials, rules, 0, n_fields, scanner)
    recut, more = places.recut(data, cut.ragged, edges)
    ragged, drops, stays = drop_lines(data, recut, n_fields)
    new_rows = np.cumsum(stays) - 1
    odd = {int(new_rows[row]) for rows, _ in cut.snags + more for row in rows if stays[row]}
    raw = data.tobytes()
    cells = [
        raw[start:end].decode()
        for start, end in zip(ragged.starts.tolist(), ragged.ends.tolist(), strict=True)
    ]
    offsets = ragged.offsets.tolist()
    if split.per_record:
        offsets, n_fields = [*range(0, len(cells), split.per_record), len(cells)], split.per_record
    rows = [cells[a:b] for a, b in pairwise(offsets)]
    if split.edges:  # a line that ends before an edge has nothing there
        n_fields = len(edges) + 1
        rows = [row + [""] * (n_fields - len(row)) for row in rows]
    bounds = zip(ragged.record_starts.tolist(), ragged.stops.tolist(), strict=True)
    lines = [raw[start:stop].decode().rstrip("\r\n") for start, stop in bounds]
    n_broken = _count_in_numbers(data, ragged, split, n_fields)
    parted = _find_parted(ragged, drops)
    framed = _find_framed(split, rows)
    if framed:
        split, n_fields = replace(split, frame=True), n_fields - 2
        rows = [row[1:-1] if place in framed else row for place, row in enumerate(rows)]
    return Trial(split, rows, n_fields, lines, parted, frozenset(odd), n_broken, prior)


def _find_framed(split: Split, rows: Sequence[Sequence[str]]) -> set[int]:
    """Return the records with a mark before and behind them, where nearly all have one.

    The first must, which may be the heading, and so must all with as many fields: what is blank in
    most records only is a column.
    """
    if split.records_at != "newline" or split.edges or split.per_record or len(rows) < 2:
        return set()
    framed = {k for k, row in enumerate(rows) if len(row) > 2 and not row[0] + row[-1]}
    alike = {k for k, row in enumerate(rows) if len(row) == len(rows[0])}
    is_frame = alike <= framed and len(framed) >= _NEARLY_ALL * len(rows)
    return framed if is_frame else set()


def _find_parted(ragged: Ragged, drops: LineDrops) -> list[str]:
    """Return which kind of dropped line stands right before each record."""
    ends = dict(zip(drops.ends.tolist(), drops.reasons.tolist(), strict=True))
    reasons = [ends.get(start, -1) for start in ragged.record_starts.tolist()]
    return [
        LINE_DROPS[code] if code >= 0 and LINE_DROPS[code] in ("blank-line", "rule") else ""
        for code in reasons
    ]


def _settle_edges(split: Split, data: Bytes, lines: Ragged) -> Ints:
    """Return the edges of a split as numbers: those of the first rule, or under the heading's words."""
    if split.edges == "rule":
        found = find_rules(data, lines)
        return np.array(found[0][1] if found else (), np.int64)
    if split.edges == "heading" and lines.stops.size:
        head = data[int(lines.record_starts[0]) : int(lines.stops[0])].tobytes().decode()
        page = lines.select(np.arange(lines.stops.size) > 0)
        return np.array(
            find_heading_edges(data, page, head.rstrip("\r\n"), split.tab_width), np.int64
        )
    return np.array(split.edges if isinstance(split.edges, tuple) else (), np.int64)


def _find_usual(ragged: Ragged) -> int:
    """Return the commonest number of fields, the larger of two that are as common."""
    counts = Counter(ragged.counts.tolist())
    return max(counts, key=lambda count: (counts[count], count)) if counts else 1


def _count_in_numbers(data: Bytes, ragged: Ragged, split: Split, n_fields: int) -> int:
    """Count the cuts that would break a number, a date or a time in two.

    A mark that parts the words of a heading in the first record is no mark inside numbers.
    """
    if not set(split.literals) & set(".,:/-'"):
        return 0
    ends, starts = ragged.outer_ends[:-1], ragged.outer_starts[1:]
    left = data.take(ends - 1, mode="clip")
    right = data.take(starts, mode="clip")
    cut = data.take(ends, mode="clip")
    breaks = is_any_of(left, _DIGITS) & is_any_of(right, _DIGITS)
    breaks &= is_any_of(cut, b".,:/-'") & (starts - ends == 1)
    n_first = int(ragged.counts[0]) if ragged.stops.size else 0
    if n_first == n_fields > 1 and not breaks[: n_first - 1].any():
        return 0
    return int(breaks.sum())
