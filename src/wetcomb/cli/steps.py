"""The commands that are steps, made from the registry; and chains of them."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from functools import partial
from typing import TYPE_CHECKING

from msgspec.structs import replace

from wetcomb.cli.job_options import add_job_options
from wetcomb.cli.parser import Parser, read_step_options
from wetcomb.cli.shared import READ_AS, find_part, first_of, read_settings
from wetcomb.core.errors import UsageError
from wetcomb.steps.lines.options import Lines
from wetcomb.steps.registry import STEPS
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import AUTO, Step

if TYPE_CHECKING:
    from wetcomb.combs.part import Part
    from wetcomb.core.batch import Advice
    from wetcomb.files.source import Source
    from wetcomb.jobs.settings import JobSettings

__all__ = ["StepCommand", "list_commands", "run_steps", "stop_after", "write_lines"]


class StepCommand:
    """The command of one step.

    Attributes
    ----------
    name, summary, description, operands : for the help
    """

    operands = "[INPUT ...]"

    def __init__(self, step: type[Step]) -> None:
        self._step = step
        self.name, self.summary, self.description = step.name, step.summary, step.usage

    def add_options(self, parser: Parser) -> None:
        """Add the options of this command."""
        add_job_options(parser, self._step)

    def read(self, arguments: argparse.Namespace) -> Step:
        """Return the step with the options that were given."""
        return self._step(**read_step_options(self._step, arguments))

    def run(self, arguments: argparse.Namespace) -> int:
        """Run this command; return the exit status."""
        return run_steps(arguments, [self.read(arguments)])


def list_commands() -> list[StepCommand]:
    """Return a command for each step."""
    return [StepCommand(step) for step in STEPS.values() if step.is_command]


def run_steps(arguments: argparse.Namespace, given: Sequence[Step]) -> int:
    """Run steps one after another; return the exit status."""
    steps = stop_after(_add_reading(arguments, given), arguments.stop_after)
    find_part(arguments)
    from wetcomb.combs.check import find_split, make_fits
    from wetcomb.combs.comb import Comb
    from wetcomb.drafts.settling import check_steps, needs_sample, settle_steps
    from wetcomb.jobs.job import Job, open_sources, run_job

    settings = read_settings(arguments)
    musts = getattr(arguments, "must", [])
    if steps[-1].makes == "text" and musts:
        raise UsageError(f"--must is about a table, and {steps[-1].name} makes text")
    if steps[-1].makes == "text":
        steps, settings = write_lines(steps, settings)
    with open_sources(first_of(settings)) as sources:
        source = sources[0]
        part = find_part(arguments, source.read_sample)
        sample, first_line = _read_sample(source, part) if needs_sample(steps) else (b"", 1)
        check_steps(steps, lambda: _read_sample(source, part)[0])
        is_stated = not part.is_whole
        settled = settle_steps(steps, sample, part, is_part_stated=is_stated, first_line=first_line)
        comb = Comb(settled.steps, source.encoding.name, part=settled.part, doubts=settled.doubts)
        if settings.save_comb is not None:
            if not sample or comb.part != part:
                sample = _read_sample(source, comb.part)[0]
            comb = comb.fit(make_fits(*find_split(comb, sample)))
        comb = comb.hold(musts)
        notes = [*_tell_reading(arguments), *settled.notes]

        if settings.folder is not None:
            from wetcomb.jobs.many import ManyJob, run_many

            return run_many(ManyJob(settings, comb, is_checked=False, notes=notes))

        def advise() -> Sequence[Advice]:
            from wetcomb.drafts.realign_advice import list_realign_advice

            return list_realign_advice(comb.steps, _read_sample(source, comb.part)[0])

        return run_job(Job(settings, sources, comb, notes=notes, advise=advise))


def stop_after(steps: Sequence[Step], number: int | None) -> list[Step]:
    """Return the first steps of a chain, all where no number is given.

    Raises
    ------
    UsageError : there are not as many
    """
    if number is not None and number > len(steps):
        has = "1 step" if len(steps) == 1 else f"{len(steps)} steps"
        raise UsageError(f"--stop-after {number}: there {'is' if len(steps) == 1 else 'are'} {has}")
    return list(steps[:number])


def write_lines(steps: Sequence[Step], settings: JobSettings) -> tuple[list[Step], JobSettings]:
    """Return steps that make text with the one that writes it, a line a record.

    Raises
    ------
    UsageError : a table is wanted
    """
    from wetcomb.files.formats.table import find_format

    to_pipe = settings.output is None and not settings.format
    if not to_pipe and find_format(settings.output, settings.format) != "txt":
        raise UsageError(
            f"{steps[-1].name} makes text, no table; name a file that ends in .txt, or go on with: + split (and -d none, to have each line in one column)"
        )
    return [*steps, Lines()], replace(settings, format="txt", no_source_file=True)


def _read_sample(source: Source, part: Part) -> tuple[bytes, int]:
    """Return whole lines from the beginning of a part, and the number of the first."""
    from wetcomb.combs.part import part_blocks

    sample = source.read_sample(partial(part_blocks, part))
    return sample.data, sample.first_line


def _add_reading(arguments: argparse.Namespace, given: Sequence[Step]) -> list[Step]:
    """Return the steps, behind the one that reads the input as a table where it is said to be one.

    A split that cuts no column says which columns are kept, and what they are called.
    """
    how = getattr(arguments, "read", "")
    if how in ("", "mail"):
        return list(given)
    delimiter = READ_AS.get(how, how)
    first = given[0]
    if not isinstance(first, Split) or first.is_column_cut:
        return [Split(delimiter=delimiter, heading="first", fields=0), *given]
    is_whole = first.way == "lines" and first.records_at == "newline"
    if not is_whole or first.delimiter is not AUTO or first.heading is not AUTO:
        raise UsageError(
            f"--read {how} says how records and columns are parted; to cut a column further, name it: --column NAME"
        )
    return [replace(first, delimiter=delimiter, heading="first", fields=0), *given[1:]]


def _tell_reading(arguments: argparse.Namespace) -> list[str]:
    if getattr(arguments, "read", "") in ("", "mail"):
        return []
    how = READ_AS.get(arguments.read, arguments.read)
    return [f"Read as a table with a heading, its columns parted by {how}."]
