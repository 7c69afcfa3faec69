"""What the runs of a comb usually look like, and where another text departs from them.

A run is kept as counts: records, lines that left by reason, and of each column the kinds of its values,
a closed list where it has one, from where to where its figures go and what they come to. Two runs of
the same comb over honest texts differ in size and in values; what is told is what honest texts hardly ever
do: a value of a foreign kind, columns that changed places, a sum of another order, a kind of line that is gone.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from decimal import Decimal

import msgspec
import numpy as np

from wetcomb.core.report import Report
from wetcomb.core.table import Table
from wetcomb.match.numbers import read_number
from wetcomb.match.orders import find_order
from wetcomb.match.shapes import find_shape

__all__ = ["ColumnSeen", "Departure", "RunSeen", "find_departures", "measure_run"]

#: Shapes that are one kind of value here.
_KINDS = {
    "digits": "number", "number": "number", "money": "number", "percent": "number", "date": "date", "time": "time",
    "email": "email", "url": "url", "code": "code", "empty": "",
}  # fmt: skip
_RIGID = ("number", "date", "time", "email", "url")
_FEWEST, _MOST_LISTED, _EACH = (
    20,
    8,
    3,
)  # records of a closed list, its values, how often each stands
_MOSTLY, _LOOSE = 0.9, 0.1  # share of a column's main kind; of others where it is no rigid one
_TIMES, _FAR, _SIZE = 3, 4, 2  # means, single figures and records so many times as usual
_BLANK, _ODD = 0.2, 0.1  # more blank values, and records that do not fit, than usual
#: Kinds of lines whose coming and going says that a text is laid out otherwise.
_LAID_OUT = ("page-head", "page-foot", "group-line", "total-line", "heading-again", "dropped-line")
_SHOWN = 3


class ColumnSeen(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A column of a run.

    Attributes
    ----------
    kinds : the share of each kind among its values
    blank : the share of values that are empty or missing
    values : all of them, where they are few and recur
    mean, most : of its figures; nothing where most are none
    rises : no value stands before a smaller one
    """

    kinds: dict[str, float] = msgspec.field(default_factory=dict)
    blank: float = 0.0
    values: tuple[str, ...] = ()
    mean: str = ""
    most: str = ""
    rises: bool = False


