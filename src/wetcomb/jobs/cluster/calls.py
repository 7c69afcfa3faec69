"""A comb over many texts, as a call: what `rebuild --cluster` does, without a command line."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from wetcomb.combs.comb import Comb
from wetcomb.core.report import Report
from wetcomb.jobs.settings import JobSettings

if TYPE_CHECKING:
    from wetcomb.jobs.cluster.job import ClusterJob
    from wetcomb.jobs.cluster.run import RunDone

__all__ = ["Many", "run_many"]

_HERE = "here"  # whose workers they are is said by the client


class Many(msgspec.Struct, frozen=True):
    """What came of many texts.

    Attributes
    ----------
    parts : the files of the table, in the order of their records
    report : the account of all, as one process would have it
    aside : the texts that were set aside, and why
    n_kept : parts that an earlier run had made already
    """

    parts: tuple[Path, ...]
    report: Report
    aside: dict[str, str]
    n_kept: int


def run_many(
    comb: Comb,
    sources: str | os.PathLike[str] | Sequence[str | os.PathLike[str]],
    output: str | os.PathLike[str],
    *,
    client: Any = None,
    is_checked: bool = True,
    **options: Any,
) -> Many:
    """Run a comb over many texts, or long ones, and write one table in parts.

    Parameters
    ----------
    sources : paths, or patterns of paths, that all workers see
    output : the folder of the parts; one that holds parts of the same comb is gone on with
    client : a `distributed.Client`, or an address as `--cluster` takes it; this process if None
    is_checked : each text must fit the comb, else it is set aside
    options : as `rebuild` takes them: format, part_size, with_source, snag_column, missing_as,
        no_source_file, encoding, read, memory, force

    Raises
    ------
    UsageError : the comb or an option cannot be used so, or a worker lacks something
    InputError : there is no such file
    OutputError : the folder belongs to another run, or cannot be written to
    """
    from wetcomb.jobs.cluster.job import run_over_parts

    named = [sources] if isinstance(sources, (str, os.PathLike)) else sources
    paths = [os.fspath(one) for one in named]
    settings = JobSettings(inputs=paths, folder=Path(output), cluster=_HERE, **options)
    job, done = run_over_parts(comb, settings, client, is_checked=is_checked)
    return _tell(job, done)


def _tell(job: ClusterJob, done: RunDone) -> Many:
    folder = Path(job.recipe.folder)
    aside = {told.name: told.why for told in done.aside}
    parts = tuple(folder / part for part in done.parts)
    return Many(parts, done.report, aside, job.current.progress.kept)
