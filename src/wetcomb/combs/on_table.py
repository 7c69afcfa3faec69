"""One step run over a table: what it holds must be there again, or be charged."""

from __future__ import annotations

import numpy as np

from wetcomb.core.batch import Batch
from wetcomb.core.bookkeeping import close_batch
from wetcomb.core.errors import UsageError
from wetcomb.core.ledger import Charge
from wetcomb.core.shared_cells import tell_apart
from wetcomb.core.table import Table
from wetcomb.steps.registry import begin
from wetcomb.steps.step import Step

__all__ = ["run_on_table"]


def run_on_table(step: Step, table: Table) -> Table:
    """Return what a step makes of a table; what it holds must be there again, or be charged."""
    if step.reads != "table":
        raise UsageError(
            f"{step.name} reads text here; to cut a column of a table, name it: column=NAME"
        )
    table = tell_apart(table)
    # all of the text that is in no cell has left before
    begun = Batch(table.text, table.text.body_size, table=table, charges=[_charge_gaps(table)])
    run = begin(step)
    (made,) = run.feed(begun, is_last=True)
    run.tell()
    close_batch(made.sign(step.name))
    assert made.table is not None
    return made.table


def _charge_gaps(table: Table) -> Charge:
    """Return the text between the cells of a table, as outside of it."""
    starts = np.append(table.starts, table.rest_starts).astype(np.int64)
    ends = np.append(table.ends, table.rest_ends).astype(np.int64)
    real = ends > starts
    found = table.text.find_sources(starts[real], ends[real])
    order = np.argsort(found.starts, kind="stable")
    begins = np.append(0, found.ends[order])
    stops = np.append(found.starts[order], table.text.body_size)
    is_gap = stops > begins
    return Charge("outside", begins[is_gap], stops[is_gap], "call")
