"""Texts that are worked on together: what can be done of them now, and what came of it.

Each hands out tasks while it has some that can be done, and takes what came of them. What follows
from which is settled here, by what the texts say alone, so that it does not matter who is done first.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, NamedTuple, Protocol

import msgspec

from wetcomb.core.errors import UsageError
from wetcomb.core.ledger import Ledger
from wetcomb.core.report import Report
from wetcomb.jobs.cluster.grouping import name_part
from wetcomb.jobs.cluster.journal import Journal
from wetcomb.jobs.cluster.recipe import (  # fmt: skip
    BundleDone,
    Recipe,
    TextAt,
    TextTold,
)
from wetcomb.jobs.cluster.tasks import comb_bundle

__all__ = ["Bundle", "Put", "Table", "Task", "Work", "check_seen"]


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


def check_seen(text: TextAt, told: TextTold) -> None:
    """Stop where a worker does not see a text that is there: it is no fault of the text's.

    Raises
    ------
    UsageError : so it is
    """
    if told.is_unseen and Path(text.where).exists():
        raise UsageError(f"{text.name}: a worker does not see it; lay the texts where all machines see them, and the same command goes on")  # fmt: skip
