"""wetcomb split: cut at what is stated, and work out only what is left open."""

from __future__ import annotations

import argparse

from wetcomb.cli.parser import Parser, read_step_options
from wetcomb.cli.shared import add_job_options
from wetcomb.cli.steps import run_steps
from wetcomb.steps.split import Split

__all__ = ["DESCRIPTION", "STEP", "SUMMARY", "add_options", "run"]

STEP = Split
SUMMARY = Split.summary
DESCRIPTION = """\
Cut text into fields by whatever divides it: delimiters (quotes honoured), display columns,
changes of kind, patterns. Left open, the delimiter, the heading and the number of fields
are worked out from the text and told; all else is as the help says.

  wetcomb split prices.txt -d semicolon -o prices.csv
  wetcomb split report.txt --edges 12,30,41 --heading 2 -o report.csv
  wetcomb split list.txt -d semicolon + split --column 2 --boundary '9|a' -o list.csv
"""


def add_options(parser: Parser) -> None:
    """Add the options of this command."""
    add_job_options(parser, STEP, takes_tables=True)


def run(arguments: argparse.Namespace) -> int:
    """Run this command; return the exit status."""
    return run_steps(arguments, [(STEP, read_step_options(STEP, arguments))])
