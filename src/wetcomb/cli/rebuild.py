"""wetcomb rebuild: the main job, from a paste to clean records."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from wetcomb.cli.job_options import add_job_options
from wetcomb.cli.parser import Parser, read_step_options, split_commas
from wetcomb.cli.shared import (
    add_hints,
    find_part,
    first_of,
    quote_argument,
    read_all_examples,
    read_settings,
    type_hints,
    type_reading,
)  # fmt: skip
from wetcomb.core.errors import UsageError
from wetcomb.steps.split.options import Split

if TYPE_CHECKING:
    from wetcomb.combs.comb import Comb
    from wetcomb.core.doubts import Doubt
    from wetcomb.jobs.settings import JobSettings

__all__ = ["DESCRIPTION", "SUMMARY", "add_options", "run"]

SUMMARY = "rebuild clean records from a paste: the main job"
DESCRIPTION = """\
Work out how a text is cut and quoted, rebuild its records, tell what was done and what
does not fit. What you state is never overruled. Without -o: a preview on a terminal,
CSV in a pipe.

  wetcomb rebuild notices.txt -o notices.csv
  wetcomb rebuild next.txt --comb notices.comb.toml -o next.csv
  wetcomb rebuild *.txt --comb notices.comb.toml -o tables/
  wetcomb rebuild 'mails/*.eml' --comb mails.comb.toml --cluster local:4 -o parts/
