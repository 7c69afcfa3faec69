"""wetcomb realign: put shifted fields back under their columns."""

from __future__ import annotations

import argparse

from wetcomb.cli.parser import Parser, read_step_options
from wetcomb.cli.shared import add_job_options
from wetcomb.cli.steps import run_steps
from wetcomb.steps.realign import Realign

__all__ = ["DESCRIPTION", "STEP", "SUMMARY", "add_options", "run"]

STEP = Realign
SUMMARY = Realign.summary
DESCRIPTION = """\
Read every record that does not fit anew: how many of its pieces each column takes, going by
what the columns hold. What is certain is moved and told; all else stays as it is, a snag.
It reads a table (--read), or text that it cuts as split would.

  wetcomb realign register.txt --optional Cargo,Tons --shape 'Toll={digits}.{2 digits}' --moves
  wetcomb split crew.txt -d space + realign --absorb Boat --shape Tons=number -o crew.csv
  wetcomb realign log.csv --read comma --optional Cargo --figure log.png -o log-mended.csv
"""


def add_options(parser: Parser) -> None:
    """Add the options of this command."""
    add_job_options(parser, STEP, takes_tables=True)


def run(arguments: argparse.Namespace) -> int:
    """Run this command; return the exit status."""
    return run_steps(arguments, [(STEP, read_step_options(STEP, arguments))])
