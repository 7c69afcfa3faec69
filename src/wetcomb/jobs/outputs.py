"""The outputs of a job: rendered batch by batch, laid down all together or not at all."""

from __future__ import annotations

import signal
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import leave_out, sort_unique
from wetcomb.core.batch import Batch
from wetcomb.core.doubts import Doubt
from wetcomb.core.ledger import Ledger
from wetcomb.core.table import Table, take_records
from wetcomb.files.columns import CellGrid, Layout, build_grid, list_names, list_types
from wetcomb.files.formats.table import Writing, find_format, make_writer
from wetcomb.files.formats.writer import Writer
from wetcomb.files.sinks import Sink, Stream
from wetcomb.files.source import Source

if TYPE_CHECKING:
    from concurrent.futures import Future, ThreadPoolExecutor

    from wetcomb.files.listings import Listing

__all__ = ["Outputs", "Renderer", "RestNeeded"]


_FEW_BYTES = 1 << 19  # of text that are written without a thread
_ROWS = 1 << 13  # of a listing that are written at once


class RestNeeded(Exception):
    """A record has more than the columns can take, and no column `rest` was begun."""


class Renderer:
    """Makes bytes of batches: one text for the table, if there is one, and one for each listing.

    Where records that do not fit go apart, they are a table of their own, behind the first.

    Parameters
    ----------
    tables : the format of the table and where it goes; behind it those of the records that do
        not fit, where they go apart
    listings : what is listed beside it, and where
    writing : how the tables are written where a mark parts their values
    has_heading : the name of the only column is the first line of a text
    is_part : others go on with the table
    is_further : what is written goes on with a table begun elsewhere: its heading was counted there

    Attributes
    ----------
    ledger : what was put in, and what was written
    paths : where each output goes
    """

    def __init__(
        self,
        tables: Sequence[tuple[str, Path | None]],
        listings: Sequence[tuple[Listing, Path]],
        writing: Writing,
        *,
        has_heading: bool = False,
        is_part: bool = False,
        is_further: bool = False,
    ) -> None:
        self.ledger, self.is_further = Ledger(), is_further
        self._tables = [
            _TableRenderer(
                make_writer(name, path, writing, has_heading=has_heading, is_part=is_part), self
            )
            for name, path in tables
        ]
        self._listings = [(made, make_writer(find_format(path), path)) for made, path in listings]
        self.paths = [*(path for _, path in tables), *(path for _, path in listings)]

    def begin_again(self) -> None:
        """Forget that anything was rendered."""
        for table in self._tables:
            table.has_heading = False

    def render(self, batch: Batch, layout: Layout, source: str) -> list[bytes]:
        """Return what is written of a batch, output by output.

        Raises
        ------
        RestNeeded : the layout has no column for what a record has too much
        """
        parts = []
        if len(self._tables) > 1 and batch.table is not None:
            fitting, odd = _part_records(batch.table)
            apart = replace(layout, with_rest=True, with_source=True, with_snags=True)
            parts.append(self._tables[0].render(fitting, layout))
            parts.append(self._tables[1].render(odd, apart))
        elif self._tables:
            parts += [table.render(batch.table, layout) for table in self._tables]
        elif batch.table is not None and batch.table.has_rest and not layout.with_rest:
            raise RestNeeded
        for listing, writer in self._listings:
            parts.append(_write_in_parts(writer, listing.list_batch(batch, source)))
        return parts

    def render_headings(self) -> list[bytes]:
        """Return the headings of the listings; the table's come with its first records."""
        headings = [b""] * len(self._tables)
        return headings + [writer.write_heading(made.names) for made, writer in self._listings]

    def render_doubts(self, doubts: Sequence[Doubt], source: str) -> list[bytes]:
        """Return what is listed of doubts about the whole."""
        parts = [b""] * len(self._tables)
        for listing, writer in self._listings:
            parts.append(writer.write_rows(listing.list_doubts(doubts, source)))
        return parts

    def render_ends(self) -> list[bytes | memoryview]:
        """Return what ends each output."""
        writers = [table.writer for table in self._tables]
        return [writer.write_end() for writer in [*writers, *(w for _, w in self._listings)]]

    def render_mark(self, source: str) -> list[bytes]:
        """Return what is listed of a source's byte-order mark."""
        parts = [b""] * len(self._tables)
        for listing, writer in self._listings:
            parts.append(writer.write_rows(listing.list_mark(source)))
        return parts

    def take_ledger(self) -> Ledger:
        """Return the ledger of the writer's door since it was last taken."""
        taken, self.ledger = self.ledger, Ledger()
        for table in self._tables:
            taken.output += table.writer.cell_characters
            taken.put_in.update(table.writer.put_in)
            table.writer.cell_characters, table.writer.put_in = 0, {}
        return taken

    @property
    def first(self) -> _TableRenderer | None:
        """What makes the table; None where there is none."""
        return self._tables[0] if self._tables else None

    def close(self) -> None:
        """Leave nothing of what was put aside."""
        for writer in [*(table.writer for table in self._tables), *(w for _, w in self._listings)]:
            writer.close()

    @property
    def is_whole(self) -> bool:
        """Whether the bytes of some output come all at its end."""
        writers = [*(table.writer for table in self._tables), *(w for _, w in self._listings)]
        return any(writer.is_whole for writer in writers)

    @property
    def has_table(self) -> bool:
        """Whether a table is written at all."""
        return bool(self._tables)


