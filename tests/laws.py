"""What every result must keep, and the texts to try it on."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from hypothesis import strategies as st

from wetcomb import Comb, Split
from wetcomb.combs.engine import run_blocks
from wetcomb.combs.memory import count_output
from wetcomb.core.batch import Batch
from wetcomb.core.decoded import Decoded
from wetcomb.core.report import Report

#: Texts made of little but what matters, so that odd neighbours meet often.
texts = st.lists(
    st.sampled_from(
        [
            "a",
            "b1",
            "é",
            "漢",
            "·",
            "··",
            ",",
            ",",
            ";",
            "|",
            '"',
            '"',
            '""',
            '","',
            "'",
            " ",
            "  ",
            "\t",
            "\n",
            "\n",
            "\r\n",
            "\r",
            "-",
            "---",
            "\f",
            " - ",
            "~|~",
            "x,y",
            '"q"',
            '"q\nr"',
        ]
    ),
    max_size=40,
).map("".join)


def blocks_of(text: str, size: int) -> list[Decoded]:
    """Cut a text every so many characters."""
    return [Decoded.of(text[k : k + size]) for k in range(0, len(text), size)]


def run_comb(comb: Comb, blocks: list[Decoded], report: Report, **settings) -> Iterator[Batch]:
    """Run a comb over the blocks of a text."""
    return run_blocks(comb.steps, blocks, report, part=comb.part, **settings)


def run(split: Split, blocks: list[Decoded]) -> tuple[list[Batch], Report]:
    """Run a split over blocks, and check what every run must keep."""
    report = Report()
    batches = list(run_comb(Comb((split,)), blocks, report))
    check(batches, report, is_together=not (split.stacked or split.column_by_column))
    return batches, report


def run_unchecked(split: Split, text: str) -> tuple[list[Batch], Report]:
    """Run a split over a long text, with the tool's own proof but not the slow checks."""
    report = Report()
    return list(run_comb(Comb((split,)), blocks_of(text, 1 << 20), report)), report


def check(
    batches: list[Batch], report: Report, *, is_together: bool = True, glue: str = ""
) -> None:
    """The one checker of a result; `is_together` says that a record is one stretch of lines.

    `glue` is what the pieces of a value may be joined by.
    """
    ledger = report.ledger
    ledger.check_source()
    listed: dict[str, int] = {}
    for batch in batches:
        for reason, starts, ends, step in batch.charges:
            assert step
            number = batch.text.count(starts, ends) - batch.text.count_puts(starts, ends)
            listed[reason] = listed.get(reason, 0) + number
        if batch.drops is not None:
            assert (batch.drops.starts < batch.drops.ends).all()
        check_table(batch, is_together=is_together, glue=glue)
    assert {reason: n for reason, n in listed.items() if n} == {
        r: n for r, n in ledger.dropped.items() if n
    }
    tables = [batch.table for batch in batches if batch.table is not None]
    written = sum(count_output(table) - sum(map(len, table.names)) for table in tables)
    ledger.output = written + sum(map(len, tables[0].names)) if tables else 0
    ledger.check_output()


def check_table(batch: Batch, *, is_together: bool = True, glue: str = "") -> None:
    """Spans are ordered and inside the text, arrays agree, every cell traces to its source."""
    table = batch.table
    if table is None:
        return
    assert table.starts.shape == table.ends.shape == (table.n_records, len(table.names))
    assert (table.record_starts <= table.record_ends).all()
    if "other-columns" not in table.repeats:
        assert np.unique(table.record_starts).size == table.n_records
    there = table.starts >= 0
    assert (there == (table.ends >= 0)).all() and (table.starts <= table.ends).all()
    rows, columns = np.nonzero(there)
    starts, ends = (
        table.starts[rows, columns].astype(np.int64),
        table.ends[rows, columns].astype(np.int64),
    )
    origin_starts, origin_ends = table.text.find_extents(starts, ends)
    if is_together:
        assert (origin_starts >= table.record_starts[rows]).all()
        assert (origin_ends <= table.record_ends[rows]).all()
    forms = table.text.forms.find(starts, ends)
    for row, column, start, end, form in zip(
        rows, columns, origin_starts, origin_ends, forms, strict=True
    ):
        if form >= 0:
            continue  # what stands there is not what stood in the source
        source, value = table.text.value(start, end), table.value(row, column)
        assert value is not None
        undoubled = [source.replace(mark * 2, mark) for mark in "\"'·"]
        if glue and value not in (source, *undoubled):
            signs = iter(source)
            assert all(sign in signs for sign in value.replace(glue, "")), (value, source)
        else:
            assert value in (source, *undoubled)


def rows_of(batches: list[Batch]) -> list[list[str | None]]:
    """All records, what no column could take at their end."""
    return [
        [*row, batch.table.rest(number)]
        for batch in batches
        if batch.table is not None
        for number, row in enumerate(batch.table.rows())
    ]


def snags_of(batches: list[Batch]) -> list[tuple[int, int]]:
    """Snags as (record of the whole text, kind)."""
    found, before = [], 0
    for batch in batches:
        if batch.table is not None:
            rows = batch.table.snags.records + before
            found += list(zip(rows.tolist(), batch.table.snags.kinds.tolist(), strict=True))
            before += batch.table.n_records
    return found
