"""Texts on their way through a cluster: whole ones in bundles, long ones share by share.

Each hands out tasks while it has some that can be done, and takes what came of them. What follows
from which is settled here, by what the texts say alone, so that it does not matter who is done first.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import Any, NamedTuple, Protocol

import msgspec

from wetcomb.combs.engine import StepsRun, check_edges
from wetcomb.core.doubts import Doubt
from wetcomb.core.errors import BrokenPromise, InputError, UsageError, WetCombError
from wetcomb.core.ledger import Ledger
from wetcomb.core.report import Report
from wetcomb.jobs.cluster.grouping import count_cuts, group_texts, name_part
from wetcomb.jobs.cluster.journal import Journal
from wetcomb.jobs.cluster.recipe import (  # fmt: skip
    BundleDone,
    LookDone,
    Recipe,
    ShareDone,
    SurveyDone,
    TextAt,
    TextTold,
)
from wetcomb.jobs.cluster.tasks import begin_long, comb_bundle, comb_piece, doubt_long, look, survey
from wetcomb.jobs.job import check_kept
from wetcomb.jobs.shares import Share

__all__ = ["Table", "Task", "Work", "list_work"]

_SURVEYED = 8  # shares that are surveyed by one task
_AHEAD = 64  # shares whose cuts are known before they are handed out


class Task(NamedTuple):
    """Something to be done, and who takes what came of it."""

    work: Callable[..., Any]
    words: tuple[Any, ...]
    take: Callable[[Any], None]


class Put(Protocol):
    """Told of each part that counts."""

    def __call__(self, made: Report, seen: Sequence[TextTold], *, is_kept: bool) -> None:
        """Take note of a part: the account of its records, and what is told of its texts so far."""


class Table(msgspec.Struct):
    """What all texts must agree in: the columns, and the text that they are from."""

    names: tuple[str, ...] = ()
    first: str = ""


class Work:
    """Some texts that are worked on together.

    Attributes
    ----------
    texts : what is told of each in the end
    report : the account of those that were not set aside
    written : what was written of all
    parts : those that count
    is_lead : the table begins with it
    is_done : nothing more comes
    """

    def __init__(self, recipe: Recipe, journal: Journal, table: Table, put: Put) -> None:
        self._recipe, self._journal, self._table, self._put = recipe, journal, table, put
        self.texts: list[TextTold] = []
        self.report = Report()
        self.written = Ledger()
        self.parts: list[str] = []
        self.is_done = self.is_lead = False

    def next_task(self) -> Task | None:
        """Return what can be done now; None if something must come back first."""
        raise NotImplementedError

    def give_up(self, why: str) -> None:
        """Set the texts aside."""
        raise NotImplementedError


class Bundle(Work):
    """Whole texts that make a part together."""

    def __init__(
        self, recipe: Recipe, journal: Journal, table: Table, put: Put, texts: Sequence[TextAt], number: int
    ) -> None:  # fmt: skip
        super().__init__(recipe, journal, table, put)
        self._texts, self._part = [*texts], name_part(recipe, number)
        self._is_out = False

    def next_task(self) -> Task | None:
        """Return the one task there is."""
        if self._is_out:
            return None
        self._is_out = True
        table = Table() if self.is_lead else self._table
        known = self._journal.find(self._part)
        words = (self._recipe, self._texts, self._part, table.names, table.first, known)
        return Task(comb_bundle, words, self._take)

    def _take(self, done: BundleDone) -> None:
        for text, told in zip(self._texts, done.texts, strict=False):
            check_seen(text, told)
        is_kept = done.is_kept
        if is_kept:
            recalled = self._journal.recall(self._part)
            if not isinstance(recalled, BundleDone):  # its line cannot be read: it is made again
                self._journal.leave_out(self._part)
                self._is_out = False
                return
            done = recalled
        else:
            self._journal.lay_down(self._part, done)
        if done.part is not None:
            self.parts.append(self._part)
        self.texts, self.report, self.written = done.texts, done.report, done.written
        if self.is_lead and done.names:
            self._table.names = done.names
            self._table.first = next(told.name for told in done.texts if not told.why)
        self.is_done = True
        self._put(done.report, done.texts, is_kept=is_kept)

    def give_up(self, why: str) -> None:
        """Set its texts aside; which of several did it cannot be said."""
        if len(self._texts) > 1:
            why += "; it was combed with others, of which another may be the cause: hand it in by itself"
        self._journal.leave_out(self._part)
        self.texts, self.parts = [TextTold(text.name, why=why) for text in self._texts], []
        self.report, self.written = Report(), Ledger()
        self.is_done = True


class LongText(Work):
    """One text, cut into shares that are combed side by side and accepted in order.

    A share counts only if the one before it ended just where it begins, with the same state; else it
    is combed again from there. A text that cannot be cut is handed to one worker as a whole.
    """

    def __init__(
        self, recipe: Recipe, journal: Journal, table: Table, put: Put, text: TextAt, number: int
    ) -> None:  # fmt: skip
        super().__init__(recipe, journal, table, put)
        self._text, self._number = text, number
        self._n_cuts = count_cuts(recipe, text)
        self._seen: LookDone | None = None
        self._whole: Bundle | None = None
        self._looks_at: int | None = None  # where its first odd byte stands, once that is known
        self._must_look, self._is_settled = True, False
        self._must_doubt = self._is_doubted = False
        self._surveys = dict[int, SurveyDone]()
        self._n_asked, self._n_surveyed, self._line, self._odd = 0, 0, 1, -1
        self._waiting: dict[int, Share] = {}  # cuts are known and nobody combs them; in order
        self._in_order: deque[int] = deque()  # all that are not accepted
        self._came: dict[int, tuple[Share, tuple[bool, ...], ShareDone]] = {}
        self._again: tuple[int, Share, tuple[bool, ...]] | None = None
        self._end = 0
        self._state: tuple[bool, ...] = ()
        self._run: StepsRun | None = None  # puts together what the steps counted of each share
        self._counts: list[object] = []
        self._told = TextTold(text.name)

    def next_task(self) -> Task | None:
        """Return what can be done now: a look, a share that was cut wrongly, a survey, a share."""
        if self.is_done:
            return None
        if self._whole is not None:
            return self._wrap(self._whole.next_task())
        if self._must_look:
            self._must_look = False
            return Task(look, (self._recipe, self._text, self._looks_at), self._take_look)
        if self._seen is None:
            return None
        if self._must_doubt:
            self._must_doubt = False
            return Task(doubt_long, (self._recipe, self._text, self._seen), self._take_doubts)
        if self._again is not None:
            (nth, share, state), self._again = self._again, None
            return self._comb(nth, share, state)
        is_ahead = len(self._waiting) + (self._n_asked - self._n_surveyed) * _SURVEYED >= _AHEAD
        first = self._n_asked * _SURVEYED
        if first < self._n_cuts and not (is_ahead and self._is_settled):
            nth, self._n_asked = self._n_asked, self._n_asked + 1
            words = (self._recipe, self._text, self._seen, first, min(_SURVEYED, self._n_cuts - first))  # fmt: skip
            return Task(survey, words, partial(self._take_survey, nth))
        if not self._is_settled or not self._waiting:
            return None
        nth = next(iter(self._waiting))
        return self._comb(nth, self._waiting.pop(nth), self._seen.state)

    def _comb(self, nth: int, share: Share, state: tuple[bool, ...]) -> Task:
        part = name_part(self._recipe, self._number + nth)
        names = () if self.is_lead else self._table.names
        words = (self._recipe, self._text, self._seen, share, state, part, names, self._journal.find(part))  # fmt: skip
        return Task(comb_piece, words, partial(self._take_share, nth, share, state))

    def _wrap(self, task: Task | None) -> Task | None:
        """Return a task of the text as a whole; what comes of it is what comes of this."""
        if task is None:
            return None

        def take(done: Any) -> None:
            assert self._whole is not None
            task.take(done)
            self._take_over(self._whole)

        return task._replace(take=take)

    def _take_over(self, other: Bundle) -> None:
        self.texts, self.report, self.written, self.parts = other.texts, other.report, other.written, other.parts  # fmt: skip
        self.is_done = other.is_done

    def _hand_over(self) -> None:
        """Have it combed as a whole."""
        words = self._recipe, self._journal, self._table, self._put
        self._whole = Bundle(*words, [self._text], self._number)
        self._whole.is_lead = self.is_lead

    def _take_look(self, seen: LookDone) -> None:
        check_seen(self._text, seen.told)
        wanted = self._table.names
        if seen.told.why:
            self.give_up(seen.told.why)
            return
        if not seen.can_share:
            self._hand_over()
            return
        if wanted and seen.names != wanted:
            self.give_up(f"its columns ({', '.join(seen.names)}) are not those of {self._table.first} ({', '.join(wanted)})")  # fmt: skip
            return
        self._seen = seen
        self._end, self._run = seen.start, begin_long(self._recipe, self._text, seen)
        self._told.encoding, self._told.notes = seen.told.encoding, seen.told.notes
        if not seen.is_plain:
            self._settle()

    def _settle(self) -> None:
        """Go on, now that it is known what the text is written in: it tells the columns."""
        assert self._seen is not None
        self._is_settled = self._must_doubt = True
        if self.is_lead:
            self._table.names, self._table.first = self._seen.names, self._text.name

    def _take_doubts(self, found: tuple[Doubt, ...]) -> None:
        self._told.doubts, self._is_doubted = found, True
        self._go_on()

    def _take_survey(self, nth: int, done: SurveyDone) -> None:
        """Take where a stretch is cut; its lines are counted on from the stretch before it."""
        self._surveys[nth] = done
        while (found := self._surveys.pop(self._n_surveyed, None)) is not None:
            for place, share in found.shares:
                self._waiting[place] = share._replace(line=self._line + share.line - 1)
                self._in_order.append(place)
            self._line += found.n_lines
            self._odd = self._odd if self._odd >= 0 else found.odd
            self._n_surveyed += 1
        is_over = self._n_surveyed * _SURVEYED >= self._n_cuts
        if not self._is_settled and self._looks_at is None and (self._odd >= 0 or is_over):
            if self._odd < 0:
                self._settle()
            else:  # what the text is written in is told by its first bytes that are not ASCII
                self._looks_at, self._must_look = self._odd, True
        self._go_on()

    def _take_share(self, nth: int, share: Share, state: tuple[bool, ...], done: ShareDone) -> None:  # fmt: skip
        """Take what came of a share, and accept all that follow upon one another."""
        self._came[nth] = share, state, done
        self._go_on()

    def _go_on(self) -> None:
        """Accept all shares that follow upon one another; finish behind the last."""
        while not self.is_done and self._in_order and self._in_order[0] in self._came:
            if not self._accept(self._in_order[0]):
                return
        is_over = self._n_surveyed * _SURVEYED >= self._n_cuts and self._is_doubted
        if not self.is_done and is_over and not self._in_order:
            self._finish()

    def _accept(self, nth: int) -> bool:
        """Accept a share that is next; return whether there is no need to comb it again."""
        assert self._seen is not None
        share, state, done = self._came.pop(nth)
        is_first = self._end == self._seen.start
        if share.start != self._end or not (is_first or state == self._state):
            begin = Share(self._end, share.end, self.report.lines + 1)
            self._again = nth, begin, self._seen.state if is_first else self._state
            return False
        part = name_part(self._recipe, self._number + nth)
        is_kept = done.is_kept
        if is_kept:
            recalled = self._journal.recall(part)
            if not isinstance(recalled, ShareDone):
                self._journal.leave_out(part)
                self._again = nth, share, state
                return False
            done = recalled
        if done.told.why:
            self.give_up(done.told.why)
            return True
        self._in_order.popleft()
        if done.end is None:  # to be combed again with the next share
            return True
        if not is_kept:
            self._journal.lay_down(part, done)
        if done.part is not None:
            self.parts.append(part)
        self._add(done)
        self._put(done.report, [self._told], is_kept=is_kept)
        return True

    def _add(self, done: ShareDone) -> None:
        """Add what is told of the next share to what is told of those before it."""
        assert self._seen is not None and self._run is not None and done.end is not None
        if self._end == self._seen.start:
            self.report = done.report
        else:
            self.report.add(done.report)
        self._told.seconds += done.told.seconds
        self.written.add(done.written)
        self._run.add_counts(self._counts or self._run.give_counts())
        self._run.add_counts(done.counts)
        self._counts = self._run.give_counts()
        self._end, self._state = done.end, done.state

    def _finish(self) -> None:
        """Have the steps tell of all, once the last share is accepted."""
        assert self._run is not None
        name = self._text.name
        try:
            check_unchanged(self._text)
            if self._end != self._text.size:
                raise BrokenPromise(f"{self._text.size - self._end} bytes at the end were not read")
            self._run.add_counts(self._counts)
            self._run.tell(self.report)
            check_edges(self._recipe.comb.steps, self.report, name)
            check_kept(self.report, 0, name)
        except (WetCombError, BrokenPromise) as error:
            self.give_up(str(error).removeprefix(f"{name}: "))
            return
        self.texts, self.is_done = [self._told], True

    def give_up(self, why: str) -> None:
        """Set the text aside, and take its parts away again."""
        for nth in range(self._n_cuts):
            self._journal.leave_out(name_part(self._recipe, self._number + nth))
        self.texts, self.parts = [TextTold(self._text.name, why=why)], []
        self.report, self.written = Report(), Ledger()
        self.is_done = True


def check_seen(text: TextAt, told: TextTold) -> None:
    """Stop where a worker does not see a text that is there: it is no fault of the text's.

    Raises
    ------
    UsageError : so it is
    """
    if told.is_unseen and Path(text.where).exists():
        raise UsageError(f"{text.name}: a worker does not see it; lay the texts where all machines see them, and the same command goes on")  # fmt: skip


def check_unchanged(text: TextAt) -> None:
    """Raise InputError where a text is another now than when the run began."""
    seen = Path(text.where).stat()
    if (seen.st_size, seen.st_mtime_ns) != (text.size, text.changed):
        raise InputError("it changed while it was read; hand in a copy that stays as it is", source=text.name)  # fmt: skip


def list_work(recipe: Recipe, journal: Journal, table: Table, put: Put, texts: Sequence[TextAt]) -> list[Work]:  # fmt: skip
    """Return the work that texts are, in their order; it follows from their sizes alone."""
    made: list[Work] = []
    number = 1
    for own in group_texts(recipe, texts):
        n_cuts = count_cuts(recipe, own[0])
        if n_cuts > 1:
            made.append(LongText(recipe, journal, table, put, own[0], number))
        else:
            made.append(Bundle(recipe, journal, table, put, own, number))
        number += n_cuts
    return made
