"""A job: sources in, a comb over them, sinks out, everything checked before anything appears."""

from __future__ import annotations

import argparse
import ctypes
import os
import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path

import msgspec
from msgspec.structs import replace

from wetcomb.cli.crew import Crew, count_helpers
from wetcomb.cli.outputs import Outputs, Renderer, RestNeeded
from wetcomb.cli.shared import find_inputs
from wetcomb.combs.comb import Comb, remember
from wetcomb.combs.part import part_blocks
from wetcomb.combs.run import CombRun, check_edges
from wetcomb.core.errors import InputError, UsageError
from wetcomb.core.report import Report
from wetcomb.files.columns import Layout
from wetcomb.files.formats import find_format
from wetcomb.files.listings import LedgerListing, Listing, SnagListing
from wetcomb.files.sinks import check_target
from wetcomb.files.source import Source, open_source
from wetcomb.views.account import Told, build_account
from wetcomb.views.cell_map import CellMap
from wetcomb.views.moves import build_moves
from wetcomb.views.preview import Preview

__all__ = ["Job", "has_color", "open_sources", "run_job"]

_MOST_MOVES = 100_000  # records that --moves lists; they are held until the end
_MOST_MEMORY = 512  # MiB of text that can be held at once
_LONG = 32 << 20  # bytes of input from which a progress bar is worth its line


class Job(msgspec.Struct):
    """Everything a run needs, gathered by a command.

    Attributes
    ----------
    comb : what to do
    base : the text of the comb file it came from, to keep its comments
    notes : what was settled for this run, to be told
    next_command : what keeps the comb
    """

    arguments: argparse.Namespace
    sources: Sequence[Source]
    comb: Comb
    base: str = ""
    notes: Sequence[str] = ()
    next_command: str = ""
    report: Report = msgspec.field(default_factory=Report)


@contextmanager
def open_sources(arguments: argparse.Namespace) -> Iterator[list[Source]]:
    """Open all inputs, after a look at where the output is to go."""
    names = find_inputs(arguments)
    processes = getattr(arguments, "processes", None)
    if processes is not None and processes < 1:
        raise UsageError(f"--processes {processes}: it must be at least 1")
    memory = getattr(arguments, "memory", None)
    if memory is not None and not 1 <= memory <= _MOST_MEMORY:
        raise UsageError(f"--memory {memory}: it must be from 1 to {_MOST_MEMORY}")
    inputs = [Path(name) for name in names if name != "-"]
    targets = [
        target
        for name in ("output", "snags", "ledger", "figure", "save_comb")
        if (target := getattr(arguments, name, None)) is not None
    ]
    comb = getattr(arguments, "comb", None)
    for place, target in enumerate(targets):
        check_target(target, force=arguments.force, inputs=[*inputs, *([comb] if comb else [])])
        if any(target.resolve() == other.resolve() for other in targets[:place]):
            raise UsageError(f"{target}: two outputs cannot go to one file")
    if getattr(arguments, "figure", None) is not None:
        from wetcomb.views.figure import check_figure

        check_figure(arguments.figure.suffix)
    with ExitStack() as stack:
        sources = []
        for name in names:
            source = open_source(name, arguments.encoding)
            stack.callback(source.close)
            sources.append(source)
        try:
            yield sources
        except InputError as error:
            if error.source or len(sources) > 1:
                raise
            name, line, column = sources[0].name, error.line, error.column
            raise InputError(error.message, source=name, line=line, column=column) from error


def has_color(arguments: argparse.Namespace, stream: object) -> bool:
    """Return whether to draw in colour on a stream."""
    if arguments.no_color or os.environ.get("NO_COLOR"):
        return False
    isatty = getattr(stream, "isatty", None)
    return bool(isatty and isatty())


def run_job(job: Job) -> int:
    """Run a job and tell of it; return the exit status."""
    arguments = job.arguments
    _keep_memory()
    is_terminal = sys.stdout is not None and sys.stdout.isatty()
    is_preview = arguments.output is None and not arguments.format and is_terminal
    preview = None
    if is_preview:
        from wetcomb.views.terminal import make_console, render_blocks

        console = make_console(sys.stdout, has_color=has_color(arguments, sys.stdout))
        preview = Preview(console.width, arguments.snags_first)
    layout = Layout(
        with_source=arguments.with_source,
        with_snags=arguments.snag_column,
        missing_as=arguments.missing_as,
    )
    try:
        written = _run_once(job, layout, preview)
    except RestNeeded:
        if preview is not None:
            preview = Preview(preview.width, preview.snags_first)
        written = _run_once(job, replace(layout, with_rest=True), preview)
    if preview is not None:
        render_blocks(console, preview.build())
    if not arguments.quiet:
        _tell(job, written)
    return _find_status(job)


def _keep_memory() -> None:
    """Have the C library keep what a chunk used for the next one, where it is glibc.

    Left alone it gives the memory of every large array back at once, and the next chunk's
    arrays are faulted in page by page; keeping it saves about a fifth of the time of a long
    run (measured with the benchmarks, 50 MB) and nothing of the peak.
    """
    if not sys.platform.startswith("linux"):
        return
    trim_threshold, top_pad, mmap_threshold = -1, -2, -3
    mallopt = getattr(ctypes.CDLL(None), "mallopt", None)
    if mallopt is not None:
        mallopt(trim_threshold, 256 << 20)
        mallopt(mmap_threshold, 32 << 20)
        mallopt(top_pad, 16 << 20)


