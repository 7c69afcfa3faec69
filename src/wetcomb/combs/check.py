"""Whether a text fits a comb: looked at in its beginning, before anything is run."""

from __future__ import annotations

from wetcomb.combs.comb import Comb, Fits
from wetcomb.combs.memory import make_batch, make_text
from wetcomb.core.batch import Batch
from wetcomb.core.table import Table
from wetcomb.steps.step import Step

__all__ = ["find_misfit", "find_split", "make_fits"]

_MUCH = 0.25  # odd records in the sample from which their usual share is written down


def find_misfit(comb: Comb, sample: bytes, batch: Batch | None = None) -> str:
    """Return in one line why a text does not fit a comb, nothing if it does.

    It fits if its heading is the one in `[fits]` and not too many of its first records have
    another number of fields than the comb's columns.

    Parameters
    ----------
    batch : what all steps make of the sample, where that is known
    """
    step, sample = find_split(comb, sample)
    wanted = comb.fits.columns
    table = batch.table if batch is not None and len(comb.steps) == 1 else None
    names = _read_heading(step, sample, table) if wanted else ()
    if names != wanted:
        missing = [name for name in wanted if name not in names]
        new = [name for name in names if name not in wanted]
        return f"its heading is not the comb's ({_tell_difference(missing, new)})"
    n_odd, n_records = _count_odd(step, sample) if table is None else _count_snags(table)
    if n_odd > comb.fits.max_odd * n_records:
        return f"{n_odd} of its first {n_records} records have a wrong number of fields"
    return ""


def find_split(comb: Comb, sample: bytes) -> tuple[Step, bytes]:
    """Return the step that makes the table, and the sample as the steps before leave it."""
    split = next(step for step in comb.steps if step.makes == "table")
    return split, make_text(comb.steps, sample)


def make_fits(split: Step, sample: bytes, table: Table | None = None) -> Fits:
    """Return what a text must look like for a comb that was made for this sample.

    Parameters
    ----------
    table : what the split makes of the sample, where that is known already
    """
    n_odd, n_records = _count_odd(split, sample) if table is None else _count_snags(table)
    share = n_odd / max(1, n_records)
    usual = min(1.0, round(2 * share, 2)) if share > _MUCH else Fits().max_odd
    return Fits(columns=_read_heading(split, sample), max_odd=usual)


def _count_odd(split: Step, sample: bytes) -> tuple[int, int]:
    """Return how many records have a wrong number of fields, and how many there are."""
    table = make_batch([split], sample).table
    return _count_snags(table) if table is not None else (0, 0)


def _count_snags(table: Table) -> tuple[int, int]:
    counts = table.snags.counts()
    return counts.get("short", 0) + counts.get("long", 0), table.n_records


def _read_heading(split: Step, sample: bytes, table: Table | None = None) -> tuple[str, ...]:
    """Return the names a text itself gives to all of its columns; none where it gives none.

    Parameters
    ----------
    table : what the split makes of the sample, where that is known
    """
    if not split.names_in_text:
        return ()
    if table is None or split.as_printed() != split:
        table = make_batch([split.as_printed()], sample).table
    return table.names if table is not None else ()


def _tell_difference(missing: list[str], new: list[str]) -> str:
    if not missing and not new:
        return "the same names in another order"
    said = [f"missing: {', '.join(missing)}"] if missing else []
    return "; ".join(said + ([f"new: {', '.join(new)}"] if new else []))
