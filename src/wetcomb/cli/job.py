"""A job: sources in, a comb over them, sinks out, everything checked before anything appears."""

from __future__ import annotations

import argparse
import ctypes
import os
import signal
import sys
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import ExitStack, contextmanager
from pathlib import Path

import msgspec
from msgspec.structs import replace

from wetcomb.cli.shared import find_inputs
from wetcomb.combs.comb import Comb
from wetcomb.combs.run import run_blocks
from wetcomb.core.errors import InputError, UsageError
from wetcomb.core.ledger import Ledger
from wetcomb.core.piece import Piece
from wetcomb.core.report import Report
from wetcomb.files.columns import Layout, build_grid, list_names
from wetcomb.files.formats import Writer, find_format, make_writer
from wetcomb.files.listings import LedgerListing, Listing, SnagListing
from wetcomb.files.sinks import Sink, check_target
from wetcomb.files.source import Source, open_source
from wetcomb.views.account import Told, build_account
from wetcomb.views.preview import Preview

__all__ = ["Job", "has_color", "open_sources", "run_job"]

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


class _RestNeeded(Exception):
    """A record has more than the columns can take, and no column `rest` was begun."""


@contextmanager
def open_sources(arguments: argparse.Namespace) -> Iterator[list[Source]]:
    """Open all inputs, after a look at where the output is to go."""
    names = find_inputs(arguments)
    inputs = [Path(name) for name in names if name != "-"]
    targets = [
        target
        for name in ("output", "snags", "ledger", "save_comb")
        if (target := getattr(arguments, name, None)) is not None
    ]
    comb = getattr(arguments, "comb", None)
    for place, target in enumerate(targets):
        check_target(target, force=arguments.force, inputs=[*inputs, *([comb] if comb else [])])
        if any(target.resolve() == other.resolve() for other in targets[:place]):
            raise UsageError(f"{target}: two outputs cannot go to one file")
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
            raise InputError(str(error), source=sources[0].name) from error


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
    is_preview = arguments.output is None and not arguments.format and sys.stdout.isatty()
    preview = None
    if is_preview:
        from wetcomb.views.terminal import make_console, render_blocks

        console = make_console(sys.stdout, has_color=has_color(arguments, sys.stdout))
        preview = Preview(console.width)
    layout = Layout(
        with_source=arguments.with_source,
        with_snags=arguments.snag_column,
        missing_as=arguments.missing_as,
    )
    try:
        written = _run_once(job, layout, preview)
    except _RestNeeded:
        if preview is not None:
            preview = Preview(preview.width)
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


@contextmanager
def _hold_signals() -> Iterator[None]:
    """Let the signals that stop the program wait a moment."""
    if not hasattr(signal, "pthread_sigmask"):
        yield
        return
    before = signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT, signal.SIGTERM})
    try:
        yield
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)


class _Outputs:
    """The sinks of one attempt: all of them are laid down, or none.

    Pieces are written by one thread of their own while the next one is being cut: NumPy lets
    two threads work at once, and the order stays.
    """

    def __init__(self, job: Job, *, has_table: bool) -> None:
        arguments = job.arguments
        self.writer: Writer | None = None
        self.table: Sink | None = None
        self.listings: list[tuple[Listing, Writer, Sink]] = []
        self.ledger = Ledger()
        self._has_heading = False
        self._behind = ThreadPoolExecutor(1)
        self._waiting: list[Future[None]] = []
        self._sinks: list[Sink] = []
        try:
            if has_table:
                self.writer = make_writer(find_format(arguments.output, arguments.format))
                self.table = self._open(arguments.output)
            listings: list[tuple[Path | None, Listing]] = [
                (arguments.snags, SnagListing()),
                (arguments.ledger, LedgerListing()),
            ]
            for path, listing in listings:
                if path is not None:
                    writer = make_writer(find_format(path))
                    sink = self._open(path)
                    sink.write(writer.write_heading(listing.names))
                    self.listings.append((listing, writer, sink))
            if arguments.save_comb is not None:
                from wetcomb.combs.toml import render_comb

                self._open(arguments.save_comb).write(render_comb(job.comb, job.base).encode())
        except BaseException:
            self.discard()
            raise

    def _open(self, path: Path | None) -> Sink:
        with _hold_signals():  # a file that is there is one that will be taken away again
            sink = Sink(path)
            self._sinks.append(sink)
        return sink

    def write(self, piece: Piece, layout: Layout, source: str) -> None:
        """Have the records of a piece written, and what is listed of it."""
        while len(self._waiting) > 1:
            self._waiting.pop(0).result()
        self._waiting.append(self._behind.submit(self._write, piece, layout, source))

    def finish(self) -> None:
        """Wait for all that is to be written, and close the ledger of the writer's door."""
        while self._waiting:
            self._waiting.pop(0).result()
        if self.writer is not None:
            self.ledger.output = self.writer.cell_characters

    def _write(self, piece: Piece, layout: Layout, source: str) -> None:
        assert piece.table is not None
        if self.writer is not None and self.table is not None:
            if not self._has_heading:
                names = list_names(piece.table.names, layout)
                self.table.write(self.writer.write_heading(names))
                self.ledger.put_in["names"] += sum(map(len, names[len(piece.table.names) :]))
                self._has_heading = True
            grid = build_grid(piece.table, layout, self.ledger)
            self.table.write(self.writer.write_rows(grid))
        for listing, writer, sink in self.listings:
            sink.write(writer.write_rows(listing.list_piece(piece, source)))

    def list_piece(self, piece: Piece, source: str) -> None:
        """Have only what is listed of a piece written: it has no records."""
        for listing, writer, sink in self.listings:
            self._waiting.append(
                self._behind.submit(self._list, listing, writer, sink, piece, source)
            )

    @staticmethod
    def _list(listing: Listing, writer: Writer, sink: Sink, piece: Piece, source: str) -> None:
        sink.write(writer.write_rows(listing.list_piece(piece, source)))

    def list_mark(self, source: Source) -> None:
        """List the byte-order mark of a source that has one."""
        for listing, writer, sink in self.listings:
            if source.mark_characters and isinstance(listing, LedgerListing):
                sink.write(writer.write_rows(listing.list_mark(source.name)))

    def commit(self) -> None:
        """Lay everything down, after all of it has been written and looked at."""
        self._behind.shutdown()
        for sink in self._sinks:
            sink.prepare()
        for sink in self._sinks:
            sink.commit()

    def discard(self) -> None:
        """Leave nothing behind."""
        self._behind.shutdown(cancel_futures=True)
        for sink in self._sinks:
            sink.discard()


