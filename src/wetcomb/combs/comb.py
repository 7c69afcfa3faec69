"""A comb: the steps that rebuild one kind of text, every option stated."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from hashlib import sha256
from typing import TYPE_CHECKING, Any

import msgspec
from msgspec.structs import replace

from wetcomb.combs.memory import make_table
from wetcomb.combs.part import Part
from wetcomb.combs.usual import RunSeen
from wetcomb.core.doubts import Doubt
from wetcomb.core.errors import CombError
from wetcomb.core.table import Table
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.step import Step

if TYPE_CHECKING:
    from wetcomb.jobs.cluster.calls import Many

__all__ = ["Comb", "Fits"]


class Fits(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What a text must look like for a comb to fit it.

    Attributes
    ----------
    columns : the headings the text must have, in this order; none where they do not matter
    max_odd : share of the first records that may have a wrong number of fields
    max_snags : how many records may be snags before the exit status says so; None for any
        number
    run : what the runs looked like that were accepted (`check --accept`), the last few
    """

    columns: tuple[str, ...] = ()
    max_odd: float = 0.5
    max_snags: int | None = None
    run: tuple[RunSeen, ...] = ()


_MOST_RUNS = 12  # that a comb keeps
#: Steps that may follow those that write values in another form than they were printed in.
_WRITE_ANEW, _BEHIND_THEM = ("clean", "glue"), ("clean", "glue", "lines")


class Comb(msgspec.Struct, frozen=True):
    """The steps, the encoding of the source, and what the text must look like.

    `notes` and `doubts` are what was found when it was drafted; they are no part of it.

    Raises
    ------
    CombError : the steps cannot follow one another
    """

    steps: tuple[Step, ...]
    encoding: str = ""
    fits: Fits = Fits()
    notes: tuple[str, ...] = ()
    part: Part = Part()
    doubts: tuple[Doubt, ...] = ()

    def __post_init__(self) -> None:
        if not self.steps:
            raise CombError("a comb needs at least one [[step]]")
        before, name = "text", "the source"
        for number, step in enumerate(self.steps, 1):
            if step.reads != before:
                more = " (--column says which)" if step.may_cut_column and before == "table" else ""
                raise CombError(
                    f"step {number}: {step.name} reads {_name(step.reads)}{more}, but {name} before it makes {_name(before)}"
                    if number > 1
                    else f"{step.name} reads a table, but the source is text; --read says how its columns are parted"
                )
            if name in _WRITE_ANEW and step.name not in _BEHIND_THEM:
                raise CombError(
                    f"step {number}: {step.name} reads values as they were printed, but {name} before it writes them otherwise; {name} comes last"
                )
            if step.name == "realign" and "pull" in (
                each.name for each in self.steps[: number - 1]
            ):
                raise CombError(
                    f"step {number}: realign reads the pieces of a line in their order, and pull before it makes none; clean --fix mends a cell"
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
        raw = text.encode() if isinstance(text, str) else text
        steps = self.untie(sha256(raw).hexdigest()).steps if self.is_tied else self.steps
        return make_table(steps, text, self.part)

    def run_many(self, sources: Any, output: Any, **options: Any) -> Many:
        """Run over many texts, or long ones, on a cluster or here: see `wetcomb.run_many`."""
        from wetcomb import run_many

        return run_many(self, sources, output, **options)

    def fit(self, fits: Fits) -> Comb:
        """Return the comb with what a text must look like for it."""
        return replace(self, fits=fits)

    def accept(self, run: RunSeen) -> Comb:
        """Return the comb with one more run that a text is held against."""
        runs = (*self.fits.run, run)[-_MOST_RUNS:]
        return replace(self, fits=replace(self.fits, run=runs))

    def hold(self, musts: Sequence[str]) -> Comb:
        """Return the comb with more that must hold of its table.

        Raises
        ------
        UsageError : it is not written as it should be
        """
        if not musts:
            return self
        *others, last = self.steps
        if isinstance(last, Clean):
            last = replace(last, must=(*last.must, *musts))
            return replace(self, steps=(*others, last))
        return replace(self, steps=(*self.steps, Clean(must=tuple(musts))))

    @property
    def is_tied(self) -> bool:
        """Whether some of it is meant for one text only, known by its digest."""
        return any(step.is_tied for step in self.steps)

    def untie(self, digest: str) -> Comb:
        """Return the comb as it is meant for the text of a digest."""
        return replace(self, steps=tuple(step.untie(digest) for step in self.steps))

    def remember(self, texts: Mapping[str, str], digest: str) -> Comb:
        """Return the comb with the texts that some of its steps' options go with, and whose they are."""
        made = (step.remember(texts, digest) for step in self.steps)
        return replace(self, steps=tuple(step for step in made if step is not None))


def _name(kind: str) -> str:
    return "a table" if kind == "table" else "text"
