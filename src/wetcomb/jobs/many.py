"""Many texts by one comb, a table each: the run goes on past a text that does not fit, and says so at its end."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from functools import partial
from pathlib import Path

import msgspec
from msgspec.structs import replace

from wetcomb.combs.comb import Comb
from wetcomb.combs.part import part_blocks
from wetcomb.core.errors import BrokenPromise, OutputError, UsageError, WetCombError
from wetcomb.files.formats.table import FORMATS, find_format
from wetcomb.files.packed import strip_ending
from wetcomb.files.sinks import check_target
from wetcomb.jobs.fitness import Beginning
from wetcomb.jobs.helpers import become_helper, count_processors
from wetcomb.jobs.job import Job, comb_texts, find_status, open_sources
from wetcomb.jobs.settings import JobSettings
from wetcomb.jobs.telling import has_color, tell_run
from wetcomb.views.many import TextOutcome, build_many

__all__ = ["ManyJob", "run_many"]

_AT_ONCE = 2  # texts
_MANY, _LARGE = 8, 8 << 20  # texts, or bytes of all, from which it pays to comb two at once


class ManyJob(msgspec.Struct, frozen=True):
    """Everything that a run over many texts needs.

    Attributes
    ----------
    settings : with a folder for the tables
    comb : what to do with each
    is_checked : each must fit the comb before it is combed
    notes : what was settled for this run, to be told
    """

    settings: JobSettings
    comb: Comb
    is_checked: bool = True
    notes: Sequence[str] = ()


def run_many(job: ManyJob) -> int:
    """Comb all texts, a table each, and tell of it; return the exit status.

    Raises
    ------
    UsageError : two texts would make one table
    OutputError : a table is there already, or its folder cannot be made
    """
    settings = job.settings
    targets = _find_targets(settings)
    assert settings.folder is not None
    try:
        settings.folder.mkdir(exist_ok=True)
    except OSError as error:
        raise OutputError(
            f"{settings.folder}: this folder cannot be made: {error.strerror}"
        ) from error
    inputs = [Path(name) for name in settings.inputs if name != "-"]
    inputs += [settings.comb] if settings.comb is not None else []
    for target in targets:
        check_target(target, force=settings.force, inputs=inputs)
    outcomes: list[TextOutcome] = []
    is_stopped = False
    try:
        with _show_progress(settings) as advance:
            for outcome in _comb_all(job, targets):
                outcomes.append(outcome)
                advance(outcome)
    except KeyboardInterrupt:
        is_stopped = True
    if not settings.quiet and sys.stderr is not None:
        with suppress(OSError):
            _tell(job, outcomes)
    if is_stopped:
        return 130
    return int(any(one.why or one.broken or not one.is_allowed for one in outcomes))


def _find_targets(settings: JobSettings) -> list[Path]:
    """Return where the table of each text goes.

    Raises
    ------
    UsageError : two texts would make one, or a text has no name
    """
    assert settings.folder is not None
    ending = FORMATS[find_format(None, settings.format)].endings[0]
    found: dict[Path, str] = {}
    for name in settings.inputs:
        if name == "-":
            raise UsageError(
                "-o DIR/ calls a table after its text, and standard input has no name; name files"
            )
        target = settings.folder / (strip_ending(Path(name)).stem + ending)
        if target in found:
            raise UsageError(
                f"{found[target]} and {name} would both be written to {target}; call one of them otherwise, or write it by itself"
            )
        found[target] = name
    return list(found)


def _comb_all(job: ManyJob, targets: Sequence[Path]) -> Iterator[TextOutcome]:
    """Yield what became of each text, in order; where there are many, two are combed at once."""
    tasks = [*zip(job.settings.inputs, targets, strict=True)]
    wanted = job.settings.processes
    n_processes = min(_AT_ONCE, count_processors()) if wanted is None else wanted
    is_long = len(tasks) >= _MANY or sum(map(_measure, job.settings.inputs)) >= _LARGE
    if n_processes < _AT_ONCE or len(tasks) < _AT_ONCE or not is_long or sys.platform != "linux":
        yield from (_comb(job, *task) for task in tasks)
        return
    import multiprocessing
    from concurrent.futures import ProcessPoolExecutor

    context = multiprocessing.get_context("fork")  # what is loaded is there at once
    pool = ProcessPoolExecutor(n_processes, context, initializer=_begin, initargs=(job,))
    try:
        yield from pool.map(_help, tasks, chunksize=1 if len(tasks) < 64 else 4)
    finally:
        pool.shutdown(cancel_futures=True)


def _measure(name: str) -> int:
    with suppress(OSError):
        return Path(name).stat().st_size
    return 0


_job: ManyJob | None = None


def _begin(job: ManyJob) -> None:
    """Make a new process a helper; the one that began it is the one that is stopped."""
    global _job
    _job = job
    become_helper()


def _help(task: tuple[str, Path]) -> TextOutcome:
    assert _job is not None
    return _comb(_job, *task)


def _comb(job: ManyJob, name: str, target: Path) -> TextOutcome:
    """Comb one text; what is wrong with it is told of it, and stops no other."""
    settings = replace(
        job.settings, inputs=[name], output=target, folder=None, processes=1, quiet=True
    )
    try:
        with open_sources(settings) as (source,):
            beginning = Beginning(job.comb, source.read_sample(partial(part_blocks, job.comb.part)))
            misfit = beginning.find_misfit() if job.is_checked else ""
            if misfit:
                return TextOutcome(name, why=f"does not fit: {misfit}")
            comb = replace(job.comb, doubts=beginning.find_doubts())
            one = Job(settings, [source], comb)
            written = comb_texts(one)
    except WetCombError as error:
        return TextOutcome(name, why=str(error).removeprefix(f"{name}: "))
    except BrokenPromise as error:
        return TextOutcome(name, why=f"this is a fault of wetcomb, not of the text: {error}")
    report = one.report
    account: dict[str, object] = {}
    if settings.account == "json":
        from wetcomb.views.account_data import describe_run

        account = describe_run(report, tell_run(one, written))
    return TextOutcome(
        name,
        str(target),
        "",
        report.records,
        len(report.names) + bool(report.rests),
        report.snagged_records,
        tuple(doubt.name for doubt in report.doubts),
        tuple(report.broken),
        not find_status(one),
        account,
    )


def _tell(job: ManyJob, outcomes: Sequence[TextOutcome]) -> None:
    """Tell of all texts on standard error."""
    settings = job.settings
    if settings.account == "json":
        told = [
            {"name": one.name, "written": one.written, "why_not": one.why, "account": one.account}
            for one in outcomes
        ]
        n_written = sum(bool(one.written) for one in outcomes)
        whole = {"texts": told, "written": n_written, "of": len(settings.inputs)}
        sys.stderr.write(msgspec.json.format(msgspec.json.encode(whole), indent=1).decode() + "\n")
        return
    from wetcomb.views.terminal import make_console, render_blocks

    color = has_color(sys.stderr, is_plain=settings.no_color)
    console = make_console(sys.stderr, has_color=color)
    blocks = build_many(
        outcomes, len(settings.inputs), job.notes, is_full=settings.account == "full"
    )
    render_blocks(console, blocks)


@contextmanager
def _show_progress(settings: JobSettings) -> Iterator[Callable[[TextOutcome], None]]:
    """Show a bar on standard error, where somebody can see it."""
    if settings.quiet or len(settings.inputs) < _MANY or not sys.stderr.isatty():
        yield lambda _: None
        return
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn

    from wetcomb.views.terminal import make_console

    color = has_color(sys.stderr, is_plain=settings.no_color)
    columns = TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn()
    console = make_console(sys.stderr, has_color=color)
    with Progress(*columns, console=console, transient=True, auto_refresh=False) as bar:
        task = bar.add_task("combing", total=len(settings.inputs))

        def advance(outcome: TextOutcome) -> None:
            bar.update(task, advance=1, refresh=True)

        yield advance
