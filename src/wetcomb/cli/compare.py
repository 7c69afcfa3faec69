"""wetcomb compare: two tables held against each other."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from wetcomb.cli.parser import Parser, split_commas
from wetcomb.cli.shared import READ_WORDS, add_other

__all__ = ["DESCRIPTION", "SUMMARY", "add_options", "run"]

SUMMARY = "hold a table against another: what is new, gone or changed"
DESCRIPTION = """\
Say how a table differs from another: records that only one has, cells that changed, columns that
were moved or renamed, other spacing apart. Exit status 0 if they are alike, 1 if not.

  wetcomb compare wanted.csv clean.csv
  wetcomb compare last.csv this.csv --by No -o differences.csv
"""


def add_options(parser: Parser) -> None:
    """Add the options of this command."""
    group = parser.add_argument_group("input")
    group.add_argument(
        "old", metavar="OLD", help="the table that was, or is wanted (csv, tsv, jsonl)"
    )
    group.add_argument("new", metavar="NEW", help="the table that is; - for standard input")
    group.add_argument(
        "--read",
        choices=READ_WORDS,
        metavar="NAME",
        default="",
        help=f"how both are parted, where their endings do not say so: {' '.join(READ_WORDS)}",
    )
    group.add_argument(
        "--encoding", metavar="NAME", default="", help="what both are written in (cp1252)"
    )
    how = parser.add_argument_group("what counts")
    how.add_argument(
        "--by",
        metavar="NAME,NAME",
        default="",
        help="columns whose values tell a record from all others; without them equal records belong together (No)",
    )
    how.add_argument("--ignore-case", action="store_true", help="capitals do not count")
    how.add_argument("--ignore-spacing", action="store_true", help="blanks do not count")
    output = parser.add_argument_group("output")
    output.add_argument(
        "-o",
        "--output",
        type=Path,
        metavar="FILE",
        help="write all differences as a table (differences.csv)",
    )
    output.add_argument("--force", action="store_true", help="replace a file that is there already")
    add_other(parser)


def run(arguments: argparse.Namespace) -> int:
    """Run this command; return the exit status."""
    from wetcomb.jobs.compare import CompareSettings, compare_files
    from wetcomb.jobs.job import has_color
    from wetcomb.views.compare import build_comparison
    from wetcomb.views.terminal import make_console, render_blocks

    found = compare_files(
        CompareSettings(
            old=arguments.old,
            new=arguments.new,
            by=read_names(arguments.by),
            read=arguments.read,
            encoding=arguments.encoding,
            ignore_case=arguments.ignore_case,
            ignore_spacing=arguments.ignore_spacing,
            output=arguments.output,
            force=arguments.force,
        )
    )
    if not arguments.quiet and sys.stdout is not None:
        color = has_color(sys.stdout, is_plain=arguments.no_color)
        render_blocks(make_console(sys.stdout, has_color=color), build_comparison(found))
    return int(not found.is_alike)


def read_names(text: str) -> tuple[str, ...]:
    """Return the columns of a key."""
    return tuple(split_commas(text)) if text else ()
