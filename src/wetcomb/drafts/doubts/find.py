"""All doubts about a draft, each with a command that was tried and settles it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import suppress
from typing import Any

from msgspec.structs import replace

from wetcomb.combs.memory import make_batch
from wetcomb.combs.part import Part
from wetcomb.core.doubts import Doubt
from wetcomb.core.errors import WetCombError
from wetcomb.core.text import Text
from wetcomb.drafts.doubts.built import find_built_doubts
from wetcomb.drafts.doubts.cuts import (
    CUT_OPTIONS,
    find_cut_doubts,
    find_search_doubts,
    list_cut_options,
)
from wetcomb.drafts.doubts.headings import find_heading_doubts
from wetcomb.drafts.doubts.joined import find_join_doubts
from wetcomb.drafts.doubts.seen import Drafted, Raised
from wetcomb.drafts.doubts.values import find_value_doubts
from wetcomb.drafts.options import settle_fields
from wetcomb.drafts.typed_options import type_chain, type_steps
from wetcomb.drafts.weighing import Weighed

__all__ = ["find_doubts", "raise_doubts"]

_TRIES = 2  # options tried for one doubt
_MOST_TRIED = 6  # for all of them together


def raise_doubts(seen: Drafted) -> list[Raised]:
    """Return what speaks against a draft, each kind once, in the order it is told."""
    found: dict[str, Raised] = {}
    for raised in _look(seen):
        found.setdefault(raised.doubt.name, raised)
    return sorted(found.values(), key=lambda raised: raised.doubt.place)


def _look(seen: Drafted) -> Iterator[Raised]:
    if seen.pull is not None:
        from wetcomb.drafts.doubts.labels import find_label_doubts

        if not seen.has_stated_labels and not seen.pull.each:
            yield from find_label_doubts(seen)
        yield from find_search_doubts(seen)
        yield from find_value_doubts(seen)
        yield from find_join_doubts(seen)
        if seen.pull.each:
            yield from find_built_doubts(seen)
        return
    cut = list(find_cut_doubts(seen))
    yield from cut
    if not any(raised.doubt.name == "no-table" for raised in cut):
        yield from find_heading_doubts(seen)
        yield from find_value_doubts(seen)
        yield from find_built_doubts(seen)
        yield from find_join_doubts(seen)


def find_doubts(
    seen: Drafted,
    redraft: Callable[[Mapping[str, Any]], Drafted],
    say: Callable[[Mapping[str, Any]], str],
    part: Part,
) -> tuple[Doubt, ...]:
    """Return the doubts about a draft; a command stands with one if it settles it and raises no other.

    Parameters
    ----------
    redraft : makes the draft with other options stated
    say : returns the command that does so; `{input}` stands for the file
    part : which part of the text the table is made of
    """
    all_raised = raise_doubts(seen)
    known = {raised.doubt.name for raised in all_raised}
    n_tried, doubts = 0, []
    for raised in all_raised:
        command = _try_before(seen, raised, part, known)
        for more in raised.tries[:_TRIES]:
            if n_tried == _MOST_TRIED or command:
                break
            n_tried += 1
            with suppress(WetCombError):  # then it is no way to go on
                if _settles(raised, _redraft(seen, more, redraft), known):
                    command = say({**seen.given, **more})
        doubts.append(replace(raised.doubt, command=command))
    return tuple(doubts)


def _redraft(
    seen: Drafted, more: Mapping[str, Any], redraft: Callable[[Mapping[str, Any]], Drafted]
) -> Drafted:
    """Return the draft with more options stated; how to cut is found anew only if they say that."""
    if set(more) == {"heading"} and seen.weighed is not None and len(seen.steps) == 1:
        return _restate_heading(seen, seen.weighed, more["heading"])
    is_cut_else = any(name in more for name in CUT_OPTIONS)
    cut = {} if is_cut_else else list_cut_options(seen.split)
    return redraft({**cut, **seen.given, **more})


def _restate_heading(seen: Drafted, weighed: Weighed, heading: str | int) -> Drafted:
    """Return the draft with another heading; all else stays."""
    given = {**seen.given, "heading": heading}
    fields, _ = settle_fields(weighed.whole, given, heading, seen.split.panels)
    split = replace(seen.split, heading=heading, fields=fields)
    return replace(
        seen,
        given=given,
        steps=(split,),
        split=split,
        weighed=replace(weighed, heading_bits=None),
        batch=make_batch((split,), Text.of(seen.inside)),
    )


def _try_before(seen: Drafted, raised: Raised, part: Part, known: set[str]) -> str:
    """Return the whole chain with one step more before it, if that settles the doubt."""
    if raised.before is None or type(raised.before) is type(seen.steps[0]):
        return ""
    steps = (raised.before, *seen.steps)
    with suppress(WetCombError):
        batch = make_batch(steps, Text.of(seen.inside))
        if _settles(raised, replace(seen, steps=steps, batch=batch), known):
            return type_chain(type_steps(steps), part)
    return ""


def _settles(raised: Raised, other: Drafted, known: set[str]) -> bool:
    """Return whether a doubt is gone from another draft, and no new one there.

    What the values say does not change with the heading.
    """
    is_heading = raised.doubt.name.startswith("heading-")
    found = list(find_heading_doubts(other)) if is_heading else raise_doubts(other)
    left = {each.doubt.name for each in found}
    if raised.doubt.name == "no-table":  # what else is doubtful shows only in a table
        return raised.doubt.name not in left
    return raised.doubt.name not in left and left <= known
