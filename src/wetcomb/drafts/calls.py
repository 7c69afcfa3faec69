"""Every step as a call: text in, text or a table out; or a table in and a table out.

The keywords are the options of the step. What is left open is worked out from the text, as on the
command line. The ledger closes in each call: of a text over all of it, of a table over what it holds.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from wetcomb.combs.memory import make_table, make_text
from wetcomb.combs.on_table import run_on_table
from wetcomb.combs.part import Part
from wetcomb.core.table import Table
from wetcomb.drafts.settling import settle_steps
from wetcomb.steps.registry import STEPS
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step

__all__ = ["clean", "glue", "pull", "realign", "split", "unwrap", "wash"]


def wash(text: str, **options: Any) -> str:
    """Return a text washed: without furniture, invisible signs and what else is asked for (`Wash`)."""
    return _make_text("wash", text, options)


def unwrap(text: str, **options: Any) -> str:
    """Return a text whose wrapped records stand on a line each (`Unwrap`)."""
    return _make_text("unwrap", text, options)


def split(source: str | Table, **options: Any) -> Table:
    """Return a text as a table, or a table with a column cut further (`Split`, with `column`)."""
    return _make_table("split", source, options)


def pull(source: str | Table, **options: Any) -> Table:
    """Return the labelled fields of a text as a table (`Pull`)."""
    return _make_table("pull", source, options)


def realign(table: str | Table, **options: Any) -> Table:
    """Return a table whose shifted cells stand under their columns (`Realign`)."""
    return _make_table("realign", table, options)


def clean(table: str | Table, **options: Any) -> Table:
    """Return a table with its values, records and columns finished (`Clean`)."""
    return _make_table("clean", table, options)


def glue(table: str | Table, **options: Any) -> Table:
    """Return a table with columns or records put together (`Glue`; `with_` and `as_` for --with and --as)."""
    return _make_table("glue", table, options)


def _make_text(name: str, text: str, options: dict[str, Any]) -> str:
    step = STEPS[name](**options)
    settled = settle_steps([step], text.encode(), Part(), is_part_stated=False)
    return make_text(settled.steps, text.encode()).decode()


def _make_table(name: str, source: str | Table, options: dict[str, Any]) -> Table:
    """Return what a step makes of a text or of a table.

    Raises
    ------
    UsageError : an option is none, or the step reads no table
    InputError : the text holds no records
    """
    step = STEPS[name](**options)
    if isinstance(source, Table):
        steps: Sequence[Step] = [step]
        if isinstance(step, Split) and step.example:
            from wetcomb.drafts.examples.settling import settle_column_example

            steps = settle_column_example(step, source)[0]
        for each in steps:
            source = run_on_table(each, source)
        return source
    settled = settle_steps([step], source.encode(), Part(), is_part_stated=False)
    return make_table(settled.steps, source, settled.part)