class RunSeen(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A run that was accepted.

    Attributes
    ----------
    records : how many there were
    odd : the share of them that do not fit
    repeats : records that are equal to one before
    left_out : lines that left, by reason
    totals_off : figures of total lines that the records do not give
    columns : by name
    """

    records: int
    odd: float = 0.0
    repeats: int = 0
    left_out: dict[str, int] = msgspec.field(default_factory=dict)
    totals_off: int = 0
    columns: dict[str, ColumnSeen] = msgspec.field(default_factory=dict)


class Departure(msgspec.Struct, frozen=True):
    """One thing that is not as usual: what it is about, and what there is to say."""

    about: str
    said: str


class _Values(msgspec.Struct):
    """The values of a column, record by record, and their kinds."""

    values: list[str]
    kinds: list[str]


def measure_run(table: Table, report: Report) -> RunSeen:
    """Return a run as it is kept."""
    rows = table.rows()
    repeats = len(rows) - len({tuple(row) for row in rows})
    columns = {
        name: _measure_column(_look(table, column)) for column, name in enumerate(table.names)
    }
    return RunSeen(
        table.n_records,
        round(report.snagged_records / max(1, table.n_records), 3),
        repeats,
        {reason: number for reason, number in report.dropped_lines.items() if number},
        report.totals[1],
        columns,
    )


def _look(table: Table, column: int) -> _Values:
    values = [(table.value(row, column) or "").strip() for row in range(table.n_records)]
    return _Values(values, [_KINDS.get(find_shape(value), "words") for value in values])


def _measure_column(seen: _Values) -> ColumnSeen:
    n_values = sum(map(bool, seen.kinds))
    counts = Counter(kind for kind in seen.kinds if kind)
    kinds = {kind: round(number / n_values, 3) for kind, number in counts.most_common()}
    listed = Counter(value for value in seen.values if value)
    is_listed = (
        n_values >= _FEWEST
        and len(listed) <= _MOST_LISTED
        and min(listed.values(), default=0) >= _EACH
    )
    figures = _read_figures(seen)
    return ColumnSeen(
        kinds,
        round(1 - n_values / len(seen.values), 3) if seen.values else 0.0,
        tuple(sorted(listed)) if is_listed else (),
        f"{sum(figures) / len(figures):.2f}" if figures else "",
        str(max(figures)) if figures else "",
        _find_fall(seen.values) is None and n_values > _EACH,
    )


def _read_figures(seen: _Values) -> list[Decimal]:
    """Return the figures of a column that mostly holds such."""
    if 2 * seen.kinds.count("number") <= len(seen.kinds) - seen.kinds.count(""):
        return []
    pairs = zip(seen.values, seen.kinds, strict=True)
    read = [read_number(value) for value, kind in pairs if kind == "number"]
    return [number for number in read if number is not None]


def _find_fall(values: Sequence[str]) -> int | None:
    """Return the first record whose value is smaller than one before; -1 where their order is not certain."""
    places = np.array([find_order(value) for value in values if value])
    if not places.size or np.isnan(places).any():
        return -1
    falls = np.flatnonzero(places[1:] < places[:-1])
    if not falls.size:
        return None
    rows = [row for row, value in enumerate(values) if value]
    return rows[int(falls[0]) + 1]


def find_departures(
    table: Table, report: Report, runs: Sequence[RunSeen], *, is_whole: bool = True
) -> Iterator[Departure]:
    """Yield where a run is not as those that were accepted.

    Parameters
    ----------
    runs : at least one
    is_whole : all of the text was run; else counts, repeats and totals say nothing
    """
    now = measure_run(table, report)
    if is_whole:
        yield from _compare_sizes(now, runs)
    most_odd = max(run.odd for run in runs)
    if now.odd > max(2 * most_odd, most_odd + _ODD):
        yield Departure("snags", f"{now.odd:.0%} of the records do not fit, usually {most_odd:.0%}")
    seen = {name: _look(table, column) for column, name in enumerate(table.names)}
    usual = {name: [run.columns[name] for run in runs if name in run.columns] for name in seen}
    usual = {name: columns for name, columns in usual.items() if columns}
    swapped = [*_find_swapped(now, usual)]
    for a, b in swapped:
        yield Departure("columns", f"{a} and {b} seem to have changed places")
    told = {name for pair in swapped for name in pair}
    lines = table.line_numbers(np.arange(table.n_records))[0].tolist()
    for name, columns in usual.items():
        if name not in told:
            yield from _compare_column(name, seen[name], now.columns[name], columns, lines)


def _compare_sizes(now: RunSeen, runs: Sequence[RunSeen]) -> Iterator[Departure]:
    """Yield what is odd about the counts of a whole run."""
    least, most = min(run.records for run in runs), max(run.records for run in runs)
    if not least / _SIZE <= now.records <= most * _SIZE:
        usual = f"{least:,}" if least == most else f"{least:,} to {most:,}"
        yield Departure("records", f"{now.records:,}, usually {usual}")
    if now.repeats > max(run.repeats for run in runs):
        said = "1 record is equal to one before" if now.repeats == 1 else f"{now.repeats:,} records are equal to one before"  # fmt: skip
        yield Departure("repeats", f"{said} (clean --drop-repeats)")
    if now.totals_off > max(run.totals_off for run in runs):
        usual_off = max(run.totals_off for run in runs)
        yield Departure("totals", f"{now.totals_off:,} printed figures are not what the records give, usually {usual_off:,}: records may be lost")  # fmt: skip
    for reason in _LAID_OUT:
        counts = [run.left_out.get(reason, 0) for run in runs]
        number = now.left_out.get(reason, 0)
        if min(counts) and not number:
            yield Departure("lines", f"no {reason} was found, usually {max(counts):,}")
        elif number and not max(counts):
            yield Departure("lines", f"{number:,} of the kind {reason}, usually none")


def _find_swapped(now: RunSeen, usual: dict[str, list[ColumnSeen]]) -> Iterator[tuple[str, str]]:
    """Yield columns each of which looks as the other usually does, and not as itself."""
    names = [name for name in usual if name in now.columns]
    for place, a in enumerate(names):
        for b in names[place + 1 :]:
            mine, other = now.columns[a], now.columns[b]
            if (
                _looks_like(mine, usual[b])
                and _looks_like(other, usual[a])
                and not _looks_like(mine, usual[a])
                and not _looks_like(other, usual[b])
            ):
                yield a, b


def _looks_like(one: ColumnSeen, usual: Sequence[ColumnSeen]) -> bool:
    """Return whether a column is of the main kind of others, and of their values where they have a list."""
    listed = {value for column in usual for value in column.values}
    if listed and all(column.values for column in usual):
        return bool(one.values) and 2 * len(listed & set(one.values)) > len(one.values)
    if one.values and any(column.values for column in usual):
        return False
    main = _find_main(usual)
    return main != "" and one.kinds.get(main, 0.0) >= _MOSTLY


def _find_main(columns: Sequence[ColumnSeen]) -> str:
    """Return the kind of nearly all values of a column, in all runs; nothing where there is none."""
    shares = Counter(columns[0].kinds)
    main = max(shares, key=lambda kind: shares[kind], default="")
    return main if all(column.kinds.get(main, 0.0) >= _MOSTLY for column in columns) else ""


def _compare_column(
    name: str, seen: _Values, now: ColumnSeen, usual: Sequence[ColumnSeen], lines: Sequence[int]
) -> Iterator[Departure]:
    """Yield what is odd about a column."""
    main = _find_main(usual)
    foreign = [row for row, kind in enumerate(seen.kinds) if kind not in (main, "")] if main else []
    if foreign:
        share = 1 - now.kinds.get(main, 0.0)
        before = max(1 - column.kinds.get(main, 0.0) for column in usual)
        is_rigid = main in _RIGID or any(seen.kinds[row] in _RIGID for row in foreign)
        if share > 2 * before + (0.0 if is_rigid else _LOOSE):
            row = foreign[0]
            what = "value is" if len(foreign) == 1 else "values are"
            yield Departure(name, f"{len(foreign):,} {what} no {main}, first {seen.values[row][:40]!r} in line {lines[row]}")  # fmt: skip
    before = max(column.blank for column in usual)
    if now.blank > 2 * before + _BLANK:
        yield Departure(name, f"{now.blank:.0%} of the values are blank, usually {before:.0%}")
    known = {value for column in usual for value in column.values}
    if all(column.values for column in usual):
        new = Counter(value for value in seen.values if value and value not in known)
        if new and not foreign:
            row = seen.values.index(next(iter(new)))
            shown = ", ".join(repr(value[:30]) for value in [*new][:_SHOWN])
            more = f" and {len(new) - _SHOWN} more" if len(new) > _SHOWN else ""
            yield Departure(name, f"new: {shown}{more}, first in line {lines[row]}; so far {', '.join(sorted(known))}")  # fmt: skip
    if not foreign:
        yield from _compare_figures(name, seen, now, usual, lines)
    if all(column.rises for column in usual):
        fall = _find_fall(seen.values)
        if fall is not None and fall >= 0:
            yield Departure(name, f"it rises no more: {seen.values[fall][:40]!r} in line {lines[fall]} stands behind a greater one")  # fmt: skip


def _compare_figures(
    name: str, seen: _Values, now: ColumnSeen, usual: Sequence[ColumnSeen], lines: Sequence[int]
) -> Iterator[Departure]:
    """Yield where figures are of another size."""
    if not now.mean or not all(column.mean for column in usual):
        return
    most_before = max(Decimal(column.most) for column in usual)
    means = [Decimal(column.mean) for column in usual]
    mean = Decimal(now.mean)
    if means and min(means) > 0 and not min(means) / _TIMES <= mean <= max(means) * _TIMES:
        usual_mean = f"{min(means)}" if len(set(means)) == 1 else f"{min(means)} to {max(means)}"
        yield Departure(name, f"its mean is {mean}, usually {usual_mean}")
    elif Decimal(now.most) > _FAR * most_before > 0:
        row = next(k for k, v in enumerate(seen.values) if seen.kinds[k] == "number" and read_number(v) == Decimal(now.most))  # fmt: skip
        yield Departure(name, f"{seen.values[row]!r} in line {lines[row]} is far above {most_before}, the most so far")  # fmt: skip
