"""A chain of steps run over a text in memory: the one way for calls, samples and drafts."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from wetcomb.combs.engine import run_blocks
from wetcomb.combs.part import Part
from wetcomb.core.arrays import Bytes
from wetcomb.core.batch import Batch
from wetcomb.core.decoded import Decoded
from wetcomb.core.errors import BrokenPromise, InputError
from wetcomb.core.report import Report
from wetcomb.core.table import Table
from wetcomb.core.text import Text
from wetcomb.steps.registry import begin
from wetcomb.steps.step import Step

__all__ = ["count_output", "make_batch", "make_table", "make_text"]

_MAX_TEXT = 512 * 1024 * 1024  # characters; spans are kept in 32 bits


def make_table(steps: Sequence[Step], text: str | bytes, part: Part | None = None) -> Table:
    """Return the table that steps make of a text; the ledger is closed on the way.

    Raises
    ------
    InputError : the text holds no records, or is too long to be held
    """
    whole = text if isinstance(text, str) else text.decode()
    if len(whole) > _MAX_TEXT:
        raise InputError(
            f"a text in memory may have {_MAX_TEXT // 2**20} Mi characters; run longer ones from a file"
        )
    report = Report()
    batches = list(run_blocks(steps, [Decoded.of(whole)], report, part=part))
    tables = [batch.table for batch in batches if batch.table is not None]
    if len(tables) != 1:
        raise BrokenPromise("one block of text made other than one table")
    report.ledger.output = count_output(tables[0])
    report.ledger.check_output()
    return tables[0]


def make_batch(steps: Sequence[Step], text: str | bytes | Text) -> Batch:
    """Return what steps make of a text, as the last of them leaves it; the book stays open.

    Where that is text it is the `result`, where it is a table the `table`.
    """
    batch = Batch(text if isinstance(text, Text) else Text.of(text))
    for step in steps:
        if batch.result is not None:
            batch = Batch(batch.result)
        (batch,) = begin(step).feed(batch, is_last=True)
        batch = batch.sign(step.name)
    return batch


def make_text(steps: Sequence[Step], text: bytes) -> bytes:
    """Return what the first of some steps, those that make text, make of one."""
    n_steps = next((k for k, step in enumerate(steps) if step.makes != "text"), len(steps))
    result = make_batch(steps[:n_steps], text).result
    return _body(result) if result is not None else text


def _body(text: Text) -> bytes:
    data: Bytes = text.data[: text.body_size]
    return data.tobytes()


def count_output(table: Table) -> int:
    """Return O for a table in memory: the characters of its cells, headings and rests."""
    starts = np.append(table.starts, table.rest_starts).astype(np.int64)
    ends = np.append(table.ends, table.rest_ends).astype(np.int64)
    there = starts >= 0
    return table.text.count(starts[there], ends[there]) + sum(map(len, table.names))
