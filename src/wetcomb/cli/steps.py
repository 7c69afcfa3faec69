"""Run one step or a chain of them over the inputs, settling only what is left open."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from functools import partial
from typing import TYPE_CHECKING, Any

from wetcomb.core.errors import UsageError
from wetcomb.steps.split import Split
from wetcomb.steps.step import AUTO, Step, list_options

if TYPE_CHECKING:
    from wetcomb.combs.comb import Comb
    from wetcomb.combs.part import Part
    from wetcomb.files.source import Source

__all__ = ["run_steps"]

Given = Sequence[tuple[type[Step], dict[str, Any]]]


def run_steps(arguments: argparse.Namespace, given: Given) -> int:
    """Run steps one after another; return the exit status."""
    from wetcomb.cli.job import Job, open_sources, run_job
    from wetcomb.cli.shared import find_part
    from wetcomb.combs.check import find_split, make_fits
    from wetcomb.combs.part import part_blocks

    for kind, options in given:
        kind(**options)  # what contradicts itself is told before anything is read
    find_part(arguments)
    with open_sources(arguments) as sources:
        source = sources[0]
        part = find_part(arguments, source.read_sample)
        needs_sample = _needs_sample(arguments, given)
        sample = source.read_sample(partial(part_blocks, part)).data if needs_sample else b""
        _check_edges(given, source, part)
        comb, notes = _settle(arguments, source, part, sample, given)
        if arguments.save_comb is not None:
            if not sample or comb.part != part:
                sample = source.read_sample(partial(part_blocks, comb.part)).data
            comb = _with_fits(comb, make_fits(*find_split(comb, sample)))
        return run_job(Job(arguments, sources, comb, notes=notes))


def _check_edges(given: Given, source: Source, part: Part) -> None:
    """Refuse edges that no line of the text reaches, before anything is run."""
    from wetcomb.combs.part import part_blocks

    for kind, options in given:
        step = kind(**options)
        if isinstance(step, Split) and isinstance(step.edges, tuple) and step.edges:
            from wetcomb.drafts.draft import check_edges

            sample = source.read_sample(partial(part_blocks, part))
            check_edges(step.edges, sample.data, step.tab_width)


def _needs_sample(arguments: argparse.Namespace, given: Given) -> bool:
    """Return whether anything is to be worked out from the text."""
    steps = [kind(**options) for kind, options in given]
    is_unread = not getattr(arguments, "read", "") and any(
        _is_unread(step, steps[:place]) for place, step in enumerate(steps)
    )
    return is_unread or any(map(_list_open, steps))


def _is_unread(step: Step, before: Sequence[Step]) -> bool:
    """Return whether a step needs a table, and none says how the text is cut into one."""
    is_table = any(made.makes == "table" for made in before)
    return step.reads == "table" and not isinstance(step, Split) and not is_table


def _list_open(step: Step) -> list[str]:
    """Return the options of a step that cannot be left open."""
    names = step.unsettled()
    if isinstance(step, Split):
        if step.edges == "blanks" and not step.stacked:
            names.append("edges")
        if not step.needs_fields:
            names = [name for name in names if name != "fields"]
    return names


def _settle(
    arguments: argparse.Namespace, source: Source, part: Part, sample: bytes, given: Given
) -> tuple[Comb, list[str]]:
    """Return the comb of all steps, nothing left open in it, and what was settled."""
    from wetcomb.combs.comb import Comb

    steps: list[Step] = []
    notes: list[str] = []
    if getattr(arguments, "read", ""):
        steps.append(Split(delimiter=arguments.read, heading="first", fields=0))
        notes.append(f"Read as a table with a heading, its columns parted by {arguments.read}.")
    for kind, options in given:
        step = kind(**options)
        if _is_unread(step, steps):
            from wetcomb.combs.run import rewrite_sample
            from wetcomb.drafts.draft import draft

            stated = None if part.is_whole and arguments.part is None else part
            drafted = draft(rewrite_sample(steps, sample), part=stated)
            steps += [made for made in drafted.steps if made.reads == "text"]
            part, notes = drafted.part, [*notes, *drafted.notes]
        if _list_open(step):
            step, said = _settle_step(step, steps, sample, source.encoding.name)
            notes += said
        steps.append(step)
    return Comb(tuple(steps), source.encoding.name, part=part), notes


def _settle_step(
    step: Step, before: Sequence[Step], sample: bytes, encoding: str
) -> tuple[Step, list[str]]:
    from wetcomb.combs.comb import Comb
    from wetcomb.combs.run import rewrite_sample
    from wetcomb.drafts.draft import settle_column, settle_split

    assert isinstance(step, Split)
    values = {entry.name: getattr(step, entry.name) for entry in list_options(type(step))}
    known = {name: value for name, value in values.items() if value is not AUTO}
    if step.column:
        if not before:
            raise UsageError(
                "split --column cuts the column of a table; say how the input's columns are parted: --read comma"
            )
        return settle_column(Comb(tuple(before), encoding).run(sample), known)
    return settle_split(rewrite_sample(before, sample), known)


def _with_fits(comb: Comb, fits: Any) -> Comb:
    from msgspec.structs import replace

    return replace(comb, fits=fits)