def _run_once(job: Job, layout: Layout, preview: Preview | None) -> list[str]:
    """Run over all sources once; return where the output went."""
    arguments = job.arguments
    job.report = Report(keep_moves=_MOST_MOVES) if arguments.moves else Report()
    figure = CellMap() if arguments.figure is not None else None
    listings: list[tuple[Path | None, Listing]] = [
        (arguments.snags, SnagListing()),
        (arguments.ledger, LedgerListing()),
    ]
    listed = [(path, listing) for path, listing in listings if path is not None]
    table_format = "" if preview else find_format(arguments.output, arguments.format)
    renderer = Renderer(table_format, [(made, find_format(path)) for path, made in listed])
    paths = [arguments.output] * renderer.has_table + [path for path, _ in listed]
    outputs = None
    try:
        outputs = Outputs(renderer, paths)
        with _show_progress(job) as progress:
            for source in job.sources:
                _run_source(job, source, layout, outputs, (preview, figure), progress)
        if arguments.save_comb is not None:
            from wetcomb.combs.toml import render_comb

            comb = remember(job.comb, job.report.remembered)
            outputs.add_file(arguments.save_comb, render_comb(comb, job.base).encode())
        if figure is not None:
            from wetcomb.views.figure import render_figure

            outputs.add_file(arguments.figure, render_figure(figure, arguments.figure.suffix))
        outputs.finish()
        job.report.ledger.add(outputs.ledger)
        if renderer.has_table:
            job.report.ledger.check_output()
        outputs.commit()
    except BaseException:
        if outputs is not None:
            outputs.discard()
        raise
    places = (
        arguments.output,
        arguments.snags,
        arguments.ledger,
        arguments.figure,
        arguments.save_comb,
    )
    return [str(path) for path in places if path is not None]


def _run_source(
    job: Job,
    source: Source,
    layout: Layout,
    outputs: Outputs,
    views: tuple[Preview | None, CellMap | None],
    progress: Callable[[int], None] | None,
) -> None:
    report, (preview, figure) = job.report, views
    if len(job.sources) > 1:
        layout = replace(layout, source_file=source.name)
        report.source = source.name
    names_before, kept_before = report.names, report.ledger.kept
    report.ledger.source += source.mark_characters
    report.ledger.dropped["byte-order-mark"] += source.mark_characters
    outputs.write_mark(source)
    run = CombRun(
        job.comb,
        report,
        source=source.name,
        is_continued=bool(names_before),
        max_record=job.arguments.memory and job.arguments.memory << 20,
    )
    is_looked_at = preview is not None or figure is not None
    n_helpers = 0 if is_looked_at else count_helpers(run, source, job.arguments.processes)
    if n_helpers > 0:
        for end in Crew(run, source, outputs, layout, n_helpers).work():
            _check_names(job, source, report.names, names_before)
            if progress is not None:
                progress(end)
    else:
        for stretch in part_blocks(job.comb.part, source.read_blocks(progress)):
            for piece in run.take(stretch):
                if piece.table is not None:
                    _check_names(job, source, piece.table.names, names_before)
                outputs.write(piece, layout, source.name)
                if preview is not None:
                    preview.add(piece)
                if figure is not None and piece.table is not None:
                    figure.add(piece.table, piece.moves)
        run.tell(report)
        run.finish()
    check_edges(job.comb, report, source.name)
    if report.ledger.kept == kept_before:
        raise InputError(
            "this holds nothing but blank lines; there are no records in it", source=source.name
        )


def _check_names(
    job: Job, source: Source, names: tuple[str, ...], names_before: tuple[str, ...]
) -> None:
    if names_before and names != names_before:
        raise InputError(
            f"its columns ({', '.join(names)}) are not those of {job.sources[0].name} ({', '.join(names_before)})",
            source=source.name,
        )


@contextmanager
def _show_progress(job: Job) -> Iterator[Callable[[int], None] | None]:
    """Show a bar on standard error for long work, where somebody can see it."""
    total = sum(source.size for source in job.sources)
    if job.arguments.quiet or total < _LONG or not sys.stderr.isatty():
        yield None
        return
    from rich.progress import Progress

    from wetcomb.views.terminal import make_console

    console = make_console(sys.stderr, has_color=has_color(job.arguments, sys.stderr))
    with Progress(console=console, transient=True, auto_refresh=False) as bar:
        task = bar.add_task("combing", total=total)
        done, last = 0, 0

        def advance(n_read: int) -> None:
            nonlocal done, last
            done += n_read - last if n_read >= last else n_read
            last = n_read
            bar.update(task, completed=done, refresh=True)

        yield advance


def _tell(job: Job, written: Sequence[str]) -> None:
    from wetcomb.views.terminal import make_console, render_blocks

    console = make_console(sys.stderr, has_color=has_color(job.arguments, sys.stderr))
    sources = ", ".join(
        f"{source.name} ({source.encoding.name}, {source.encoding.how})"
        for source in job.sources[:3]
    )
    if any(source.encoding.how == "guessed" for source in job.sources):
        sources += "; state --encoding if letters look wrong"
    if len(job.sources) > 3:
        sources += f" and {len(job.sources) - 3} more"
    told = Told(sources, job.notes, written, job.next_command)
    if job.arguments.moves and job.report.moved:
        render_blocks(console, [build_moves(job.report.moves, job.report.moved, job.report.names)])
    render_blocks(console, build_account(job.report, told))


def _find_status(job: Job) -> int:
    allowed = 0 if job.arguments.strict else job.comb.fits.max_snags
    return int(allowed is not None and job.report.snagged_records > allowed)