def _run_once(job: Job, layout: Layout, preview: Preview | None) -> list[str]:
    """Run over all sources once; return where the output went."""
    job.report = Report()
    outputs = None
    try:
        outputs = _Outputs(job, has_table=preview is None)
        with _show_progress(job) as progress:
            for source in job.sources:
                _run_source(job, source, layout, outputs, preview, progress)
        outputs.finish()
        job.report.ledger.add(outputs.ledger)
        if outputs.writer is not None:
            job.report.ledger.check_output()
        outputs.commit()
    except BaseException:
        if outputs is not None:
            outputs.discard()
        raise
    return [
        str(path)
        for path in (
            job.arguments.output,
            job.arguments.snags,
            job.arguments.ledger,
            job.arguments.save_comb,
        )
        if path is not None
    ]


def _run_source(
    job: Job,
    source: Source,
    layout: Layout,
    outputs: _Outputs,
    preview: Preview | None,
    progress: Callable[[int], None] | None,
) -> None:
    report = job.report
    several = len(job.sources) > 1
    if several:
        layout = replace(layout, source_file=source.name)
        report.source = source.name
    names_before, kept_before = report.names, report.ledger.kept
    report.ledger.source += source.mark_characters
    report.ledger.dropped["byte-order-mark"] += source.mark_characters
    outputs.list_mark(source)
    pieces = run_blocks(
        job.comb,
        source.read_blocks(progress),
        report,
        source=source.name,
        is_continued=bool(names_before),
    )
    for piece in pieces:
        if piece.table is None:
            if piece.charges:
                outputs.list_piece(piece, source.name)
            continue
        _check_names(job, source, piece, names_before)
        if piece.table.has_rest and not layout.with_rest:
            raise _RestNeeded
        outputs.write(piece, layout, source.name)
        if preview is not None:
            preview.add(piece.text, piece.table, piece.charges)
    if report.ledger.kept == kept_before:
        raise InputError(
            "this holds nothing but blank lines; there are no records in it", source=source.name
        )


def _check_names(job: Job, source: Source, piece: Piece, names: tuple[str, ...]) -> None:
    assert piece.table is not None
    if names and piece.table.names != names:
        raise InputError(
            f"its columns ({', '.join(piece.table.names)}) are not those of {job.sources[0].name} ({', '.join(names)})",
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
    with Progress(console=console, transient=True) as bar:
        task = bar.add_task("combing", total=total)
        done, last = 0, 0

        def advance(n_read: int) -> None:
            nonlocal done, last
            done += n_read - last if n_read >= last else n_read
            last = n_read
            bar.update(task, completed=done)

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
    render_blocks(console, build_account(job.report, told))


def _find_status(job: Job) -> int:
    allowed = 0 if job.arguments.strict else job.comb.fits.max_snags
    return int(allowed is not None and job.report.snagged_records > allowed)
