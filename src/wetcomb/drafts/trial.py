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
from wetcomb.core.cutting.ragged import LineDrops, Ragged
from wetcomb.core.cutting.reading import cut_records
from wetcomb.core.cutting.records import Records
from wetcomb.core.cutting.scanner import Scanner
from wetcomb.core.cutting.specials import find_specials
from wetcomb.core.ledger import LINE_DROPS
from wetcomb.drafts.price import MARK, SNAG_PRICE, price_column, price_counts, price_text
from wetcomb.match.marks import NO_DELIMITER
from wetcomb.steps.split.cutter import Cutter, Surroundings
from wetcomb.steps.split.options import Split
from wetcomb.steps.split.page_edges import find_heading_edges, find_rules

__all__ = ["Trial", "try_split"]

_MAX_COLUMNS = 200  # columns whose values are priced; more are taken to be like these
_BETWEEN_DIGITS = 5.0
_NEARLY_ALL = 0.9
_FEWEST_COLUMNS = 3  # of a table whose cells can be told to stand in the wrong place
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

    @property
    def may_be_shifted(self) -> bool:
        """Whether some record has another number of fields than most, of at least three."""
        return self.n_fields >= _FEWEST_COLUMNS and self.n_fitting < len(self.rows)

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
    records, edges = _cut(data, split)
    ragged = records.staying
    raw = data.tobytes()
    cells = [
        raw[start:end].decode()
        for start, end in zip(ragged.starts.tolist(), ragged.ends.tolist(), strict=True)
    ]
    offsets, n_fields = ragged.offsets.tolist(), _find_usual(ragged)
    if split.per_record:
        offsets, n_fields = [*range(0, len(cells), split.per_record), len(cells)], split.per_record
    rows = [cells[a:b] for a, b in pairwise(offsets)]
    if split.edges:  # a line that ends before an edge has nothing there
        n_fields = len(edges) + 1
        rows = [row + [""] * (n_fields - len(row)) for row in rows]
    if _is_framed(split, rows):
        return try_split(data, replace(split, frame=True), prior)
    bounds = zip(ragged.record_starts.tolist(), ragged.stops.tolist(), strict=True)
    lines = [raw[start:stop].decode().rstrip("\r\n") for start, stop in bounds]
    odd = frozenset(records.odd.find_snags(ragged).records.tolist())
    n_broken = _count_in_numbers(data, ragged, split, n_fields)
    parted = _find_parted(ragged, records.drops)
    return Trial(split, rows, n_fields, lines, parted, odd, n_broken, prior)


def _cut(data: Bytes, split: Split) -> tuple[Records, Ints]:
    """Return the records of a sample as a run would cut them, and the edges they were cut at."""
    cutter = Cutter(split)
    specials = find_specials(data, cutter.rules, is_last=True)
    edges = np.array(split.edge_columns, np.int64)
    if split.learns_edges:
        uncut = cut_records(specials, cutter.rules, 0, None, Scanner(specials, cutter.rules))
        edges = _settle_edges(split, data, uncut.ragged)
    around = Surroundings(edges)
    records = cutter.cut(specials, around)
    assert records is not None
    n_fields = _find_usual(records.staying)
    if not split.per_record and (specials.mark_starts.size or n_fields == 1):
        records = cutter.cut(specials, around, n_fields=n_fields)  # marks are told by that number
        assert records is not None
    return records, edges


def _is_framed(split: Split, rows: Sequence[Sequence[str]]) -> bool:
    """Return whether nearly all records have a mark before and behind them.

    The first must, which may be the heading, and so must all with as many fields: what is blank in
    most records only is a column.
    """
    is_line = split.records_at == "newline" and not split.edges and not split.per_record
    if split.frame or not is_line or len(rows) < 2:
        return False
    framed = {k for k, row in enumerate(rows) if len(row) > 2 and not row[0] + row[-1]}
    alike = {k for k, row in enumerate(rows) if len(row) == len(rows[0])}
    return alike <= framed and len(framed) >= _NEARLY_ALL * len(rows)


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
    return np.zeros(0, np.int64)


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
