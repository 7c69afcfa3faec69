"""wetcomb split: cut at what is stated, and work out only what is left open."""

from __future__ import annotations

import argparse

from wetcomb.cli.parser import Parser, read_step_options
from wetcomb.cli.shared import add_job_options
from wetcomb.steps.split import Split
from wetcomb.steps.step import AUTO, list_options

__all__ = ["DESCRIPTION", "SUMMARY", "add_options", "run"]

SUMMARY = Split.summary
DESCRIPTION = """\
Cut lines into fields at a delimiter, quotes honoured. Left open, the delimiter, the
heading and the number of fields are worked out from the text and told; all else is as
the help says.

  wetcomb split prices.txt -d semicolon -o prices.csv
  wetcomb split log.txt -d '~|~' --header none --names 'when,who,what' -o log.csv
"""


def add_options(parser: Parser) -> None:
    """Add the options of this command."""
    add_job_options(parser)


def run(arguments: argparse.Namespace) -> int:
    """Run this command; return the exit status."""
    from wetcomb.cli.job import Job, open_sources, run_job
    from wetcomb.combs.check import make_fits
    from wetcomb.combs.comb import Comb, Fits

    options = Split(**read_step_options(Split, arguments))
    with open_sources(arguments) as sources:
        source = sources[0]
        notes: list[str] = []
        open_ones = options.unsettled()
        if (
            "delimiter" in open_ones
            or "header" in open_ones
            or (options.header == "none" and open_ones)
        ):
            from wetcomb.drafts.draft import settle_split

            given = {entry.name: getattr(options, entry.name) for entry in list_options(Split)}
            known = {name: value for name, value in given.items() if value is not AUTO}
            options, notes = settle_split(source.read_sample(), known)
        fits = Fits()
        if arguments.save_comb is not None:
            fits = make_fits(options, source.read_sample())
        comb = Comb((options,), source.encoding.name, fits)
        return run_job(Job(arguments, sources, comb, notes=notes))
