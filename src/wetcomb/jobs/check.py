"""Whether a text still fits a comb: it is run over it, nothing is written, and held against the runs before."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path

import msgspec

from wetcomb.combs.check import find_misfit
from wetcomb.combs.comb import Comb
from wetcomb.combs.engine import run_blocks
from wetcomb.combs.part import part_blocks
from wetcomb.combs.toml import load_comb, render_comb
from wetcomb.combs.usual import Departure, RunSeen, find_departures, measure_run
from wetcomb.core.decoded import Decoded
from wetcomb.core.errors import CombError, InputError, UsageError
from wetcomb.core.report import Report
from wetcomb.core.table import Table
from wetcomb.files.opening import open_source
from wetcomb.files.sinks import Sink
from wetcomb.files.source import Source

__all__ = ["Checked", "check_text"]


class Checked(msgspec.Struct):
    """What came of it.

    Attributes
    ----------
    name : of the text
    departures : what is not as usual; none where it fits
    run : what it looked like; None where the comb could not be run
    n_runs : runs that it was held against
    is_whole : all of it was looked at
    is_accepted : it is one of the comb's runs now
    """

    name: str
    departures: Sequence[Departure] = ()
    run: RunSeen | None = None
    n_runs: int = 0
    is_whole: bool = True
    is_accepted: bool = False


def check_text(name: str, comb_path: Path, *, encoding: str = "", accept: bool = False) -> Checked:
    """Return whether a text fits a comb, and add it to the comb's runs where that is asked for.

    Raises
    ------
    CombError : the comb cannot be used
    InputError : there is nothing to read
    UsageError : a text that was looked at in part is to be accepted
    """
    comb = load_comb(comb_path)
    source = open_source(name, encoding or comb.encoding)
    try:
        checked = _check(comb, source)
    finally:
        source.close()
    if not accept:
        return checked
    if checked.run is None:
        raise UsageError(f"--accept: {name} does not fit the comb at all: {checked.departures[0].said}")  # fmt: skip
    if not checked.is_whole:
        raise UsageError(
            f"--accept: {name} is so long that only its beginning was looked at; accept a shorter text"
        )
    text = render_comb(comb.accept(checked.run), comb_path.read_text(encoding="utf-8"))
    sink = Sink(comb_path)
    try:
        sink.write(text.encode())
        sink.prepare()
        sink.commit()
    finally:
        sink.discard()
    checked.is_accepted = True
    return checked


def _check(comb: Comb, source: Source) -> Checked:
    """Run a comb over a text, or the beginning of a long one."""
    checked = Checked(source.name, n_runs=len(comb.fits.run))
    report = Report()
    try:
        sample = source.read_sample(partial(part_blocks, comb.part))
        checked.is_whole = sample.is_whole
        misfit = find_misfit(comb, sample.data)
        if misfit:
            checked.departures = [Departure("heading", misfit)]
            return checked
        table = _run(comb, source, sample.data if not sample.is_whole else None, report)
    except (InputError, CombError, UsageError) as error:
        checked.departures = [Departure("comb", str(error).removeprefix(f"{source.name}: "))]
        return checked
    checked.run = measure_run(table, report)
    if comb.fits.run:
        departures = find_departures(table, report, comb.fits.run, is_whole=checked.is_whole)
        checked.departures = [*departures]
    return checked


def _run(comb: Comb, source: Source, sample: bytes | None, report: Report) -> Table:
    """Return the table of a text, or of its beginning."""
    if sample is not None:
        blocks = [Decoded.of(sample.decode())]
        part = None
    else:
        blocks = [Decoded.of(b"".join(block.data for block in source.read_blocks()).decode())]
        part = comb.part
    steps = comb.untie(source.find_digest()).steps
    made = run_blocks(steps, blocks, report, part=part)
    tables = [batch.table for batch in made if batch.table is not None]
    if len(tables) != 1:
        raise InputError("there are no records in it")
    return tables[0]
