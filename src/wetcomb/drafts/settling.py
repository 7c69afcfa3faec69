"""What is left open in a chain of steps, settled from a sample of the text.

Where nothing is, what drafts is not even loaded.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import msgspec

from wetcomb.combs.memory import make_table, make_text
from wetcomb.combs.part import Part
from wetcomb.core.errors import UsageError
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import AUTO, Step, list_options

__all__ = ["Settled", "check_steps", "needs_sample", "settle_steps"]


def _settle_split(text: bytes, given: Mapping[str, Any]) -> tuple[Step, list[str]]:
    from wetcomb.drafts.weighing import settle_split

    return settle_split(text, given)


def _check_split(split: Split, sample: Callable[[], bytes]) -> None:
    if split.edge_columns:
        from wetcomb.drafts.weighing import check_edges_fit

        check_edges_fit(split, sample)


#: What settles the open options of a step, by its class.
_SETTLERS: dict[type[Step], Callable[[bytes, Mapping[str, Any]], tuple[Step, list[str]]]] = {
    Split: _settle_split
}
#: What is to be checked of a step before it is run over a text, by its class.
_CHECKS: dict[type[Step], Callable[[Any, Callable[[], bytes]], None]] = {Split: _check_split}


class Settled(msgspec.Struct, frozen=True):
    """Steps with nothing left open, which part of the text they are for, and what was settled."""

    steps: tuple[Step, ...]
    part: Part
    notes: tuple[str, ...]


def needs_sample(steps: Sequence[Step]) -> bool:
    """Return whether anything is to be worked out from the text."""
    is_unread = any(_needs_table(step, steps[:place]) for place, step in enumerate(steps))
    return is_unread or any(step.unsettled() for step in steps)


def check_steps(steps: Sequence[Step], sample: Callable[[], bytes]) -> None:
    """Refuse what a text shows to be wrong, before anything is run."""
    for step in steps:
        if type(step) in _CHECKS:
            _CHECKS[type(step)](step, sample)


def settle_steps(
    steps: Sequence[Step], sample: bytes, part: Part, *, is_part_stated: bool
) -> Settled:
    """Return steps with nothing left open.

    Parameters
    ----------
    sample : whole lines from the beginning of the part that is meant; empty where none is needed
    """
    made: list[Step] = []
    notes: list[str] = []
    for step in steps:
        if _needs_table(step, made):
            from wetcomb.drafts.draft import draft

            drafted = draft(make_text(made, sample), part=part if is_part_stated else None)
            made += [each for each in drafted.steps if each.reads == "text"]
            part, notes = drafted.part, [*notes, *drafted.notes]
        if step.unsettled():
            settled, said = _settle(step, made, sample)
            made.append(settled)
            notes += said
        else:
            made.append(step)
    return Settled(tuple(made), part, tuple(notes))


def _needs_table(step: Step, before: Sequence[Step]) -> bool:
    """Return whether a step needs a table, and none says how the text is cut into one."""
    is_table = any(made.makes == "table" for made in before)
    return step.reads == "table" and not step.is_column_cut and not is_table


def _settle(step: Step, before: Sequence[Step], sample: bytes) -> tuple[Step, list[str]]:
    values = {entry.name: getattr(step, entry.name) for entry in list_options(type(step))}
    known = {name: value for name, value in values.items() if value is not AUTO}
    if not step.is_column_cut:
        return _SETTLERS[type(step)](make_text(before, sample), known)
    if not before:
        raise UsageError(
            "split --column cuts the column of a table; say how the input's columns are parted: --read comma"
        )
    from wetcomb.drafts.weighing import settle_column

    return settle_column(make_table(before, sample), known)
