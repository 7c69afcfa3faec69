"""One long text combed by several processes, its shares put together in order.

A text is cut into shares at line ends that look like the ends of records. A share is combed
as if a record began with it; it counts only if the share before it ended just there, which
is known once that one is done. Where it did not (a line break inside quotes was taken for
the end of a record) the share is combed again from where the one before it ended. So the
answer is the one of a single process, and the processes only save time.
"""

from __future__ import annotations

import ctypes
import os
import signal
import sys
from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future
from typing import TYPE_CHECKING, NamedTuple

from wetcomb.cli.outputs import Outputs
from wetcomb.combs.part import Stretch
from wetcomb.combs.run import CombRun
from wetcomb.core.errors import BrokenPromise
from wetcomb.core.ledger import Ledger
from wetcomb.core.report import Report
from wetcomb.core.text import count_line_ends
from wetcomb.files.columns import Layout
from wetcomb.files.source import BLOCK_SIZE, Source

if TYPE_CHECKING:
    from concurrent.futures import ProcessPoolExecutor

__all__ = ["Crew", "count_helpers"]

_LONG = 8 * BLOCK_SIZE  # a shorter text is done before helpers are there
_SHARE = 2 * BLOCK_SIZE
_FIRST_SHARE = BLOCK_SIZE // 16  # it tells the heading, and nothing else is done meanwhile
_WINDOW = 1 << 16  # bytes that are searched for the end of a record
_MOST = 4  # processes
_MOST_WAITING = 8  # shares in hand, done or not, before this process waits
_DIE_WITH_PARENT = 1  # prctl(2): PR_SET_PDEATHSIG


class _Share(NamedTuple):
    """A stretch of the source: bytes from `start` to `end`, and the line it begins on."""

    start: int
    end: int
    line: int


class _Done(NamedTuple):
    """What came of a share: its outputs, what is told of it, and where its last record ended."""

    parts: list[list[bytes]]
    report: Report
    written: Ledger
    end: int


def count_helpers(run: CombRun, source: Source, n_processes: int | None) -> int:
    """Return how many processes beside this one are worth it for a text that they can share."""
    can_share = (
        sys.platform == "linux"
        and source.size >= _LONG
        and source.encoding.name == "utf-8"
        and run.can_share
    )
    wanted = min(count_processors(), _MOST) if n_processes is None else n_processes
    return wanted - 1 if can_share else 0


def count_processors() -> int:
    """Return how many processors this process may use."""
    return len(os.sched_getaffinity(0)) if sys.platform == "linux" else 1


class Crew:
    """Helpers that comb the shares of one text, this process among them."""

    def __init__(
        self, run: CombRun, source: Source, outputs: Outputs, layout: Layout, n_helpers: int
    ) -> None:
        self._n_helpers = n_helpers
        self._run, self._source, self._outputs, self._layout = run, source, outputs, layout
        self._report = run.report

    def work(self) -> Iterator[int]:
        """Comb the whole text; yield how far it has come, share by share."""
        import multiprocessing
        from concurrent.futures import ProcessPoolExecutor

        shares = list_shares(self._source)
        share, before = next(shares), self._report.lines
        done = self.comb(share)
        while not done.report.names and share.end < self._source.size:
            share = share._replace(end=next(shares).end)  # the heading is not in sight yet
            done = self.comb(share)
        end = self._accept(done)
        yield end
        with ProcessPoolExecutor(
            self._n_helpers, multiprocessing.get_context("fork"), _begin_helper, (self,)
        ) as helpers:
            try:
                for share, future in self._hand_out(shares, helpers):
                    if share.start == end:
                        done = future.result()
                    else:
                        future.cancel()
                        line = self._report.lines - before + 1
                        done = self.comb(_Share(end, share.end, line))
                    end = self._accept(done)
                    yield end
            except BaseException:
                helpers.shutdown(wait=False, cancel_futures=True)
                raise
        if end != self._source.size:
            raise BrokenPromise(f"{self._source.size - end} bytes at the end were not read")

    def _hand_out(
        self, shares: Iterator[_Share], helpers: ProcessPoolExecutor
    ) -> Iterator[tuple[_Share, Future[_Done]]]:
        """Yield the shares in order, each with what comes of it; this process takes its part."""
        waiting: deque[tuple[_Share, Future[_Done]]] = deque()
        while True:
            while sum(not future.done() for _, future in waiting) <= self._n_helpers:
                share = next(shares, None)
                if share is None:
                    yield from waiting
                    return
                waiting.append((share, helpers.submit(_help, share)))
            share = next(shares, None)
            if share is not None:
                waiting.append((share, self._comb_now(share)))
            while waiting and (waiting[0][1].done() or len(waiting) > _MOST_WAITING):
                yield waiting.popleft()

    def _comb_now(self, share: _Share) -> Future[_Done]:
        """Comb a share in this process; what goes wrong counts only if the share does."""
        future: Future[_Done] = Future()
        try:
            future.set_result(self.comb(share))
        except Exception as error:
            future.set_exception(error)
        return future

    def _accept(self, done: _Done) -> int:
        """Take what came of the next share; return where it ended."""
        for parts in done.parts:
            self._outputs.lay(parts)
        self._report.add(done.report)
        self._outputs.ledger.add(done.written)
        return done.end

    def comb(self, share: _Share) -> _Done:
        """Comb a share; a record that it only begins is left to the next."""
        run, source, renderer = self._run, self._source, self._outputs.renderer
        report = Report(source=self._report.source)
        run.go_on_at(share.line, report)
        is_last = share.end == source.size
        parts = [
            renderer.render(piece, self._layout, source.name)
            for block, is_end in source.read_stretch(share.start, share.end)
            for piece in run.take(Stretch(block, True, is_last and is_end))
        ]
        n_left = run.leave()
        run.finish()
        return _Done(parts, report, renderer.take_ledger(), share.end - n_left)


_crew: Crew | None = None


def _begin_helper(crew: Crew) -> None:
    """Make a new process a helper: it is stopped by the one that began it, and dies with it."""
    global _crew
    _crew = crew
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    ctypes.CDLL(None).prctl(_DIE_WITH_PARENT, signal.SIGKILL)


def _help(share: _Share) -> _Done:
    assert _crew is not None
    return _crew.comb(share)


def list_shares(source: Source) -> Iterator[_Share]:
    """Yield the shares of a source in order; the last ends with it."""
    start, line, size = len(source.encoding.mark), 1, _FIRST_SHARE
    while start < source.size:
        end, size = start + size, _SHARE
        while end < source.size:
            window = source.read_bytes(end, min(end + _WINDOW, source.size))
            place = find_record_end(window)
            if place:
                end += place
                break
            end += _SHARE
        end = min(end, source.size)
        yield _Share(start, end, line)
        line += count_line_ends(source.read_bytes(start, end))
        start = end


def find_record_end(window: bytes) -> int:
    """Return where a line ends that is likely to end a record; 0 where none is in sight.

    A line without quote marks beside one with as many commas and the like is one by itself
    more often than a line inside quotes; without any such lines the first line end will do.
    """
    lines = window.split(b"\n")[1:-1]
    if not lines:
        return window.rfind(b"\n") + 1
    sizes = [
        -1 if b'"' in line or b"'" in line else sum(map(line.count, (b",", b";", b"\t", b"|")))
        for line in lines
    ]
    most = max(sizes)
    place = window.index(b"\n") + 1
    for before, after, line in zip(sizes, sizes[1:], lines, strict=False):
        place += len(line) + 1
        if before == after == most >= 0:
            return place
    return window.index(b"\n") + 1
