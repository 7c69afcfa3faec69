"""wetcomb check: whether a text still fits a comb, before anything is written."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from wetcomb.cli.parser import Parser
from wetcomb.cli.shared import add_other
from wetcomb.core.errors import UsageError

__all__ = ["DESCRIPTION", "SUMMARY", "add_options", "run"]

SUMMARY = "see whether a text still fits a comb, before anything is written"
DESCRIPTION = """\
Run a comb over the next text without writing anything, and say what is not as in the runs before:
another heading, columns that changed places, values of a foreign kind, new words in a closed list,
sums of another size, lines that are gone. Exit status 0 if it fits, 1 if not. --accept keeps a run
that you have looked at in the comb, as one that others are held against.

  wetcomb check june.txt --comb tolls.comb.toml --accept
  wetcomb check july.txt --comb tolls.comb.toml
"""


def add_options(parser: Parser) -> None:
    """Add the options of this command."""
    group = parser.add_argument_group("input")
    group.add_argument("input", metavar="INPUT", help="the text; - for standard input")
    group.add_argument(
        "--comb", type=Path, metavar="FILE", help="the comb that it is to fit (my.comb.toml)"
    )
    group.add_argument(
        "--encoding", metavar="NAME", default="", help="what the text is written in (cp1252)"
    )
    group.add_argument(
        "--accept",
        action="store_true",
        help="keep this run in the comb, as one of those that others are held against",
    )
    add_other(parser)


def run(arguments: argparse.Namespace) -> int:
    """Run this command; return the exit status."""
    from wetcomb.jobs.check import check_text
    from wetcomb.jobs.job import has_color
    from wetcomb.views.check import build_check
    from wetcomb.views.terminal import make_console, render_blocks

    if arguments.comb is None:
        raise UsageError("check holds a text against a comb; name it: --comb FILE (wetcomb draft makes one)")  # fmt: skip
    checked = check_text(
        arguments.input, arguments.comb, encoding=arguments.encoding, accept=arguments.accept
    )
    notes = []
    if not checked.is_whole:
        notes.append(
            "only the beginning was looked at; counts and totals are not held against others"
        )
    if checked.is_accepted:
        notes.append(f"it is run {checked.n_runs + 1} of {arguments.comb} now")
    elif not checked.n_runs and not checked.departures:
        notes.append(f"{arguments.comb} keeps no run yet that values could be held against; --accept keeps this one")  # fmt: skip
    if not arguments.quiet and sys.stdout is not None:
        color = has_color(sys.stdout, is_plain=arguments.no_color)
        told = [(one.about, one.said) for one in checked.departures]
        records = checked.run.records if checked.run is not None else None
        blocks = build_check(checked.name, told, notes, records=records)
        render_blocks(make_console(sys.stdout, has_color=color), blocks)
    return int(bool(checked.departures) and not checked.is_accepted)
