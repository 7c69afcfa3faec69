"""Run steps over a text in chunks, in bounded memory, with the ledger closed.

A step is given bytes that begin at a record and says how many it took; what it left
comes again, in front of the next block. So a record may be as long as it likes up to
`MAX_RECORD`, and where the input happens to be cut never changes a cell. What has come through
all steps is closed in the book, batch by batch; nothing is counted before.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

import numpy as np
from msgspec.structs import replace

from wetcomb.combs.part import Part, Stretch, part_blocks
from wetcomb.core.batch import Batch, StepRun
from wetcomb.core.bookkeeping import close_batch
from wetcomb.core.decoded import Decoded
from wetcomb.core.errors import BrokenPromise, InputError
from wetcomb.core.ledger import Charge, Ledger
from wetcomb.core.report import Report
from wetcomb.core.snags import SNAG_CODES
from wetcomb.core.text import Text, count_line_ends
from wetcomb.steps.registry import begin
from wetcomb.steps.step import Step

__all__ = [
    "EDGE_SHARE",
    "MANY_EDGES",
    "MAX_RECORD",
    "StepsRun",
    "check_edges",
    "read_text",
    "run_blocks",
]

_MIB = 1024 * 1024
MANY_EDGES, EDGE_SHARE = 5, 0.2  # records with a cut word, and their share, that stop a run
MAX_RECORD = 64 * 1024 * 1024  # bytes; a longer record is a text that was cut on the wrong thing


def run_blocks(
    steps: Sequence[Step],
    blocks: Iterable[Decoded],
    report: Report,
    *,
    part: Part | None = None,
    source: str = "",
    is_continued: bool = False,
) -> Iterator[Batch]:
    """Yield what the steps make of a text, batch by batch; sum up what happens in `report`.

    When the last batch has been taken the source side of the ledger is checked.

    Parameters
    ----------
    part : which part of the text is meant; None for all of it
    source : what messages call the text
    is_continued : the text goes on with a table whose names are known from another, so its
        own heading is the heading again

    Raises
    ------
    InputError : there are no records, or one is longer than `MAX_RECORD`
    BrokenPromise : a character has no home
    """
    run = StepsRun(steps, report, source=source, is_continued=is_continued)
    for stretch in part_blocks(part or Part(), blocks):
        yield from run.take(stretch)
    run.tell(report)
    run.finish()
    check_edges(steps, report, source)


class StepsRun:
    """Steps at work on one text, one behind another: stretches in, batches out, in order.

    The parameters are those of `run_blocks`, and

    Parameters
    ----------
    max_record : bytes of text that may be held at once, instead of `MAX_RECORD`
    """

    def __init__(
        self,
        steps: Sequence[Step],
        report: Report,
        *,
        source: str = "",
        is_continued: bool = False,
        max_record: int | None = None,
    ) -> None:
        self._steps, self.source = steps, source
        self._is_continued, self._max_record = is_continued, max_record or MAX_RECORD
        self.begin_again()
        self._restart(report)

    def begin_again(self) -> None:
        """Forget all that was read."""
        self._stages = [_Stage(step, self._max_record) for step in self._steps]
        self._readers = [stage for stage in self._stages if stage.reads_text]
        self._readers[-1].is_held = any(
            step.reach == "whole" for step in self._steps if step.reads == "table"
        )

    def _restart(self, report: Report) -> None:
        self.report, self._counted = report, Ledger()
        self._n_lines, self._is_open = 0, False  # whether the last line outside has no line end

    @property
    def can_share(self) -> bool:
        """Whether stretches that begin at records can be run apart, once the heading is read."""
        first, *others = self._steps
        is_local = first.reach in ("record", "next") and first.reads == "text"
        return is_local and all(step.reach == "record" for step in others)

    @property
    def needs_next(self) -> bool:
        """Whether only the record behind tells where one ends."""
        return self._steps[0].reach == "next"

    @property
    def state(self) -> tuple[bool, ...]:
        """What is carried on from one stretch to the next where `can_share` holds."""
        return self._stages[0].run.state

    def take(self, stretch: Stretch) -> Iterator[Batch]:
        """Yield the batches that a stretch of the text completes."""
        block, report = stretch.block, self.report
        self._counted.source += block.characters
        report.undecodable += len(block.undecodable)
        if stretch.is_inside:
            yield from self._pass_text(0, read_text(block), is_last=stretch.is_end)
            return
        batch = _charge_outside(block, self._n_lines + 1)
        if block.data:
            self._is_open = not block.data.endswith((b"\n", b"\r"))
        self._n_lines += batch.n_lines
        report.outside_lines += batch.n_lines
        self._readers[0].start_at(self._n_lines + 1)
        yield self._close(batch)

    def _pass_text(self, depth: int, text: Text, *, is_last: bool) -> Iterator[Batch]:
        """Yield what all steps from one that reads text on make of some of it."""
        made = self._readers[depth].take(text, is_last=is_last, source=self.source)
        if made is None:
            return
        self._n_lines += made.n_lines if depth == 0 else 0
        if made.result is None:
            yield from self._pass_on(len(self._readers), made, is_last=is_last)
            return
        is_end = is_last and depth + 1 == len(self._readers)
        yield from self._pass_on(len(self._readers), replace(made, result=None), is_last=is_end)
        if depth + 1 < len(self._readers):
            yield from self._pass_text(depth + 1, made.result, is_last=is_last)

    def _pass_on(self, depth: int, batch: Batch, *, is_last: bool) -> Iterator[Batch]:
        """Yield what the steps that read tables make of a batch, from one of them on."""
        if depth == len(self._stages):
            yield self._close(batch)
            return
        stage = self._stages[depth]
        made = [each.sign(stage.step.name) for each in stage.run.feed(batch, is_last=is_last)]
        for place, each in enumerate(made):
            yield from self._pass_on(depth + 1, each, is_last=is_last and place == len(made) - 1)

    def _close(self, batch: Batch) -> Batch:
        """Close the book on a batch that came through all steps, and report it."""
        if self._is_continued:
            batch = batch.without_names().sign(self._readers[-1].step.name)
        self._counted.add(close_batch(batch))
        self.report.add_batch(batch)
        return batch

    def tell(self, report: Report) -> None:
        """Report what is told of all that was taken, once there is no more."""
        for stage in self._stages:
            report.add_told(stage.run.tell())

    def give_counts(self) -> list[object]:
        """Return what the steps have counted that they will tell of, and let them begin anew."""
        return [stage.run.give_counts() for stage in self._stages]

    def add_counts(self, counts: Sequence[object]) -> None:
        """Let the steps add what others have counted behind what they have themselves."""
        for stage, part in zip(self._stages, counts, strict=True):
            stage.run.add_counts(part)

    def finish(self) -> None:
        """Close the source side of the ledger of all that was taken."""
        self.report.lines += self._n_lines + self._is_open
        self.report.outside_lines += self._is_open
        self._counted.check_source()
        self.report.ledger.add(self._counted)

    def give_back(self) -> int | None:
        """Give back what is in hand, as if it had never come; return how many source bytes it is.

        None if a later step has some text in hand. Only where `can_share` holds.
        """
        text, *others = [stage.clear() for stage in self._readers]
        n_odd = int(np.count_nonzero(text.odd_kinds == SNAG_CODES["undecodable"]))
        self._counted.source -= text.count(np.array([0]), np.array([text.body_size]))
        self.report.undecodable -= n_odd
        if any(other.body_size for other in others):
            return None
        return text.body_size - n_odd * (len(r"\xNN") - 1)

    def start_at(self, line: int, report: Report, state: tuple[bool, ...]) -> None:
        """Go on elsewhere in the text, where a record begins; what comes is told in `report`."""
        self._restart(report)
        for stage in self._readers:
            stage.clear()
        self._readers[0].start_at(line)
        self._readers[0].run.state = state


def read_text(block: Decoded) -> Text:
    """Return a block as text; what could not be read as it should be is at odd places."""
    text = Text.of(block.data)
    if not block.undecodable and not block.broken:
        return text
    places = np.array([*block.undecodable, *block.broken], np.int64)
    kinds = np.full(places.size, SNAG_CODES["undecodable"], np.int64)
    kinds[len(block.undecodable) :] = SNAG_CODES["mail-broken"]
    order = np.argsort(places, kind="stable")
    return replace(text, odd_places=places[order], odd_kinds=kinds[order])


class _Stage:
    """A step at work, with the text it has not taken yet where it reads text."""

    def __init__(self, step: Step, max_record: int) -> None:
        self.step, self._max_record = step, max_record
        self.run: StepRun = begin(step)
        self._pending, self._enough = Text.of(b""), 1
        self.is_held = False  # all of the text is wanted at once

    @property
    def reads_text(self) -> bool:
        """Whether it is given text, and not tables."""
        return self.step.reads == "text"

    def clear(self) -> Text:
        """Return the text in hand, and have none."""
        text, self._pending, self._enough = self._pending, Text.of(b""), 1
        return text

    def start_at(self, line: int) -> None:
        """Say on which source line the text goes on, where some of it was left out."""
        if not self._pending.body_size:
            self._pending = Text.of(b"", line)

    def take(self, text: Text, *, is_last: bool, source: str) -> Batch | None:
        """Return what the step makes of what it has in hand; None if it needs more."""
        chunk = self._pending = self._pending.join(text)
        if self.is_held and chunk.body_size > self._max_record:
            said = f"the table is longer than {self._max_record // _MIB} MiB, and a step must see all of it (--slide); hand in a part at a time (--lines), or allow more (--memory)"
            raise InputError(said, source=source, line=chunk.first_line)
        if self.is_held and not is_last:
            return None
        if chunk.body_size < self._enough and not is_last:
            return None
        (made,) = self.run.feed(Batch(chunk), is_last=is_last)
        left = chunk.body_size - made.used
        if is_last and left:
            raise BrokenPromise(f"{left} bytes at the end were not read")
        if left > self._max_record:
            why = self.step.held_whole.format(f"{self._max_record // _MIB} MiB")
            raise InputError(why, source=source, line=chunk.first_line)
        self._pending = chunk.rest(made.used, made.n_lines)
        # what a long record has in hand is doubled before it is looked at again
        self._enough = 1 if made.used else min(2 * left, self._max_record + 1)
        return made.sign(self.step.name)


def _charge_outside(block: Decoded, line: int) -> Batch:
    """Return text outside the part that was asked for as a batch without a table."""
    text = Text.of(block.data, line)
    size, n_lines = len(block.data), count_line_ends(block.data)
    charge = Charge("outside", np.array([0]), np.array([size]), "part")
    return Batch(text, size, n_lines, charges=[charge])


def check_edges(steps: Sequence[Step], report: Report, source: str) -> None:
    """Stop a run whose edges cut through words all over the text."""
    number = report.snags["edge-in-word"]
    if any(step.may_cut_words for step in steps):
        return
    if number < MANY_EDGES or number < EDGE_SHARE * report.records:
        return
    example = report.snag_examples["edge-in-word"][0]
    raise InputError(
        f"the edges cut through words in {number} of {report.records} records ({example.text.strip()[:60]!r}); give other --edges, or --touching if fields stand without a gap",
        source=source,
        line=example.first_line,
    )
