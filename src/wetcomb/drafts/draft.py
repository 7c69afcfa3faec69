"""Draft a comb: settle what is left open, with the evidence, the doubts and what settles them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from shlex import quote
from typing import Any

from msgspec.structs import replace

from wetcomb.combs.comb import Comb
from wetcomb.combs.part import Part
from wetcomb.core.batch import Batch
from wetcomb.core.doubts import Doubt
from wetcomb.drafts.doubts.find import find_doubts, raise_doubts
from wetcomb.drafts.doubts.seen import Drafted
from wetcomb.drafts.examples.example import Example, read_example
from wetcomb.drafts.first_draft import draft_once
from wetcomb.drafts.readings import propose_readings
from wetcomb.drafts.typed_options import type_given, type_part
from wetcomb.drafts.whole import Whole

#: Doubts that an example answers: it says what is wanted.
_ANSWERED = frozenset(["no-table", "heading-short", "labels"])

__all__ = ["draft", "find_by_examples", "settle_doubts"]


def draft(
    text: str | bytes,
    *,
    encoding: str = "",
    part: Part | None = None,
    first_line: int = 1,
    with_commands: bool = True,
    with_readings: bool = False,
    labels: Sequence[str] = (),
    way: int = 1,
    examples: Sequence[Example | str] = (),
    **given: Any,
) -> Comb:
    """Return the comb that would rebuild a text, its evidence in `notes`.

    Parameters
    ----------
    text : the text, or a sample of whole lines from its beginning
    part : which part of it the text is, where that has been said; else the only table among
        other lines is taken by itself
    first_line : number of its first line in the source
    with_commands : whether to look for commands that settle its doubts, by trying them
    with_readings : whether to tell, too, how dates and numbers could be converted
    labels : labels that it is known to have, as `Pull` takes them
    way : 1 for the best way to cut it; more for the next ones that make other tables, as
        `inspect_text` numbers them
    examples : records that are wanted; only a comb that gives them is drafted
    given : options of `Split` that are known already; they are never overruled

    Raises
    ------
    InputError : there are no lines to go by
    UsageError : what is given contradicts itself, or there is no such way, or none that gives the
        examples
    """
    raw = text.encode() if isinstance(text, str) else text
    whole = Whole(raw, given, part, encoding=encoding, first_line=first_line, labels=labels)
    if examples:
        comb, drafted, doubts = find_by_examples(whole, examples)
    else:
        (comb, drafted), doubts = whole.find_way(way), None
    if with_readings:
        comb = replace(comb, notes=(*comb.notes, *_tell_readings(drafted.batch)))
    if doubts is None and with_commands:
        doubts = settle_doubts(raw, comb, drafted, part, first_line)
    elif doubts is None:
        doubts = tuple(raised.doubt for raised in raise_doubts(drafted))
    return replace(comb, doubts=doubts)


def find_by_examples(
    whole: Whole, examples: Sequence[Example | str]
) -> tuple[Comb, Drafted, tuple[Doubt, ...]]:
    """Return the comb that gives examples, its evidence, and all doubts about it.

    Parameters
    ----------
    examples : as they are typed, or read already

    Raises
    ------
    UsageError : no comb gives them, or one is none
    """
    from wetcomb.drafts.examples.choosing import draft_by_examples

    made = draft_by_examples(whole, [read_example(e) if isinstance(e, str) else e for e in examples])  # fmt: skip
    more = (one.doubt for one in raise_doubts(made.drafted) if one.doubt.name not in _ANSWERED)
    return made.comb, made.drafted, (*made.doubts, *more)


def settle_doubts(
    text: bytes, comb: Comb, drafted: Drafted, part: Part | None, first_line: int
) -> tuple[Doubt, ...]:
    """Return the doubts about what was drafted, with the commands that settle them."""

    def redraft(stated: Mapping[str, Any]) -> Drafted:
        return draft_once(text, stated, part, first_line=first_line)[1]

    def say(stated: Mapping[str, Any]) -> str:
        words = [*type_part(part or Part()), *type_given(stated)]
        return " ".join(["wetcomb rebuild {input}", *words])

    return find_doubts(drafted, redraft, say, comb.part)


def _tell_readings(batch: Batch) -> list[str]:
    """Return which columns could be converted, as it is typed, and which can be read in two ways."""
    if batch.table is None:
        return []
    options, undecided = propose_readings(batch.table)
    typed = (f"{flag} {quote(value)}" for flag, _, value in (o.partition(" ") for o in options))
    told = [f"Not done, but certain: clean {' '.join(typed)}"] if options else []
    return [*told, *(f"Undecided: {said}." for said in undecided)]
