"""wetcomb inspect: what is in a text, what would be made of it, what to type next."""

from __future__ import annotations

import argparse
import sys
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from wetcomb.cli.parser import Parser, add_step_options, read_step_options
from wetcomb.cli.shared import (
    add_hints,
    add_input,
    add_other,
    find_part,
    quote_argument,
    read_all_examples,
    read_settings,
    type_hints,
    type_reading,
)  # fmt: skip
from wetcomb.steps.split.options import Split

if TYPE_CHECKING:
    from wetcomb.core.inspection import Inspection
    from wetcomb.files.source import Source

__all__ = ["DESCRIPTION", "SUMMARY", "add_options", "run"]

SUMMARY = "look at a text: its parts, how it would be cut, what to type next"
DESCRIPTION = """\
Look at a text without changing anything: its encoding and odd characters, its parts, for
each table the best way to cut it with the evidence, its columns and its odd records, and the
commands to go on with. What you state is never overruled. `wetcomb FILE` does the same.

  wetcomb inspect paste.txt
  wetcomb inspect paste.txt --lines 4-88 -d semicolon
"""


def add_options(parser: Parser) -> None:
    """Add the options of this command."""
    add_step_options(parser, Split)
    add_hints(parser)
    add_input(parser)
    output = parser.add_argument_group("output")
    output.add_argument(
        "--evidence",
        action="store_true",
        help="show all of it: every part, column and way, and what each way costs in bits",
    )
    output.add_argument(
        "--json", action="store_true", help="write what was found as JSON, for programs"
    )
    add_other(parser)


def run(arguments: argparse.Namespace) -> int:
    """Run this command; return the exit status."""
    from wetcomb.combs.part import part_blocks
    from wetcomb.drafts.inspect import inspect_text
    from wetcomb.jobs.job import open_sources

    given = read_step_options(Split, arguments)
    examples = read_all_examples(arguments, given)
    Split(**given)
    find_part(arguments)
    with open_sources(read_settings(arguments)) as sources:
        seen = []
        for source in sources:
            part = find_part(arguments, source.read_sample)
            sample = source.read_sample(partial(part_blocks, part))
            seen.append(
                (
                    source,
                    inspect_text(
                        sample,
                        given,
                        None if part.is_whole else part,
                        arguments.label,
                        arguments.way,
                        examples,
                    ),
                )
            )
        if arguments.json:
            _write_json(seen)
        else:
            _show(arguments, seen)
    return 0


def _write_json(seen: list[tuple[Source, Inspection]]) -> None:
    import msgspec

    from wetcomb.core.doubts import find_verdict

    pages = [
        {
            "source": source.name,
            "encoding": source.encoding.name,
            "encoding_how": source.encoding.how,
            "bytes": source.size,
            "verdict": find_verdict(inspection.doubts),
            **msgspec.to_builtins(inspection),
        }
        for source, inspection in seen
    ]
    raw = msgspec.json.format(msgspec.json.encode(pages[0] if len(pages) == 1 else pages))
    sys.stdout.write(raw.decode() + "\n")


def _show(arguments: argparse.Namespace, seen: list[tuple[Source, Inspection]]) -> None:
    from wetcomb.jobs.job import has_color
    from wetcomb.views.evidence import build_evidence
    from wetcomb.views.inspection import build_inspection
    from wetcomb.views.terminal import make_console, render_blocks

    console = make_console(sys.stdout, has_color=has_color(sys.stdout, is_plain=arguments.no_color))
    for source, inspection in seen:
        told = (
            f"{source.name} ({source.encoding.name}, {source.encoding.how}; {source.size:,} bytes)"
        )
        next_ones = _list_next(arguments, source, inspection)
        build = build_evidence if arguments.evidence else build_inspection
        page = build(inspection, told, source.name, console.width, next_ones)
        render_blocks(console, page)


def _list_next(arguments: argparse.Namespace, source: Source, seen: Inspection) -> list[str]:
    """Return the commands to go on with: the job by itself, and the same with all of it stated."""
    from wetcomb.drafts.typed_options import type_given, type_part

    if source.path is None:
        return []
    name = quote_argument(arguments.inputs[0] if len(arguments.inputs) == 1 else source.name)
    stem = Path(source.name).stem
    hints = type_given(read_step_options(Split, arguments))
    if len(seen.tables) > 1:
        return [
            _join(
                "wetcomb rebuild", name, f"--part {table.part}", *hints,
                "-o", quote_argument(f"{stem}-{table.part}.csv"),
            )
            for table in seen.tables
        ]  # fmt: skip
    where = type_part(find_part(arguments))
    where += [*type_hints(arguments), *type_reading(arguments)]
    out = quote_argument(f"{stem}.csv")
    commands = [_join("wetcomb rebuild", name, *where, *hints, "-o", out)]
    for table in seen.tables:
        steps = [*table.before, _join(table.step, *table.options), *table.after]
        command, _, options = steps[0].partition(" ")
        every = [options, *(f"+ {step}" for step in steps[1:])]
        commands.append(_join("wetcomb", command, name, *table.where, *every, "-o", out))
    return commands


def _join(*words: str) -> str:
    return " ".join(filter(None, words))