class _TableRenderer:
    """Makes bytes of tables, the first with the heading."""

    def __init__(self, writer: Writer, owner: Renderer) -> None:
        self.writer, self._owner = writer, owner
        self.has_heading = False

    def render(self, table: Table | None, layout: Layout) -> bytes:
        """Return what is written of a table."""
        if table is None:
            return b""
        if table.has_rest and not layout.with_rest:
            raise RestNeeded
        ledger, heading = self._owner.ledger, b""
        if not self.has_heading:
            names = list_names(table.names, layout)
            before = self.writer.cell_characters
            heading = self.writer.write_heading(names, list_types(table, layout))
            is_again = self is not self._owner.first
            if self._owner.is_further:
                self.writer.cell_characters = before
            else:
                ledger.put_in["names"] += sum(map(len, names[0 if is_again else len(table.names) :]))  # fmt: skip
            self.has_heading = True
        return heading + self.writer.write_rows(build_grid(table, layout, ledger))


def _write_in_parts(writer: Writer, grid: CellGrid) -> bytes:
    """Return the bytes of a listing, whose rows are many times longer than the text they tell of."""
    return b"".join(
        writer.write_rows(
            replace(grid, starts=grid.starts[k : k + _ROWS], ends=grid.ends[k : k + _ROWS])
        )
        for k in range(0, len(grid.starts), _ROWS)
    )


def _part_records(table: Table) -> tuple[Table, Table]:
    """Return the records without a snag, and the others."""
    odd = sort_unique(table.snags.records)
    return take_records(table, leave_out(np.arange(table.n_records), odd)), take_records(table, odd)


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


class Outputs:
    """The sinks of one attempt: all of them are laid down, or none.

    Batches are written by one thread of their own while the next one is being cut: NumPy lets
    two threads work at once, and the order stays. The thread begins with the first batch that
    is left to it.
    """

    def __init__(
        self, renderer: Renderer, *, is_streamed: bool = False, keeps_old: bool = False
    ) -> None:
        self.renderer, self.ledger = renderer, Ledger()
        self._keeps_old = keeps_old
        self._is_streamed = is_streamed
        self._held: list[tuple[Batch, Layout, str]] = []
        self._behind: ThreadPoolExecutor | None = None
        self._waiting: list[Future[None]] = []
        self._sinks: list[Sink] = []
        try:
            for path in renderer.paths:
                self._open(path)
            self._n_rendered = len(self._sinks)
            self.lay(renderer.render_headings())
        except BaseException:
            self.discard()
            raise

    def _open(self, path: Path | None) -> Sink:
        with _hold_signals():  # a file that is there is one that will be taken away again
            sink = (
                Stream()
                if path is None and self._is_streamed
                else Sink(path, keeps_old=self._keeps_old)
            )
            self._sinks.append(sink)
        return sink

    def add_file(self, path: Path, data: bytes) -> None:
        """Lay a whole file down with the others."""
        self._open(path).write(data)

    def find_table_digest(self) -> str:
        """Return the SHA-256 of the table as it is written."""
        return self._sinks[0].find_digest()

    def find_table_path(self) -> Path | None:
        """Return where the bytes of the table are until they are laid down."""
        return self._sinks[0].find_path()

    def lay(self, parts: Sequence[bytes | memoryview]) -> None:
        """Take what was rendered, output by output."""
        for sink, part in zip(self._sinks[: self._n_rendered], parts, strict=True):
            sink.write(part)

    def write(self, batch: Batch, layout: Layout, source: str) -> None:
        """Have a batch rendered and written; a few small ones wait to see how many there are."""
        if self._is_streamed:
            self._write(batch, layout, source)
            return
        self._held.append((batch, layout, source))
        if self._behind is None and sum(held.used for held, *_ in self._held) < _FEW_BYTES:
            return
        if self._behind is None:
            from concurrent.futures import ThreadPoolExecutor

            self._behind = ThreadPoolExecutor(1)
        while self._held:
            while len(self._waiting) > 1:
                self._waiting.pop(0).result()
            self._waiting.append(self._behind.submit(self._write, *self._held.pop(0)))

    def _write(self, batch: Batch, layout: Layout, source: str) -> None:
        self.lay(self.renderer.render(batch, layout, source))

    def write_mark(self, source: Source) -> None:
        """List the byte-order mark of a source that has one."""
        self.wait()
        if source.mark_characters:
            self.lay(self.renderer.render_mark(source.name))

    def wait(self) -> None:
        """Wait for all that is to be written."""
        while self._held:
            self._write(*self._held.pop(0))
        while self._waiting:
            self._waiting.pop(0).result()

    def finish(self, doubts: Sequence[Doubt] = (), source: str = "") -> None:
        """Wait for all that is to be written, list the doubts, close the ledger of the writer's door."""
        self.wait()
        self.lay(self.renderer.render_doubts(doubts, source))
        self.lay(self.renderer.render_ends())
        self.ledger.add(self.renderer.take_ledger())

    def commit(self) -> None:
        """Lay everything down, after all of it has been written and looked at."""
        if self._behind is not None:
            self._behind.shutdown()
        for sink in self._sinks:
            sink.prepare()
        for sink in self._sinks:
            sink.commit()

    def discard(self) -> None:
        """Leave nothing behind."""
        if self._behind is not None:
            self._behind.shutdown(cancel_futures=True)
        self.renderer.close()
        for sink in self._sinks:
            sink.discard()
