"""A run over many texts on an engine: tasks handed out, parts laid down, one account of all."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any

import msgspec

from wetcomb.combs.comb import Comb
from wetcomb.combs.engine import MAX_RECORD, StepsRun
from wetcomb.combs.idle import tell_idle
from wetcomb.core.doubts import Doubt
from wetcomb.core.errors import BrokenPromise, InputError, UsageError
from wetcomb.core.report import Report
from wetcomb.jobs.cluster.engines import Engine, LostTask
from wetcomb.jobs.cluster.grouping import count_cuts, group_texts
from wetcomb.jobs.cluster.journal import Journal
from wetcomb.jobs.cluster.long_text import LongText
from wetcomb.jobs.cluster.recipe import Recipe, TextAt, TextTold
from wetcomb.jobs.cluster.work import Bundle, Put, Table, Work
from wetcomb.jobs.job import MOST_MOVES, doubt_encodings

__all__ = ["ClusterRun", "Progress", "RunDone", "check_comb", "tell_reach"]

_IN_HAND = 3  # tasks for each slot that are handed out at once
_FORMATS = ("csv", "tsv", "jsonl", "parquet")
_DIED = "each worker that combed it died; perhaps it takes more memory than they have"


class Progress(msgspec.Struct):
    """How far a run has come.

    Attributes
    ----------
    parts, kept : that count, and those of them that were there already
    records, snagged : of all parts
    slowest, seconds : the text that took longest, and how long
    """

    parts: int = 0
    kept: int = 0
    records: int = 0
    snagged: int = 0
    slowest: str = ""
    seconds: float = 0.0


class RunDone(msgspec.Struct):
    """What came of a run.

    Attributes
    ----------
    report : of all texts that were combed, as one process would have it
    texts : what is told of each, in order
    parts : their names, in the order of their records
    n_removed : parts of an earlier run that no text makes any more
    """

    report: Report
    texts: list[TextTold]
    parts: list[str]
    n_removed: int

    @property
    def aside(self) -> list[TextTold]:
        """The texts that were set aside."""
        return [told for told in self.texts if told.why]


class ClusterRun:
    """A run of a comb over texts.

    Parameters
    ----------
    watch : told how far it has come, whenever that changes
    """

    def __init__(
        self, recipe: Recipe, texts: Sequence[TextAt], engine: Engine, journal: Journal, watch: Callable[[Progress], None]
    ) -> None:  # fmt: skip
        self._recipe, self._texts, self._engine = recipe, texts, engine
        self._journal, self._watch = journal, watch
        self.progress = Progress()
        self._aside: dict[str, TextTold] = {}

    def run(self) -> RunDone:
        """Comb all texts.

        Raises
        ------
        UsageError : none of them fits
        OutputError : a part cannot be written
        """
        try:
            works = self._work()
            while works is None:  # the text that the table began with was set aside after all
                self._engine.forget()
                works = self._work()
        except BaseException:
            self._engine.forget()
            raise
        return self._sum_up(works)

    def _work(self) -> list[Work] | None:
        """Do all tasks; None if the text is set aside that the others went by."""
        table = Table()
        self.progress = Progress()
        texts = [text for text in self._texts if text.name not in self._aside]
        works = _list_work(self._recipe, self._journal, table, self._take_note, texts)
        rest, begun = iter(works), list[Work]()
        running: dict[object, tuple[Work, Callable[[Any], None]]] = {}
        while True:
            begun = [work for work in begun if not work.is_done]
            self._hand_out(table, rest, begun, running)
            if not running:
                if any(not work.is_done for work in works):
                    raise BrokenPromise("a text was left half-way, and nothing more is to be done")
                return works
            for handle, give in self._engine.wait():
                work, take = running.pop(handle)
                try:
                    done = give()
                    if not work.is_done:
                        take(done)
                except (
                    LostTask,
                    InputError,
                ) as error:  # its workers died, or it is another text now
                    if not work.is_done:
                        work.give_up(error.message if isinstance(error, InputError) else _DIED)
                if work.is_done:
                    lost = next((told for told in work.texts if told.why and told.name == table.first), None)  # fmt: skip
                    if work.is_lead and lost is not None:
                        self._aside[lost.name] = lost
                        return None

    def _hand_out(
        self, table: Table, rest: Iterator[Work], begun: list[Work],
        running: dict[object, tuple[Work, Callable[[Any], None]]],
    ) -> None:  # fmt: skip
        """Hand out what can be done; until the table has begun, of one work alone."""
        most = _IN_HAND * max(1, self._engine.count_slots())
        place = 0
        while len(running) < most:
            if place == len(begun):
                work = next(rest, None) if table.names or not begun else None
                if work is None:
                    return
                work.is_lead = not table.names
                begun.append(work)
            task = begun[place].next_task()
            if task is None:
                place += 1
                continue
            handle = self._engine.submit(task.work, *task.words)
            running[handle] = begun[place], task.take

    def _take_note(self, made: Report, seen: Sequence[TextTold], *, is_kept: bool) -> None:
        progress = self.progress
        progress.parts += 1
        progress.kept += is_kept
        progress.records += made.records
        progress.snagged += made.snagged_records
        for told in seen:
            if told.seconds > progress.seconds:
                progress.slowest, progress.seconds = told.name, told.seconds
        self._watch(progress)

    def _sum_up(self, works: Sequence[Work]) -> RunDone:
        """Return one account of all texts; parts that none of them makes any more are taken away."""
        comb = self._recipe.comb
        report = Report(keep_moves=MOST_MOVES) if self._recipe.settings.moves else Report()
        made = {told.name: told for work in works for told in work.texts} | self._aside
        texts = [made[text.name] for text in self._texts]
        for work in works:
            report.add(work.report)
            report.ledger.add(work.written)
        fitting = [told for told in texts if not told.why]
        drafted = next((told.doubts for told in fitting if told.doubts), ())
        encodings = [(told.name, told.encoding) for told in fitting if told.encoding is not None]
        report.notes += tuple(tell_idle(comb.steps, report.ledger)) if fitting else ()
        doubts: list[Doubt] = [*drafted, *doubt_encodings(encodings)]
        report.doubts = report.list_doubts(doubts)
        report.ledger.check_source()
        report.ledger.check_output()
        parts = [part for work in works for part in work.parts]
        n_removed = self._journal.take_away_others({*parts})
        self._journal.sweep()
        return RunDone(report, texts, parts, n_removed)


def _list_work(recipe: Recipe, journal: Journal, table: Table, put: Put, texts: Sequence[TextAt]) -> list[Work]:  # fmt: skip
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


def tell_reach(comb: Comb, texts: Sequence[TextAt], n_long: int, size: int, memory: int | None) -> str:  # fmt: skip
    """Return what a comb allows, in words.

    Parameters
    ----------
    n_long, size : how many texts are longer than a part by much, and what a part is (MiB)

    Raises
    ------
    UsageError : a step must see all of a text that is longer than may be held at once
    """
    whole = next((step for step in comb.steps if step.reach == "whole"), None)
    if whole is not None:
        most = memory << 20 if memory else MAX_RECORD
        long = next((text for text in texts if text.size > most), None)
        if long is not None:
            raise UsageError(f"{long.name}: {whole.name} must see all of a text, and this has {long.size >> 20} MiB of at most {most >> 20}; hand in pieces of it, or allow more (--memory)")  # fmt: skip
        return f"{whole.name} must see all of a text: each is combed by one worker"
    if not comb.part.is_whole:
        return "a part of each text is meant: each is combed by one worker, in order"
    if StepsRun(comb.steps, Report()).can_share:
        cut = "1 text is" if n_long == 1 else f"{n_long:,} texts are" if n_long else "no text is"
        return f"each record can be combed by itself; {cut} cut into pieces of {size} MiB"
    carrying = next((step.name for step in comb.steps if step.reach == "state"), comb.steps[-1].name)  # fmt: skip
    return f"{carrying} carries something from record to record: each text is combed in order, texts side by side"


def check_comb(comb: Comb, form: str) -> None:
    """Refuse a comb, or a format, of which no parts can be made.

    Raises
    ------
    UsageError : it is meant for one text alone, makes lines, or the format is none for parts
    """
    if form not in _FORMATS:
        raise UsageError(f"--format {form}: parts of a table are {', '.join(_FORMATS[:-1])} or {_FORMATS[-1]}")  # fmt: skip
    if comb.steps[-1].makes_lines:
        raise UsageError("the comb makes lines of text, and parts are of a table; leave its last step out")  # fmt: skip
    if comb.is_tied:
        raise UsageError("--fix names a line of one text; mend that one by itself")
