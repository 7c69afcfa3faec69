"""wetcomb unwrap: put the lines of a record together, before they are split."""

from __future__ import annotations

import argparse

from wetcomb.cli.parser import Parser, read_step_options
from wetcomb.cli.shared import add_job_options
from wetcomb.core.errors import UsageError
from wetcomb.steps.unwrap import Unwrap

__all__ = ["DESCRIPTION", "STEP", "SUMMARY", "add_options", "run"]

STEP = Unwrap
SUMMARY = Unwrap.summary
DESCRIPTION = """\
Put the lines of a record together again, one rule or several: where a record begins or ends,
indented lines, blank lines between records, a number of fields, a full line. It makes text;
a lone `+` hands it on to split.

  wetcomb unwrap jobs.txt --starts 'J{digits}' + split -d pipe -o jobs.csv
  wetcomb unwrap list.txt --indent --hyphens mend + split -d semicolon -o list.csv
"""


def add_options(parser: Parser) -> None:
    """Add the options of this command."""
    add_job_options(parser, STEP)


def run(arguments: argparse.Namespace) -> int:
    """Run this command; return the exit status."""
    given = read_step_options(STEP, arguments)
    STEP(**given)
    raise UsageError(
        "unwrap makes text, no table; go on with: + split (and -d none, to have each record in one column)"
    )
