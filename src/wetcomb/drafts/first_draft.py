"""The first draft: a fixed road, for tables of lines and texts of labels, from a bounded sample.

Every candidate is tried on the sample's first records and priced; the cheapest few are
tried again on more of it, and the cheapest of these wins. What the analyst has stated is
never overruled: it only leaves fewer candidates.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping, Sequence
from contextlib import suppress
from typing import Any

import msgspec
from msgspec.structs import replace

from wetcomb.combs.check import find_split, make_fits
from wetcomb.combs.comb import Comb
from wetcomb.combs.memory import make_batch, make_text
from wetcomb.combs.part import Part
from wetcomb.core.batch import Batch
from wetcomb.core.errors import UsageError, WetCombError
from wetcomb.core.text import Text
from wetcomb.drafts.carried import find_carried
from wetcomb.drafts.doubts.seen import Drafted
from wetcomb.drafts.furniture import find_furniture
from wetcomb.drafts.named_lines import find_named_lines
from wetcomb.drafts.only_table import OnlyTable, find_only_table
from wetcomb.drafts.record_lines import SampleLines
from wetcomb.drafts.stacked_blocks import SETTLED, find_stacked
from wetcomb.drafts.weighing import CUTTING, Weighed, weigh_split
from wetcomb.drafts.wrapped_cells import find_wrapped
from wetcomb.drafts.wrapped_lines import find_unwrap
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step
from wetcomb.steps.wash.options import Wash

__all__ = [
    "Rebuilt",
    "add_realign",
    "draft_once",
    "weigh_steps",
]


def draft_once(
    text: bytes,
    given: Mapping[str, Any],
    part: Part | None,
    *,
    encoding: str = "",
    first_line: int = 1,
    labels: Sequence[str] = (),
) -> tuple[Comb, Drafted]:
    """Return the comb that would rebuild a text, and its evidence; doubts are not looked for."""
    if labels and given:
        flag = next(iter(given)).replace("_", "-")
        raise UsageError(f"--label says that fields are labelled; --{flag} contradicts it")
    if labels or (not given and _may_have_labels(text)):
        from wetcomb.drafts.labels import find_pull, settle_pull  # mostly it is not needed

        washes, washed, told = _find_washes(text)
        if labels:
            pull, notes = settle_pull(washed.decode(), {"label": tuple(labels)})
            steps: tuple[Step, ...] = (*washes, pull)
            said = [*told, *notes]
            comb, drafted = _draft_labels(text, steps, said, part or Part(), encoding, first_line)
            return comb, replace(drafted, has_stated_labels=True)
        found = find_pull(washed.decode())
        if found is not None:
            pull, notes = found
            steps = (*washes, pull)
            with suppress(WetCombError):  # a guess never stops a run
                return _draft_labels(
                    text, steps, [*told, *notes], part or Part(), encoding, first_line
                )
    only = OnlyTable(part or Part(), text)
    rebuilt = weigh_steps(text, given)
    whole = rebuilt.split
    if (
        part is None and not rebuilt.before and not whole.stacked
    ):  # else short lines belong to what they stand by
        only = find_only_table(text, whole, first_line)
        if not only.part.is_whole:
            rebuilt = weigh_steps(only.inside, given)
    at = max(0, text.find(only.inside))
    before, behind = text[:at].decode(), text[at + len(only.inside) :].decode()
    inside = Text.of(only.inside, first_line + len(before.splitlines()))
    rebuilt, batch = _run_guesses(add_realign(rebuilt, only.inside), inside)
    rebuilt, batch = _add_carry(rebuilt, batch, inside)
    comb = Comb(rebuilt.steps, encoding, notes=(*only.notes, *rebuilt.notes), part=only.part)
    drafted = Drafted(
        given,
        only.inside,
        before.splitlines(),
        behind.splitlines(),
        only.n_tables,
        comb.steps,
        rebuilt.split,
        rebuilt.weighed,
        batch,
        first_line=first_line + len(before.splitlines()),
        notes=rebuilt.notes,
    )
    fits = make_fits(*find_split(comb, only.inside), None if rebuilt.after else batch.table)
    return comb.fit(fits), drafted


def _find_washes(text: bytes) -> tuple[tuple[Wash, ...], bytes, list[str]]:
    """Return the washes that a text of labels needs, what they leave, and the evidence."""
    furniture, told = find_furniture(text)
    if furniture is None and _CLEAN.fullmatch(text) is not None:
        return (), text, []
    washed = make_text([furniture or Wash()], text)
    if washed == text:
        return (), text, []
    if furniture is not None:
        return (furniture,), washed, told
    furniture, told = find_furniture(washed)  # what cannot be seen may have hidden it
    if furniture is None:
        return (Wash(),), washed, []
    return (Wash(), furniture), make_text([furniture], washed), told


def _may_have_labels(text: bytes) -> bool:
    """Return whether a text could be one of labels at all: marks in its lines, or beginnings that recur."""
    lines = [line.strip() for line in text[:_LOOKED_AT].split(b"\n") if line.strip()]
    marked = sum(any(mark in line for mark in _MARKS) for line in lines)
    again = sum(n for n in Counter(lines).values() if n > 1)
    heads = {line.split(None, 1)[0] for line in lines}
    return 4 * marked >= len(lines) or 4 * again >= len(lines) or 2 * len(heads) <= len(lines)


#: Marks of labels; a quick look for them saves the time of a thorough one.
_MARKS = (b":", b"=", b"...", b". . .", "：".encode(), "…".encode())
_LOOKED_AT = 1 << 14  # bytes
#: A text that nothing would be washed off.
_CLEAN = re.compile(rb"(?:[^\x00-\x08\x0b\x0e-\x1f\x7f-\xff>]|(?<!\n)>)*")


def _draft_labels(
    text: bytes,
    steps: tuple[Step, ...],
    notes: list[str],
    part: Part,
    encoding: str,
    first_line: int,
) -> tuple[Comb, Drafted]:
    """Return the comb that pulls labelled fields, and what it makes."""
    if len(steps) > 1 and steps[0] == Wash():
        notes = [
            "What cannot be seen, reply marks and wrong decoding are washed off first.",
            *notes,
        ]
    comb = Comb(steps, encoding, notes=tuple(notes), part=part)
    batch = make_batch(comb.steps, Text.of(text, first_line))
    plain = Split(delimiter="none", heading="none", fields=1)
    return comb, Drafted({}, text, (), (), 1, comb.steps, plain, None, batch)


def _run_guesses(rebuilt: Rebuilt, inside: Text) -> tuple[Rebuilt, Batch]:
    """Return what the steps make; where something that was found would stop a run, it is dropped and told."""
    try:
        return rebuilt, make_batch(rebuilt.steps, inside)
    except WetCombError as error:
        weighed = rebuilt.weighed
        if weighed is None or rebuilt.steps == (weighed.settled[0],):
            raise  # what was stated is wrong, or how the text is cut
        split, notes = weighed.settled
        told = f"What else was found would stop the run, and was dropped: {error}."
        plain = Rebuilt((), split, weighed, [*notes, told])
        return plain, make_batch(plain.steps, inside)


def _add_carry(rebuilt: Rebuilt, batch: Batch, inside: Text) -> tuple[Rebuilt, Batch]:
    """Return the steps with the one that carries values down, where that is certain, and what they make."""
    assert batch.table is not None
    carried, why = find_carried(batch.table)
    if not carried:
        return rebuilt, batch
    notes = [*rebuilt.notes, *why]
    rebuilt = replace(rebuilt, after=(*rebuilt.after, Clean(carry=carried)), notes=notes)
    return rebuilt, make_batch(rebuilt.steps, inside)


class Rebuilt(msgspec.Struct, frozen=True):
    """The steps that rebuild a text: what comes before and after the split, and how that was weighed.

    `weighed` is None where how to cut was stated as a whole.
    """

    before: tuple[Step, ...]
    split: Split
    weighed: Weighed | None
    notes: list[str]
    after: tuple[Step, ...] = ()

    @property
    def steps(self) -> tuple[Step, ...]:
        """All steps, in order."""
        return (*self.before, self.split, *self.after)


def weigh_steps(text: bytes, given: Mapping[str, Any]) -> Rebuilt:
    """Return the steps that make a table of a text, with the evidence: also what is beside its records."""
    before: tuple[Step, ...] = ()
    stated = Split(**given)
    if stated.way in SETTLED:
        split, notes = SETTLED[stated.way](text.decode(), given)
        return Rebuilt((), split, None, notes)
    if stated.outline_level and not stated.unsettled():
        return Rebuilt((), stated, None, [])
    if not any(given.get(name) for name in ("group", "totals", *_BESIDE, *CUTTING)):
        stacked, notes, block = find_stacked(text.decode())
        if stacked:
            split = Split(**{**given, **stacked})
            first = weigh_split(block.encode(), {"edges": "blanks", "heading": split.heading})
            return Rebuilt((), split, first, notes)
    wash, notes = find_furniture(text)
    if wash is not None:
        before, text = (wash,), make_text([wash], text)
    weighed = weigh_split(text, given)
    split, said = weighed.settled
    if any(given.get(name) for name in _BESIDE) or not _has_line_records(split):
        return Rebuilt(before, split, weighed, [*notes, *said])
    unwrap, unwrapped = find_unwrap(weighed.whole, given)
    if unwrap is not None:
        before, text = (*before, unwrap), make_text([unwrap], text)
        notes += unwrapped
        weighed = weigh_split(text, given)
        split, said = weighed.settled
    named, why_named = find_named_lines(SampleLines.of(weighed.whole, split))
    if any(name in given for name in named):  # what was stated stands, and the rest with it
        named, why_named = {}, []
    if named:
        weighed = weigh_split(text, {**given, **named})
        split, said = weighed.settled
    wrapped, why_wrapped = find_wrapped(SampleLines.of(weighed.whole, split), split)
    split = replace(split, **wrapped)
    notes += [*said, *why_named, *why_wrapped]
    return Rebuilt(before, split, weighed, notes)


def add_realign(rebuilt: Rebuilt, text: bytes) -> Rebuilt:
    """Return the steps with the one that puts shifted cells back, where some are."""
    if rebuilt.weighed is None or not rebuilt.weighed.whole.may_be_shifted:
        return rebuilt
    from wetcomb.drafts.alignment import find_realign  # mostly it is not needed

    realign, why = find_realign(text, rebuilt.before, rebuilt.split)
    if realign is None:
        return rebuilt
    return replace(rebuilt, after=(realign,), notes=[*rebuilt.notes, *why])


#: Options that say what lines are beside records: where one is given, nothing of that is looked for.
_BESIDE = (
    "wrapped",
    "continues",
    "column_by_column",
    "panels",
    "take",
    "stacked",
    "column",
    "each_a_record",
)


def _has_line_records(split: Split) -> bool:
    return split.records_at == "newline" and not split.per_record and split.panels == 1
