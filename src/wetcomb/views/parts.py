"""What is told of a run whose table is in parts, beside the account of its records."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from wetcomb.views.blocks import Block, Fact, Styled, make_visible

__all__ = ["PartsFacts", "build_parts", "tell_progress"]

_MOST, _FEW = (
    12,
    10,
)  # texts set aside of which each is told; of which a few are, where there are more


class PartsFacts(msgspec.Struct, frozen=True):
    """What became of the texts and where the parts are.

    Attributes
    ----------
    folder : where the parts are
    parts : their names, in the order of their records
    n_kept : parts that an earlier run had made already
    n_removed : parts of an earlier run that no text makes any more
    n_texts : how many there were
    aside : the texts that were set aside, and why
    listed : the file that lists them
    is_full : whether each of them is told
    """

    folder: str
    parts: Sequence[str]
    n_kept: int = 0
    n_removed: int = 0
    n_texts: int = 0
    aside: Sequence[tuple[str, str]] = ()
    listed: str = ""
    is_full: bool = False


def build_parts(told: PartsFacts) -> list[Block]:
    """Return what is told, a fact a line."""
    facts: list[Fact] = []
    n_aside = len(told.aside)
    number = n_aside if told.is_full or n_aside <= _MOST else _FEW
    for place, (name, why) in enumerate(told.aside[:number]):
        parts = [Styled(make_visible(name), "strong"), Styled(f": {make_visible(why)}", "bad")]
        facts.append(Fact("" if place else "set aside", parts))
    if number < n_aside:
        said = f"and {n_aside - number:,} more; --account full tells all"
        facts.append(Fact("", [Styled(said, "faint")]))
    if n_aside:
        said = f"{n_aside:,} of {_count(told.n_texts, 'text')}; {told.listed} lists them, for --inputs-from"
        facts.append(Fact("", [Styled(said, "bad")]))
    if told.parts:
        where = f"{told.folder}/{told.parts[0]}"
        if len(told.parts) > 1:
            where += f" to {told.parts[-1]}"
        said = f"{where}: {_count(len(told.parts), 'part')}"
        if told.n_kept:
            verb = "was" if told.n_kept == 1 else "were"
            said += f", of which {told.n_kept:,} {verb} there already"
        facts.append(Fact("written", [Styled(said)]))
    if told.n_removed:
        verb = "was" if told.n_removed == 1 else "were"
        said = f"{_count(told.n_removed, 'part')} of an earlier run, which no text makes any more, {verb} taken away"
        facts.append(Fact("", [Styled(said, "snag")]))
    return list(facts)


def tell_progress(parts: int, most: int, records: int, snagged: int, slowest: str, seconds: float) -> str:  # fmt: skip
    """Return how far a run has come, in one line."""
    said = f"{parts:,} of {_count(most, 'part')}, {_count(records, 'record')}, {_count(snagged, 'snag')}"
    return f"{said}; slowest {make_visible(slowest)}, {seconds:.1f} s" if slowest else said


def _count(number: int, noun: str) -> str:
    return f"{number:,} {noun}{'s' * (number != 1)}"
