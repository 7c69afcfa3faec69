"""What is left open in a chain of steps, settled from a sample of the text.

Where nothing is, what drafts is not even loaded.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, Any

import msgspec

from wetcomb.combs.memory import make_batch, make_table, make_text
from wetcomb.combs.part import Part
from wetcomb.core.errors import UsageError
from wetcomb.steps.pull.options import Pull
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import AUTO, Step, list_options

if TYPE_CHECKING:
    from wetcomb.core.doubts import Doubt
    from wetcomb.drafts.doubts.seen import Drafted
    from wetcomb.drafts.weighing import Weighed

__all__ = ["Settled", "check_steps", "needs_sample", "settle_steps"]


def _check_split(split: Split, sample: Callable[[], bytes]) -> None:
    if split.edge_columns:
        from wetcomb.drafts.weighing import check_edges_fit

        check_edges_fit(split, sample)


#: What is to be checked of a step before it is run over a text, by its class.
_CHECKS: dict[type[Step], Callable[[Any, Callable[[], bytes]], None]] = {Split: _check_split}


class Settled(msgspec.Struct, frozen=True):
    """Steps with nothing left open, which part of the text they are for, what was settled and is doubtful."""

    steps: tuple[Step, ...]
    part: Part
    notes: tuple[str, ...]
    doubts: tuple[Doubt, ...] = ()


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
    steps: Sequence[Step], sample: bytes, part: Part, *, is_part_stated: bool, first_line: int = 1
) -> Settled:
    """Return steps with nothing left open.

    Parameters
    ----------
    sample : whole lines from the beginning of the part that is meant; empty where none is needed
    first_line : number of its first line in the source
    """
    made: list[Step] = []
    notes: list[str] = []
    doubts: tuple[Doubt, ...] = ()
    for place, step in enumerate(steps):
        if _needs_table(step, made):
            from wetcomb.drafts.draft import draft

            drafted = draft(make_text(made, sample), part=part if is_part_stated else None)
            made += [each for each in drafted.steps if each.reads == "text"]
            part, notes, doubts = drafted.part, [*notes, *drafted.notes], drafted.doubts
        if isinstance(step, Split) and step.example:
            found, part = _settle_example(step, made, sample, (part, first_line), is_part_stated)
            made += found[0]
            notes += found[1]
            doubts = (*doubts, *found[2])
        elif isinstance(step, Pull) and step.unsettled():
            from wetcomb.drafts.labels import settle_pull

            text = make_text(made, sample).decode()
            pulled, said = settle_pull(text, _list_stated(step))
            made.append(pulled)
            notes += said
        elif not step.unsettled() or not isinstance(step, Split):
            made.append(step)
        elif step.is_column_cut:
            settled, said = _settle_column(step, made, sample)
            made.append(settled)
            notes += said
        elif step.stacked or step.column_by_column:
            from wetcomb.drafts.stacked_blocks import SETTLED

            text = make_text(made, sample).decode()
            settled, said = SETTLED[step.way](text, _list_known(step))
            made.append(settled)
            notes += said
        else:
            known = _list_known(step)
            weighed = _weigh(made, sample, known)
            doubts = _find_doubts(steps, place, made, sample, (part, first_line), known, weighed)
            made.append(weighed.settled[0])
            notes += weighed.settled[1]
    return Settled(tuple(made), part, tuple(notes), doubts)


def _settle_example(
    step: Split, before: Sequence[Step], sample: bytes, where: tuple[Part, int], is_stated: bool
) -> tuple[tuple[list[Step], list[str], tuple[Doubt, ...]], Part]:
    """Return the steps that give what a split says by example, and the part that they are for."""
    from wetcomb.drafts.examples.settling import settle_column_example, settle_text_example

    part, first_line = where
    if step.is_column_cut:
        if not before:
            raise UsageError(
                "split --column cuts the column of a table; say how the input's columns are parted: --read comma"
            )
        return settle_column_example(step, make_table(before, sample)), part
    given = _list_stated(step)
    for name in ("example", "example_mark"):
        given.pop(name, None)
    text = make_text(before, sample)
    found, own = settle_text_example(step, text, part if is_stated else None, first_line, given)
    if before and own != part:
        raise UsageError("--example: the table is only part of what the steps before make; say which lines are meant (--lines)")  # fmt: skip
    return found, own if not is_stated else part


def _needs_table(step: Step, before: Sequence[Step]) -> bool:
    """Return whether a step needs a table, and none says how the text is cut into one."""
    is_table = any(made.makes == "table" for made in before)
    return step.reads == "table" and not step.is_column_cut and not is_table


def _list_stated(step: Step) -> dict[str, Any]:
    """Return the options of a step that are other than they would be anyway."""
    usual = {entry.name: entry.default for entry in list_options(type(step))}
    return {name: value for name, value in _list_known(step).items() if value != usual[name]}


def _list_known(step: Step) -> dict[str, Any]:
    """Return the options of a step that are not left open."""
    values = {entry.name: getattr(step, entry.name) for entry in list_options(type(step))}
    return {name: value for name, value in values.items() if value is not AUTO}


def _weigh(before: Sequence[Step], sample: bytes, known: Mapping[str, Any]) -> Weighed:
    from wetcomb.drafts.weighing import weigh_split

    return weigh_split(make_text(before, sample), known)


def _find_doubts(
    steps: Sequence[Step],
    place: int,
    before: Sequence[Step],
    sample: bytes,
    where: tuple[Part, int],
    known: Mapping[str, Any],
    weighed: Weighed,
) -> tuple[Doubt, ...]:
    """Return the doubts about a split whose open options were settled."""
    from wetcomb.core.text import Text
    from wetcomb.drafts.doubts.find import find_doubts
    from wetcomb.drafts.doubts.seen import Drafted
    from wetcomb.drafts.typed_options import type_chain, type_given, type_steps

    part, first_line = where
    usual = {entry.name: entry.default for entry in list_options(Split)}
    stated = {name: value for name, value in known.items() if value != usual[name]}

    def look(given: Mapping[str, Any], found: Weighed) -> Drafted:
        split = found.settled[0]
        chain = (*before, split)
        batch = make_batch(chain, Text.of(sample, first_line))
        return Drafted(given, sample, (), (), 1, chain, split, found, batch)

    def redraft(given: Mapping[str, Any]) -> Drafted:
        return look(given, _weigh(before, sample, {**known, **given}))

    def say(given: Mapping[str, Any]) -> str:
        split = " ".join(["split", *type_given(given)])
        return type_chain([*type_steps(before), split, *type_steps(steps[place + 1 :])], part)

    return find_doubts(look(stated, weighed), redraft, say, part)


def _settle_column(step: Step, before: Sequence[Step], sample: bytes) -> tuple[Step, list[str]]:
    if not before:
        raise UsageError(
            "split --column cuts the column of a table; say how the input's columns are parted: --read comma"
        )
    from wetcomb.drafts.weighing import settle_column

    return settle_column(make_table(before, sample), _list_known(step))
