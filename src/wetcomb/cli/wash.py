"""wetcomb wash: take off what was never part of the text, before it is split."""

from __future__ import annotations

import argparse

from wetcomb.cli.parser import Parser, read_step_options
from wetcomb.cli.shared import add_job_options
from wetcomb.core.errors import UsageError
from wetcomb.steps.wash import Wash

__all__ = ["DESCRIPTION", "STEP", "SUMMARY", "add_options", "run"]

STEP = Wash
SUMMARY = Wash.summary
DESCRIPTION = """\
Take off what was never part of the text: page heads and feet and other lines that a pattern
names, reply marks of quoted mails, characters that cannot be seen. Each kind is counted and
told. It makes text; a lone `+` hands it on to unwrap or split.

  wetcomb wash report.txt --page-head '{any} Page {digits}' + split -d gap -o report.csv
  wetcomb wash mail.txt --drop-lines 'Best regards{any}' + unwrap --indent + split -d ';'
"""


def add_options(parser: Parser) -> None:
    """Add the options of this command."""
    add_job_options(parser, STEP)


def run(arguments: argparse.Namespace) -> int:
    """Run this command; return the exit status."""
    given = read_step_options(STEP, arguments)
    STEP(**given)
    raise UsageError(
        "wash makes text, no table; go on with: + split (and -d none, to have each line in one column)"
    )
