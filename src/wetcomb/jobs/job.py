"""A job: sources in, a comb over them, sinks out, everything checked before anything appears."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import ExitStack, contextmanager, suppress
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

import msgspec
from msgspec.structs import replace

from wetcomb.combs.comb import Comb
from wetcomb.combs.engine import StepsRun, check_edges
from wetcomb.combs.idle import tell_idle
from wetcomb.combs.part import part_blocks
from wetcomb.core.batch import Told
from wetcomb.core.doubts import Doubt, find_verdict, tell_shortly
from wetcomb.core.errors import InputError, UsageError
from wetcomb.core.report import Report
from wetcomb.files.columns import Layout
from wetcomb.files.encodings import Encoding
from wetcomb.files.formats.table import TEXTUAL, find_format
from wetcomb.files.opening import Reading, open_source
from wetcomb.files.sinks import check_target
from wetcomb.files.source import Source
from wetcomb.jobs.helpers import count_helpers, count_processors, keep_memory
from wetcomb.jobs.outputs import Outputs, Renderer, RestNeeded
from wetcomb.jobs.settings import JobSettings
from wetcomb.jobs.telling import has_color, is_on_terminal, tell, tell_run

if TYPE_CHECKING:
    from wetcomb.combs.extremes import ExtremesSeen
    from wetcomb.core.batch import Advice, Batch
    from wetcomb.core.comparison import Comparison
    from wetcomb.files.listings import Listing
    from wetcomb.views.preview import Preview

__all__ = [
    "Job",
    "check_kept",
    "check_names",
    "comb_texts",
    "find_status",
    "has_color",
    "open_sources",
    "run_job",
]

MOST_MOVES = 100_000  # records that --moves lists; they are held until the end
_LARGE = 4 << 20  # bytes of input from which it pays to keep memory
_HELD = 32 << 20  # bytes of a source that is held at once
_COMPARED = (
    64 << 20
)  # bytes of a file and of the one that it replaces, compared while somebody waits
_LONG = 32 << 20  # bytes of input from which a progress bar is worth its line


class Job(msgspec.Struct):
    """Everything a run needs, gathered by a command.

    Attributes
    ----------
    comb : what to do
    base : the text of the comb file it came from, to keep its comments
    notes : what was settled for this run, to be told
    next_command : what keeps the comb
    advise : tries what would settle records with too few or too many fields
    extremes : of the table, where they are asked for
    replacing : how the table differs from the file that it replaces, or why that cannot be said
    against : how it differs from the table that is wanted
    """

    settings: JobSettings
    sources: Sequence[Source]
    comb: Comb
    base: str = ""
    notes: Sequence[str] = ()
    next_command: str = ""
    advise: Callable[[], Sequence[Advice]] | None = None
    report: Report = msgspec.field(default_factory=Report)
    extremes: ExtremesSeen | None = None
    replacing: Comparison | str = ""
    against: Comparison | None = None


@contextmanager
def open_sources(settings: JobSettings) -> Iterator[list[Source]]:
    """Open all inputs, after a look at where the output is to go."""
    inputs = [Path(name) for name in settings.inputs if name != "-"]
    inputs += [settings.comb] if settings.comb is not None else []
    targets = settings.targets
    for place, target in enumerate(targets):
        check_target(target, force=settings.force, inputs=inputs)
        if any(target.resolve() == other.resolve() for other in targets[:place]):
            raise UsageError(f"{target}: two outputs cannot go to one file")
    if settings.figure is not None:
        from wetcomb.views.figure import check_figure

        check_figure(settings.figure.suffix)
    n_processes = settings.processes or count_processors()
    reading = Reading(settings.read, settings.mail_part, n_processes)
    with ExitStack() as stack:
        sources = []
        for name in settings.inputs:
            source = open_source(name, settings.encoding, reading)
            stack.callback(source.close)
            sources.append(source)
        try:
            yield sources
        except InputError as error:
            if error.source or len(sources) > 1:
                raise
            name, line, column = sources[0].name, error.line, error.column
            raise InputError(error.message, source=name, line=line, column=column) from error


def run_job(job: Job) -> int:
    """Run a job and tell of it; return the exit status."""
    settings = job.settings
    if sum(source.size for source in job.sources) >= _LARGE:
        keep_memory()
    is_preview = settings.output is None and not settings.format and is_on_terminal()
    is_preview = is_preview and not settings.stream
    preview = None
    if is_preview:
        from wetcomb.views.preview import Preview
        from wetcomb.views.terminal import make_console, render_blocks

        console = make_console(
            sys.stdout, has_color=has_color(sys.stdout, is_plain=settings.no_color)
        )
        preview = Preview(console.width, settings.snags_first)
    if settings.why is not None:
        from wetcomb.jobs.sheets import check_line

        check_line(job.sources[0], settings.why)
    written = comb_texts(job, preview)
    if settings.against is not None:
        from wetcomb.jobs.compare import CompareSettings, compare_files

        assert settings.output is not None
        job.against = compare_files(
            CompareSettings(old=str(settings.against), new=str(settings.output), by=settings.by)
        )
    if preview is not None:
        render_blocks(console, preview.build())
    if not settings.quiet:
        if job.advise is not None and job.report.snags.keys() & {"short", "long"}:
            job.report.add_told(Told(advice=tuple(job.advise())))
        with suppress(OSError):  # the table is written, whether it can be told or not
            tell(job, written)
    elif job.report.doubts and sys.stderr is not None:
        sys.stderr.write(f"wetcomb: {tell_shortly(job.report.doubts)}\n")
    return find_status(job)


def comb_texts(job: Job, preview: Preview | None = None) -> list[str]:
    """Comb the sources of a job and lay its outputs down, all or none; return where they went."""
    settings = job.settings
    layout = Layout(
        with_source=settings.with_source,
        with_snags=settings.snag_column,
        missing_as=settings.missing_as,
        with_rest=settings.stream,
    )
    _check_holding(job)
    try:
        return _run_once(job, layout, preview)
    except RestNeeded:
        preview = preview and preview.begin_again()
        return _run_once(job, replace(layout, with_rest=True), preview)


def _check_holding(job: Job) -> None:
    """Refuse to hold at once what is too long for that, before any work is done."""
    settings, size = job.settings, job.sources[0].size
    flags = (("--sheet", settings.sheet), ("--show-steps", settings.show_steps), ("--why", settings.why))  # fmt: skip
    flag = next((flag for flag, given in flags if given), "")
    if flag and size > _HELD:
        raise UsageError(
            f"{flag} holds the text at once, and this has {size >> 20} MiB of at most {_HELD >> 20}; take a piece of it by itself"
        )


class Watcher(Protocol):
    """Looks at what comes through all steps, batch by batch."""

    def add(self, batch: Batch) -> None:
        """Look at a batch."""


def _run_once(job: Job, layout: Layout, preview: Preview | None) -> list[str]:
    """Run over all sources once; return where the output went."""
    settings = job.settings
    if len(job.sources) > 1 and job.comb.untie("").is_tied:
        raise UsageError("--fix names a line of one text; mend several texts one at a time")
    job.report = Report(keep_moves=MOST_MOVES) if settings.moves else Report()
    watchers: list[Watcher] = [] if preview is None else [preview]
    figure = job.extremes = None
    if settings.figure is not None:
        from wetcomb.views.cell_map import CellMap

        watchers.append(figure := CellMap())
    if settings.extremes or settings.sheet is not None:
        from wetcomb.combs.extremes import ExtremesSeen

        job.extremes = ExtremesSeen()
        watchers.append(job.extremes)
    listed = _list_listings(settings)
    form = find_format(settings.output, settings.format)
    tables = [] if preview else [(form, settings.output)]
    tables += [(form, settings.apart)] if settings.apart is not None else []
    has_heading = job.comb.steps[-1].makes_lines
    renderer = Renderer(tables, listed, settings.writing, has_heading=has_heading)
    if form not in TEXTUAL and settings.output is None and is_on_terminal():
        raise UsageError(
            f"{form} is nothing for a screen; name a file (-o FILE), or send it to one (> FILE)"
        )
    outputs = None
    try:
        outputs = Outputs(renderer, is_streamed=settings.stream, keeps_old=settings.keep_old)
        with _show_progress(job) as progress:
            for source in job.sources:
                try:
                    _run_source(job, source, layout, outputs, watchers, progress)
                finally:  # where it changed, whatever else went wrong says less
                    source.check_unchanged()
        if settings.save_comb is not None:
            from wetcomb.combs.toml import render_comb

            digest = job.sources[0].find_digest() if job.comb.is_tied else ""
            comb = job.comb.remember(job.report.remembered, digest)
            outputs.add_file(settings.save_comb, render_comb(comb, job.base).encode())
        if figure is not None and settings.figure is not None:
            from wetcomb.views.figure import render_figure

            outputs.add_file(settings.figure, render_figure(figure, settings.figure.suffix))
        job.report.notes += tuple(tell_idle(job.comb.steps, job.report.ledger))
        doubts = [
            *job.comb.doubts,
            *doubt_encodings((source.name, source.encoding) for source in job.sources),
        ]
        job.report.doubts = job.report.list_doubts(doubts)
        outputs.finish(job.report.doubts, job.sources[0].name)
        job.report.ledger.add(outputs.ledger)
        if renderer.has_table:
            job.report.ledger.check_output()
        if settings.sheet is not None:
            from wetcomb.jobs.sheets import render_sheet

            table = outputs.find_table_digest() if renderer.has_table else ""
            outputs.add_file(settings.sheet, render_sheet(job, tell_run(job, []), table))
        if settings.force and renderer.has_table and not settings.quiet:
            from wetcomb.jobs.compare import hold_against_old

            job.replacing = hold_against_old(settings, outputs.find_table_path())
        outputs.commit()
    except BaseException as error:
        if outputs is not None:
            outputs.discard()
        is_shut = isinstance(error, BrokenPipeError)  # nobody reads on
        if settings.stream and not is_shut and sys.stderr is not None:
            sys.stderr.write("wetcomb: what stands on standard output is not all of the table\n")
        raise
    return [str(path) for path in settings.targets]


def doubt_encodings(sources: Iterable[tuple[str, Encoding]]) -> list[Doubt]:
    """Return a doubt where an encoding was guessed that is not a common one."""
    odd = next(((name, encoding) for name, encoding in sources if not encoding.is_common), None)
    if odd is None:
        return []
    said = f"{odd[0]} was read as {odd[1].name}: a guess, and no common one"
    return [Doubt("encoding-unsure", said)]


def _list_listings(settings: JobSettings) -> list[tuple[Listing, Path]]:
    """Return what is listed beside the table, and where."""
    if settings.snags is None and settings.ledger is None:
        return []
    from wetcomb.files.listings import LedgerListing, SnagListing

    asked = ((settings.snags, SnagListing()), (settings.ledger, LedgerListing()))
    return [(listing, path) for path, listing in asked if path is not None]


def _run_source(
    job: Job,
    source: Source,
    layout: Layout,
    outputs: Outputs,
    watchers: Sequence[Watcher],
    progress: Callable[[int], None] | None,
) -> None:
    report = job.report
    if len(job.sources) > 1:
        if not job.settings.no_source_file:
            layout = replace(layout, source_file=source.name)
        report.source = source.name
    names_before, kept_before, first = report.names, report.ledger.in_cells, job.sources[0].name
    report.ledger.source += source.mark_characters
    report.ledger.dropped["byte-order-mark"] += source.mark_characters
    outputs.write_mark(source)
    comb = job.comb.untie(source.find_digest()) if job.comb.is_tied else job.comb
    if comb != job.comb:
        said = "cells that were mended by hand are left alone: they belong to another text (fix_source)"
        report.notes += (f"{source.name}: {said}",)
    run = StepsRun(
        comb.steps,
        report,
        source=source.name,
        is_continued=bool(names_before),
        max_record=job.settings.memory and job.settings.memory << 20,
    )
    is_alone = bool(watchers) or not job.comb.part.is_whole or outputs.renderer.is_whole
    n_helpers = 0 if is_alone else count_helpers(run, source, job.settings.processes)
    if n_helpers > 0:
        from wetcomb.jobs.crew import Crew

        for end in Crew(run, source, outputs, layout, n_helpers).work():
            check_names(report.names, names_before, source.name, first)
            if progress is not None:
                progress(end)
    else:
        for stretch in part_blocks(job.comb.part, source.read_blocks(progress)):
            for batch in run.take(stretch):
                if batch.table is not None:
                    check_names(batch.table.names, names_before, source.name, first)
                outputs.write(batch, layout, source.name)
                for watcher in watchers:
                    watcher.add(batch)
        run.tell(report)
        run.finish()
    check_edges(job.comb.steps, report, source.name)
    check_kept(report, kept_before, source.name)


def check_kept(report: Report, kept_before: int, source: str) -> None:
    """Refuse a text of which nothing was kept."""
    if report.ledger.in_cells == kept_before:
        raise InputError("this holds nothing but blank lines; there are no records in it", source=source)  # fmt: skip


def check_names(names: tuple[str, ...], wanted: tuple[str, ...], source: str, first: str) -> None:
    """Refuse a text whose columns are not those of the one before it, where there is one."""
    if wanted and names != wanted:
        raise InputError(
            f"its columns ({', '.join(names)}) are not those of {first} ({', '.join(wanted)})",
            source=source,
        )


@contextmanager
def _show_progress(job: Job) -> Iterator[Callable[[int], None] | None]:
    """Show a bar on standard error for long work, where somebody can see it."""
    total = sum(source.size for source in job.sources)
    if job.settings.quiet or total < _LONG or not sys.stderr.isatty():
        yield None
        return
    from rich.progress import Progress

    from wetcomb.views.terminal import make_console

    console = make_console(
        sys.stderr, has_color=has_color(sys.stderr, is_plain=job.settings.no_color)
    )
    with Progress(console=console, transient=True, auto_refresh=False) as bar:
        task = bar.add_task("combing", total=total)
        done, last = 0, 0

        def advance(n_read: int) -> None:
            nonlocal done, last
            done += n_read - last if n_read >= last else n_read
            last = n_read
            bar.update(task, completed=done, refresh=True)

        yield advance


def find_status(job: Job) -> int:
    """Return the exit status of a job that was run: 1 where something is beyond what is allowed."""
    if job.against is not None and not job.against.is_alike:
        return 1
    allowed = 0 if job.settings.strict else job.comb.fits.max_snags
    odd = job.report.snagged_records + len(job.report.doubts)
    is_none = find_verdict(job.report.doubts) == "no table"
    return int(is_none or bool(job.report.broken) or (allowed is not None and odd > allowed))
