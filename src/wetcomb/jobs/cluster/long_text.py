"""One text longer than a part, cut into shares that are combed side by side and accepted in order."""

from __future__ import annotations

from collections import deque
from functools import partial
from pathlib import Path
from typing import Any

from wetcomb.combs.engine import StepsRun, check_edges
from wetcomb.core.doubts import Doubt
from wetcomb.core.errors import BrokenPromise, InputError, WetCombError
from wetcomb.core.ledger import Ledger
from wetcomb.core.report import Report
from wetcomb.jobs.cluster.grouping import count_cuts, name_part
from wetcomb.jobs.cluster.journal import Journal
from wetcomb.jobs.cluster.recipe import LookDone, Recipe, ShareDone, SurveyDone, TextAt, TextTold
from wetcomb.jobs.cluster.tasks import begin_long, comb_piece, doubt_long, look, survey
from wetcomb.jobs.cluster.work import Bundle, Put, Table, Task, Work, check_seen
from wetcomb.jobs.job import check_kept
from wetcomb.jobs.shares import Share

__all__ = ["LongText"]

_SURVEYED = 8  # shares that are surveyed by one task
_AHEAD = 64  # shares whose cuts are known before they are handed out


class _Cuts:
    """Where a long text is cut, as far as it has been surveyed, stretch by stretch.

    Attributes
    ----------
    waiting : shares that nobody combs yet, by their numbers, in order
    due : numbers of all shares that are not accepted, in order
    odd : the place of the first byte that is not ASCII, -1 while none was met
    """

    def __init__(self, number: int) -> None:
        self._number = number
        self._n_asked = self._n_taken = (
            0  # shares whose stretches were asked for; that came, in order
        )
        self._came: dict[int, SurveyDone] = {}
        self._line = 1
        self.waiting: dict[int, Share] = {}
        self.due: deque[int] = deque()
        self.odd = -1

    @property
    def is_over(self) -> bool:
        """Whether all of the text was surveyed."""
        return self._n_taken >= self._number

    def next_stretch(self, *, is_hurried: bool) -> tuple[int, int] | None:
        """Return the first share of the next stretch to be surveyed and how many there are, if one is wanted now.

        Parameters
        ----------
        is_hurried : nothing can be combed before all is surveyed
        """
        is_ahead = len(self.waiting) + self._n_asked - self._n_taken >= _AHEAD
        first = self._n_asked
        if first >= self._number or (is_ahead and not is_hurried):
            return None
        self._n_asked = min(first + _SURVEYED, self._number)
        return first, self._n_asked - first

    def take(self, first: int, done: SurveyDone) -> None:
        """Take where a stretch is cut; its lines are counted on from the stretch before it."""
        self._came[first] = done
        while (found := self._came.pop(self._n_taken, None)) is not None:
            for nth, share in found.shares:
                self.waiting[nth] = share._replace(line=self._line + share.line - 1)
                self.due.append(nth)
            self._line += found.n_lines
            self.odd = self.odd if self.odd >= 0 else found.odd
            self._n_taken = min(self._n_taken + _SURVEYED, self._number)


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
        self._odd: int | None = (
            None  # where its first byte stands that is not ASCII, once it must be known
        )
        self._must_look, self._is_settled = True, False
        self._must_doubt = self._is_doubted = False
        self._cuts = _Cuts(self._n_cuts)
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
            return Task(look, (self._recipe, self._text, self._odd), self._take_look)
        if self._seen is None:
            return None
        if self._must_doubt:
            self._must_doubt = False
            return Task(doubt_long, (self._recipe, self._text, self._seen), self._take_doubts)
        if self._again is not None:
            (nth, share, state), self._again = self._again, None
            return self._comb(nth, share, state)
        stretch = self._cuts.next_stretch(is_hurried=not self._is_settled)
        if stretch is not None:
            words = (self._recipe, self._text, self._seen, *stretch)
            return Task(survey, words, partial(self._take_survey, stretch[0]))
        if not self._is_settled or not self._cuts.waiting:
            return None
        nth = next(iter(self._cuts.waiting))
        return self._comb(nth, self._cuts.waiting.pop(nth), self._seen.state)

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

    def _take_survey(self, first: int, done: SurveyDone) -> None:
        cuts = self._cuts
        cuts.take(first, done)
        if not self._is_settled and self._odd is None and (cuts.odd >= 0 or cuts.is_over):
            if cuts.odd < 0:
                self._settle()
            else:  # what the text is written in is told by its first bytes that are not ASCII
                self._odd, self._must_look = cuts.odd, True
        self._go_on()

    def _take_share(self, nth: int, share: Share, state: tuple[bool, ...], done: ShareDone) -> None:  # fmt: skip
        """Take what came of a share, and accept all that follow upon one another."""
        self._came[nth] = share, state, done
        self._go_on()

    def _go_on(self) -> None:
        """Accept all shares that follow upon one another; finish behind the last."""
        due = self._cuts.due
        while not self.is_done and due and due[0] in self._came:
            if not self._accept(due[0]):
                return
        if not self.is_done and self._cuts.is_over and self._is_doubted and not due:
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
        self._cuts.due.popleft()
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
            _check_unchanged(self._text)
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


def _check_unchanged(text: TextAt) -> None:
    """Raise InputError where a text is another now than when the run began."""
    seen = Path(text.where).stat()
    if (seen.st_size, seen.st_mtime_ns) != (text.size, text.changed):
        raise InputError("it changed while it was read; hand in a copy that stays as it is", source=text.name)  # fmt: skip
