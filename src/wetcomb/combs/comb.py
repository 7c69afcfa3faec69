"""A comb: the steps that rebuild one kind of text, every option stated."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

import msgspec
from msgspec.structs import replace

from wetcomb.combs.part import Part
from wetcomb.core.errors import CombError
from wetcomb.steps.realign import Realign, Shift
from wetcomb.steps.split import Split
from wetcomb.steps.step import Step
from wetcomb.steps.unwrap import Unwrap
from wetcomb.steps.wash import Wash

if TYPE_CHECKING:
    from wetcomb.core.table import Table

__all__ = ["STEPS", "Comb", "Fits", "remember"]

#: Every step by its name.
STEPS: dict[str, type[Step]] = {"wash": Wash, "unwrap": Unwrap, "split": Split, "realign": Realign}


class Fits(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What a text must look like for a comb to fit it.

    Attributes
    ----------
    columns : the headings the text must have, in this order; none where they do not matter
    max_odd : share of the first records that may have a wrong number of fields
    max_snags : how many records may be snags before the exit status says so; None for any
        number
    """

    columns: tuple[str, ...] = ()
    max_odd: float = 0.5
    max_snags: int | None = None


class Comb(msgspec.Struct, frozen=True):
    """The steps, the encoding of the source, and what the text must look like.

    Raises
    ------
    CombError : the steps cannot follow one another
    """

    steps: tuple[Step, ...]
    encoding: str = ""
    fits: Fits = Fits()
    notes: tuple[str, ...] = ()
    part: Part = Part()

    def __post_init__(self) -> None:
        if not self.steps:
            raise CombError("a comb needs at least one [[step]]")
        before, name = "text", "the source"
        for number, step in enumerate(self.steps, 1):
            if step.reads != before:
                more = (
                    " (--column says which)" if step.name == "split" and before == "table" else ""
                )
                raise CombError(
                    f"step {number}: {step.name} reads {_name(step.reads)}{more}, but {name} before it makes {_name(before)}"
                    if number > 1
                    else f"{step.name} reads a table, but the source is text; --read says how its columns are parted"
                )
            before, name = step.makes, step.name
        if before != "table":
            raise CombError(
                f"{name} makes text; end the steps with split, which makes a table of it"
            )

    def run(self, text: str | bytes) -> Table:
        """Return the table this comb makes of a text; the ledger is closed on the way.

        Raises
        ------
        UsageError : an option is still to be worked out
        InputError : the text holds no records
        """
        from wetcomb.combs.run import run_text

        return run_text(self, text)


def remember(comb: Comb, texts: Mapping[str, str]) -> Comb:
    """Return a comb whose shifts go with the texts of the records they were made for."""
    steps = tuple(
        replace(step, shift=tuple(_add_text(shift, texts) for shift in step.shifts))
        if isinstance(step, Realign)
        else step
        for step in comb.steps
    )
    return replace(comb, steps=steps)


def _add_text(shift: Shift, texts: Mapping[str, str]) -> str:
    text = texts.get(shift.key, shift.text)
    return f"{shift.key}:{text}" if text else shift.key


def _name(kind: str) -> str:
    return "a table" if kind == "table" else "text"
