"""One long text combed by several processes, its shares put together in order.

A share counts only if the one before it ended just where it begins (`shares`). So the answer is the
one of a single process, and the processes only save time.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future
from typing import TYPE_CHECKING, NamedTuple

from wetcomb.combs.engine import StepsRun
from wetcomb.core.batch import Batch
from wetcomb.core.errors import BrokenPromise
from wetcomb.core.ledger import Ledger
from wetcomb.core.report import Report
from wetcomb.core.text import count_line_ends
from wetcomb.files.columns import Layout
from wetcomb.files.source import Source
from wetcomb.jobs.desk import Desk
from wetcomb.jobs.helpers import become_helper
from wetcomb.jobs.outputs import Outputs
from wetcomb.jobs.shares import (
    FIRST_SHARE,
    SHARE,
    Share,
    comb_share,
    find_last_record,
    find_share_end,
)

if TYPE_CHECKING:
    from concurrent.futures import ProcessPoolExecutor

__all__ = ["Crew"]

_MOST_WAITING = 8  # shares in hand, done or not, before this process waits


class _Done(NamedTuple):
    """What came of a share: its outputs, what is told of it, where its last record ended.

    `sizes` are those of outputs that lie on the desk, at `place`; `counts` is what the steps will tell of, `state` what is carried on; `end` is None if
    the share must be longer.
    """

    parts: list[bytes]
    report: Report
    counts: list[object]
    written: Ledger
    end: int | None
    state: tuple[bool, ...]
    place: int | None = None
    sizes: tuple[int, ...] = ()


class Crew:
    """Helpers that comb the shares of one text, this process among them."""

    def __init__(
        self, run: StepsRun, source: Source, outputs: Outputs, layout: Layout, n_helpers: int
    ) -> None:
        self._n_helpers = n_helpers
        self._run, self._source, self._outputs, self._layout = run, source, outputs, layout
        self._report, self._state = run.report, run.state
        self._counts = run.give_counts()
        self._desk = Desk(_MOST_WAITING + n_helpers)

    def work(self) -> Iterator[int]:
        """Comb the whole text; yield how far it has come, share by share."""
        import multiprocessing
        from concurrent.futures import ProcessPoolExecutor

        shares = self._list_shares()
        share, before = next(shares), self._report.lines
        done = self.comb(share, self._state)
        while (done.end is None or not done.report.names) and share.end < self._source.size:
            share = share._replace(end=next(shares).end)  # the heading is not in sight yet
            self._run.begin_again()
            self._outputs.renderer.begin_again()
            done = self.comb(share, self._state)
        end = self._accept(done)
        self._state = done.state
        yield end
        with ProcessPoolExecutor(
            self._n_helpers, multiprocessing.get_context("fork"), _begin_helper, (self,)
        ) as helpers:
            try:
                for share, future in self._hand_out(shares, helpers):
                    if share.start == end and done.state == self._state:
                        made = self._fetch(future.result())
                    else:
                        self._discard(future)
                        line = self._report.lines - before + 1
                        made = self.comb(Share(end, share.end, line), done.state)
                    if made.end is None:
                        continue  # to be combed again with the next share
                    done = made
                    end = self._accept(done)
                    yield end
            except BaseException:
                helpers.shutdown(wait=False, cancel_futures=True)
                raise
        self._run.add_counts(self._counts)
        self._run.tell(self._report)
        if end != self._source.size:
            raise BrokenPromise(f"{self._source.size - end} bytes at the end were not read")

    def _hand_out(
        self, shares: Iterator[Share], helpers: ProcessPoolExecutor
    ) -> Iterator[tuple[Share, Future[_Done]]]:
        """Yield the shares in order, each with what comes of it; this process takes its part."""
        waiting: deque[tuple[Share, Future[_Done]]] = deque()
        while True:
            while sum(not future.done() for _, future in waiting) <= self._n_helpers:
                share = next(shares, None)
                if share is None:
                    yield from waiting
                    return
                waiting.append((share, helpers.submit(_help, share, self._desk.take())))
            share = next(shares, None)
            if share is not None:
                waiting.append((share, self._comb_now(share)))
            while waiting and (waiting[0][1].done() or len(waiting) > _MOST_WAITING):
                yield waiting.popleft()

    def _comb_now(self, share: Share) -> Future[_Done]:
        """Comb a share in this process; what goes wrong counts only if the share does."""
        future: Future[_Done] = Future()
        try:
            future.set_result(self.comb(share, self._state))
        except Exception as error:
            future.set_exception(error)
        return future

    def _accept(self, done: _Done) -> int:
        """Take what came of the next share; return where it ended."""
        assert done.end is not None
        if done.parts:
            self._outputs.lay(done.parts)
        self._report.add(done.report)
        self._run.give_counts()  # of what was looked at only
        self._run.add_counts(self._counts)
        self._run.add_counts(done.counts)
        self._counts = self._run.give_counts()
        self._outputs.ledger.add(done.written)
        return done.end

    def comb(self, share: Share, state: tuple[bool, ...]) -> _Done:
        """Comb a share; a record that it only begins is left to the next."""
        renderer, rendered = self._outputs.renderer, list[list[bytes]]()
        report = Report(source=self._report.source, keep_moves=self._report.keep_moves)

        def take(batch: Batch) -> None:
            rendered.append(renderer.render(batch, self._layout, self._source.name))

        combed = comb_share(self._run, self._source, share, state, report, take)
        parts = [b"".join(output) for output in zip(*rendered, strict=True)]
        return _Done(
            parts if combed.end is not None else [],
            report,
            combed.counts,
            renderer.take_ledger(),
            combed.end,
            combed.state,
        )

    def help(self, share: Share, place: int | None) -> _Done:
        """Comb a share as a helper does, who knows of the one before it what is likely."""
        done = self.comb(share, self._state)
        sizes = None if place is None else self._desk.lay(place, done.parts)
        if sizes is None:
            return done._replace(place=place)
        return done._replace(parts=[], place=place, sizes=tuple(sizes))

    def _fetch(self, done: _Done) -> _Done:
        """Return what a helper made, its outputs taken from the desk."""
        if done.place is None:
            return done
        parts = self._desk.read(done.place, done.sizes) or done.parts
        self._desk.give_back(done.place)
        return done._replace(parts=parts)

    def _discard(self, future: Future[_Done]) -> None:
        """Have no use for what a helper makes; its place is free once it is done with it."""
        future.cancel()
        future.add_done_callback(self._clear)

    def _clear(self, future: Future[_Done]) -> None:
        if not future.cancelled() and not future.exception():
            self._fetch(future.result())

    def _list_shares(self) -> Iterator[Share]:
        """Yield the shares of the source in order; the last ends with it.

        Where only the record behind tells where one ends, a share begins with the record that
        the one before it cannot end.
        """
        source, line, size = self._source, 1, FIRST_SHARE
        start = len(source.encoding.mark)
        while start < source.size:
            end, size = find_share_end(source, start + size), SHARE
            yield Share(start, end, line)
            behind = end
            if end < source.size and self._report.names:
                behind = find_last_record(self._run, source, end, self._state)
            line += count_line_ends(source.read_bytes(start, behind))
            start = behind


_crew: Crew | None = None


def _begin_helper(crew: Crew) -> None:
    """Make a new process a helper of a crew."""
    global _crew
    _crew = crew
    become_helper()


def _help(share: Share, place: int | None) -> _Done:
    assert _crew is not None
    return _crew.help(share, place)