"""


def add_options(parser: Parser) -> None:
    """Add the options of this command."""
    group = parser.add_argument_group("the comb")
    group.add_argument(
        "--comb",
        type=Path,
        metavar="FILE",
        help="use this comb instead of working one out (my.comb.toml)",
    )
    group.add_argument(
        "--unchecked",
        action="store_true",
        help="use the comb even if the text does not look like the one it was made for",
    )
    against = parser.add_argument_group("to hold it against something")
    against.add_argument(
        "--against",
        type=Path,
        metavar="FILE",
        help="say how the table differs from one that is wanted, else exit status 1 (wanted.csv)",
    )
    against.add_argument(
        "--by",
        type=split_commas,
        default=(),
        metavar="NAME,NAME",
        help="columns that tell a record from all others, for --against and for the file that --force replaces (No)",
    )
    add_job_options(parser, is_step=False)
    add_hints(parser)
    many = parser.add_argument_group("more text than one machine is for")
    many.add_argument(
        "--cluster",
        metavar="ADDRESS",
        default="",
        help="have the workers of a Dask scheduler comb the texts, a long one in shares; local:4 starts four for this run; the table comes in parts (tcp://10.0.0.5:8786)",
    )
    many.add_argument(
        "--inputs-from",
        type=Path,
        metavar="FILE",
        help="also read the texts that a file lists, one path or pattern a line (texts.txt)",
    )
    many.add_argument(
        "--part-size",
        type=int,
        metavar="MIB",
        help="how much text a part is made of, with --cluster (32)",
    )


def run(arguments: argparse.Namespace) -> int:
    """Run this command; return the exit status."""
    from wetcomb.jobs.job import Job, open_sources, run_job

    if arguments.cluster and arguments.comb is None:
        raise UsageError("--cluster runs a comb that is settled, the same for all texts; draft one first (wetcomb draft TEXT -o my.comb.toml), then give --comb my.comb.toml")  # fmt: skip
    if arguments.inputs_from is not None and not arguments.cluster:
        _add_listed(arguments)

    given = read_step_options(Split, arguments)
    examples = read_all_examples(arguments, given)
    Split(**given)
    is_part = not find_part(arguments).is_whole or (arguments.part or "").isdecimal()
    if arguments.comb is not None and is_part:
        raise UsageError("--lines, --from, --to and --part contradict --comb; state the part there")
    hints = [
        *given,
        *["label"][: len(arguments.label)],
        *["way"][: arguments.way > 1],
        *["example"][: len(examples)],
    ]
    if arguments.comb is not None and hints:
        flag = hints[0].replace("_", "-")
        raise UsageError(
            f"--{flag} and --comb contradict each other: a comb states every option; change it there"
        )
    if arguments.comb is not None:
        return _run_comb(arguments)
    settings = read_settings(arguments)
    with open_sources(first_of(settings)) as sources:
        from wetcomb.combs.part import part_blocks
        from wetcomb.drafts.draft import draft

        part = find_part(arguments, sources[0].read_sample)
        sample = sources[0].read_sample(partial(part_blocks, part))
        stated = part if is_part else None
        comb = draft(
            sample.data,
            encoding=sources[0].encoding.name,
            part=stated,
            first_line=sample.first_line,
            with_commands=not settings.quiet or settings.snags is not None,
            labels=arguments.label,
            way=arguments.way,
            examples=examples,
            **given,
        )
        comb, settings = _stop(comb, settings, arguments.stop_after)
        comb = comb.hold(arguments.must)
        if settings.folder is not None:
            note = f"the comb was drafted from {sources[0].name}, and each of the others is held against it"
            return _run_many(arguments, settings, comb, [note])
        next_command = _tell_next(arguments)
        return run_job(Job(settings, sources, comb, notes=comb.notes, next_command=next_command))


def _add_listed(arguments: argparse.Namespace) -> None:
    """Add the texts that a file lists to those that were named."""
    from wetcomb.jobs.cluster.inputs import list_texts, read_list

    arguments.inputs += [text.name for text in list_texts(read_list(arguments.inputs_from))]


def _stop(comb: Comb, settings: JobSettings, number: int | None) -> tuple[Comb, JobSettings]:
    """Return a comb of its first steps only, all where no number is given."""
    if number is None:
        return comb, settings
    from msgspec.structs import replace

    from wetcomb.cli.steps import stop_after, write_lines

    steps = stop_after(comb.steps, number)
    if steps[-1].makes == "text":
        steps, settings = write_lines(steps, settings)
    return replace(comb, steps=tuple(steps)), settings


def _run_comb(arguments: argparse.Namespace) -> int:
    from msgspec.structs import replace

    from wetcomb.combs.part import part_blocks
    from wetcomb.combs.toml import load_comb
    from wetcomb.jobs.fitness import Beginning
    from wetcomb.jobs.job import Job, open_sources, run_job

    comb = load_comb(arguments.comb).hold(arguments.must)
    arguments.encoding = arguments.encoding or comb.encoding
    settings = read_settings(arguments)
    if settings.cluster:
        return _run_on_cluster(arguments, settings, comb)
    if settings.folder is not None:
        comb, settings = _stop(comb, settings, arguments.stop_after)
        return _run_many(arguments, settings, comb, [f"by {arguments.comb}"])
    with open_sources(settings) as sources:
        doubts: tuple[Doubt, ...] = ()
        for source in sources:
            beginning = Beginning(comb, source.read_sample(partial(part_blocks, comb.part)))
            misfit = "" if arguments.unchecked else beginning.find_misfit()
            if misfit:
                return _tell_misfit(f"{source.name}: {misfit}", arguments.comb)
            doubts = doubts or beginning.find_doubts()
        comb, settings = _stop(replace(comb, doubts=doubts), settings, arguments.stop_after)
        base = arguments.comb.read_text(encoding="utf-8") if arguments.stop_after is None else ""
        return run_job(Job(settings, sources, comb, base, [f"by {arguments.comb}"]))


def _run_many(
    arguments: argparse.Namespace, settings: JobSettings, comb: Comb, notes: Sequence[str]
) -> int:
    """Run over each input by itself; return the exit status."""
    from wetcomb.jobs.many import ManyJob, run_many

    return run_many(ManyJob(settings, comb, not arguments.unchecked, notes))


def _run_on_cluster(arguments: argparse.Namespace, settings: JobSettings, comb: Comb) -> int:
    """Run over all inputs on a cluster; return the exit status."""
    from wetcomb.jobs.cluster.job import ClusterJob, run_on_cluster

    comb, settings = _stop(comb, settings, arguments.stop_after)
    job = ClusterJob(settings, comb, is_checked=not arguments.unchecked)
    return run_on_cluster(job, settings.cluster, [f"by {arguments.comb}"])


def _tell_misfit(misfit: str, comb: Path) -> int:
    """Tell that a text does not fit a comb; return the exit status for it."""
    from wetcomb.views.blocks import make_visible

    sys.stderr.write(
        f"wetcomb: {make_visible(misfit)}; nothing was written. Draft a new comb, or give --unchecked to use {make_visible(str(comb))} all the same\n"
    )
    return 1


def _tell_next(arguments: argparse.Namespace) -> str:
    is_told = not arguments.quiet and arguments.save_comb is None
    if not is_told or not arguments.inputs or arguments.inputs == ["-"]:
        return ""
    from wetcomb.drafts.typed_options import type_given, type_part

    name = arguments.inputs[0]
    hints = [*type_part(find_part(arguments)), *type_given(read_step_options(Split, arguments))]
    hints += [*type_hints(arguments), *type_reading(arguments)]
    comb = quote_argument(Path(name).stem + ".comb.toml")
    return " ".join(["wetcomb draft", quote_argument(name), *hints, "-o", comb])
