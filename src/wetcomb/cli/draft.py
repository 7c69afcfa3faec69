"""wetcomb draft: work out a comb and write only that, to be read and changed."""

from __future__ import annotations

import argparse
import sys
from functools import partial
from pathlib import Path

from wetcomb.cli.parser import Parser, add_step_options, read_step_options
from wetcomb.cli.shared import (
    add_hints,
    add_input,
    add_other,
    find_part,
    read_all_examples,
    read_settings,
)
from wetcomb.steps.split.options import Split

__all__ = ["DESCRIPTION", "SUMMARY", "add_options", "run"]

SUMMARY = "work out a comb and write it, to be read and changed"
DESCRIPTION = """\
Work out how a text is cut and quoted, and write the comb with its reasons: the evidence
and the next best ways stand in its comments. What you state is never overruled.

  wetcomb draft notices.txt -o notices.comb.toml
"""


def add_options(parser: Parser) -> None:
    """Add the options of this command."""
    add_input(parser)
    add_hints(parser)
    add_step_options(parser, Split)
    group = parser.add_argument_group("output")
    group.add_argument(
        "-o",
        "--output",
        type=Path,
        metavar="FILE",
        help="where to write the comb (my.comb.toml); without it, to standard output",
    )
    group.add_argument(
        "--force", action="store_true", help="replace a file that is there already; never the input"
    )
    add_other(parser)


def run(arguments: argparse.Namespace) -> int:
    """Run this command; return the exit status."""
    from wetcomb.combs.part import part_blocks
    from wetcomb.combs.toml import render_comb
    from wetcomb.drafts.draft import draft
    from wetcomb.files.sinks import Sink
    from wetcomb.jobs.job import open_sources

    given = read_step_options(Split, arguments)
    examples = read_all_examples(arguments, given)
    with open_sources(read_settings(arguments)) as sources:
        part = find_part(arguments, sources[0].read_sample)
        sample = sources[0].read_sample(partial(part_blocks, part))
        stated = None if part.is_whole else part
        comb = draft(
            sample.data,
            encoding=sources[0].encoding.name,
            part=stated,
            first_line=sample.first_line,
            with_readings=True,
            labels=arguments.label,
            way=arguments.way,
            examples=examples,
            **given,
        )
    sink = Sink(arguments.output)
    try:
        sink.write(render_comb(comb).encode())
        sink.prepare()
        sink.commit()
    finally:
        sink.discard()
    if arguments.output is not None and not arguments.quiet:
        from wetcomb.views.blocks import make_visible

        told = [*comb.notes, f"written: {arguments.output}"]
        sys.stderr.write("".join(f"{make_visible(line)}\n" for line in told))
    return 0
