"""A draft by examples: of all ways to cut a text those that give them, the cheapest first.

Where no way gives them as it is, each is fitted to them by further steps; so are plain lines. What
else the examples would allow, and what that makes of the other records, is a doubt.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import suppress
from difflib import get_close_matches
from typing import NamedTuple

from msgspec.structs import replace

from wetcomb.combs.comb import Comb
from wetcomb.core.doubts import Doubt
from wetcomb.core.errors import UsageError, WetCombError
from wetcomb.core.table import Table
from wetcomb.drafts.doubts.seen import Drafted
from wetcomb.drafts.examples.asking import ask, ask_beyond
from wetcomb.drafts.examples.bases import Base, Rows, list_rows, make_base
from wetcomb.drafts.examples.cuttings import Prices
from wetcomb.drafts.examples.example import Example, check_examples
from wetcomb.drafts.examples.fitting import Fitted, fit
from wetcomb.drafts.examples.sources import list_sources
from wetcomb.drafts.pricing.chain import Chain
from wetcomb.drafts.pricing.chains import Priced
from wetcomb.drafts.pricing.tokens import Tokens
from wetcomb.drafts.typed_options import type_shortly
from wetcomb.drafts.whole import Whole
from wetcomb.steps.pull.options import Pull
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step
from wetcomb.steps.wash.options import Wash

__all__ = ["ByExample", "draft_by_examples", "tell_rule"]

#: Ways that are tried, those of them that an example fits, and rules that are written as steps.
_MOST_TRIED, _MOST_FITTED, _MOST_WRITTEN = 40, 4, 16
_ALL_ELSE = 500.0  # bits of leaving out all that an example does not name
_PLAIN = 60.0  # bits of records that nothing says but their lines
_JOINED = 1000.0  # bits of a record that is joined of more lines than it needs
_SHOWN = 80  # characters of an example in a message
#: Records that hardly tell which table is meant, and bits that another may take more.
_FEW, _NEAR = 8, 30.0
_FAR = 1.3  # times the bits of plain lines that a way may take to be fitted
_LINES = Split(delimiter=("none",), quote=("none",), heading="none", fields=1)


class ByExample(NamedTuple):
    """A draft that gives the examples, and what they leave open."""

    comb: Comb
    drafted: Drafted
    doubts: tuple[Doubt, ...]


class _Choice(NamedTuple):
    """A way with the rule that fits it."""

    way: Priced
    fitted: Fitted
    before: float  # bits of the way as it is

    @property
    def price(self) -> float:
        return self.before + self.fitted.bits


def draft_by_examples(whole: Whole, examples: Sequence[Example]) -> ByExample:
    """Return the draft of a text that gives the examples, and as doubts what they leave open.

    Raises
    ------
    UsageError : two examples contradict each other, or one is not in the text, or no rule gives it
    """
    check_examples(examples)
    _, found = whole.search()
    prices = Prices(Tokens(found.text.said))
    bases, choices = list[Base](), list[_Choice]()
    n_fitted = 0
    for way in _list_ways(whole):
        assert way.batch.table is not None
        base = make_base(way.batch.table)
        bases.append(base)
        is_lines = way.chain.steps[-1:] == (_LINES,)
        if n_fitted < _MOST_FITTED or is_lines:
            before = way.price
            if len(base.table.names) == 1:  # it is cut as plain text
                before += _PLAIN + _ALL_ELSE * bool(examples[0].names)
                values = base.list_values(0)
                before += sum(prices.tell_raw(v, 0, len(v)) for v in values) - way.bits["columns"]
            own = [
                _Choice(way, fitted, before + _JOINED * _joins(fitted, examples, found.text.said))
                for fitted in fit(base, examples, prices)
            ]
            choices += own
            n_fitted += bool(own)
    choices.sort(key=lambda choice: choice.price)
    for choice in choices[:_MOST_WRITTEN]:
        with suppress(WetCombError):
            written = choice.fitted.write(examples)
            made = None if written is None else _make(whole, choice.way, *written)
            if made is not None:
                comb, drafted, head = made
                beyond = ask_beyond(examples[0], choice.fitted, head, drafted.table)
                others = [
                    (other.fitted, other.price - choice.price)
                    for other in choices
                    if _may_rival(choice, other)
                ]
                doubts = (*ask(examples, choice.fitted, others), *beyond)
                return ByExample(comb, drafted, doubts)
    raise _refuse(examples, bases)


def _list_ways(whole: Whole) -> Iterator[Priced]:
    """Yield the ways that are fitted: the cheapest that make other tables, and plain lines.

    One that makes only some of the records of a cheaper one is none, nor is one that takes its
    heading for a record.
    """
    known, found = whole.search()
    first = None if known is None else found.try_known(known)
    seen: list[set[tuple[str, ...]]] = []
    heads: set[tuple[str, ...]] = set()
    for way in [*filter(None, [first]), *found.ways[:_MOST_TRIED]]:
        table = way.batch.table
        if table is None:
            continue
        if way.price > _FAR * found.text.plain:
            continue
        rows = set(map(tuple, list_rows(table))) - heads
        if not any(rows <= other and table.names not in other - rows for other in seen):
            seen.append(rows)
            heads.add(table.names)
            yield way
    washes = next((way.chain.steps[:1] for way in found.ways if isinstance(way.chain.steps[0], Wash)), ())  # fmt: skip
    lines = Chain((*washes, _LINES), 0, len(found.text.lines))
    with suppress(WetCombError):
        yield found.text.price(lines)


def _may_rival(best: _Choice, other: _Choice) -> bool:
    """Return whether another rule makes the same records.

    It does in the same table; in another one only where that is not cut by example, or where so few
    records hardly tell which table is meant.
    """
    mine, theirs = best.fitted, other.fitted
    if theirs.base is mine.base:
        return True
    near = _NEAR if len(mine.base.rows) < _FEW else 0.0
    is_open = not mine.cuttings or other.price - best.price < near
    return is_open and theirs.base.lines == mine.base.lines


def _joins(fitted: Fitted, examples: Sequence[Example], lines: Sequence[str]) -> int:
    """Return how many examples come from records of several lines, though one line holds all their cells.

    It does also where it holds what all of a record is written anew of; of some columns that are
    named the others may stand in other lines.
    """
    columns = {piece.column for source in fitted.sources for piece in source.pieces}
    number = 0
    for example, row in zip(examples, fitted.seats, strict=True):
        if fitted.base.lines[row][0] != fitted.base.lines[row][1]:
            values = [fitted.base.rows[row][column] for column in columns]
            number += any(
                all(text in line for text in texts if text)
                for line in lines
                for texts in ((example.cells,) if example.names else (example.cells, values))
            )
    return number


def _make(
    whole: Whole, way: Priced, steps: Sequence[Step], rows: Rows
) -> tuple[Comb, Drafted, Table] | None:
    """Return the comb of a way with more steps over the whole text, what it makes, and what of the first lines; None if that is other rows.

    Parameters
    ----------
    rows : what the steps make of the way's table
    """
    _, found = whole.search()
    notes = (*way.chain.notes, tell_rule(steps))
    for made in _list_chains([*way.chain.steps, *steps]):
        priced = found.text.price(replace(way.chain, steps=made, notes=notes))
        table = priced.batch.table
        if table is not None and _leave_blank(list_rows(table)) == _leave_blank(rows):
            comb, drafted = whole.make_draft(priced)
            # what is left out, and how much easier it is to write down, was asked for
            drafted = replace(drafted, rival=None, gain=None, has_stated_labels=True)
            return comb, drafted, table
    return None


def _leave_blank(rows: Rows) -> Rows:
    return [row for row in rows if any(row)]


def tell_rule(steps: Sequence[Step]) -> str:
    """Return in words what was found by example."""
    return "By example: " + (
        "+ " + " + ".join(type_shortly(steps)) if steps else "as it is cut anyway."
    )


def _list_chains(steps: Sequence[Step]) -> Iterator[tuple[Step, ...]]:
    """Yield steps: where a pattern cuts plain lines, first as one that makes records of those it covers."""
    at = next((k for k, step in enumerate(steps) if step == _LINES), len(steps))
    behind = steps[at + 1] if at + 1 < len(steps) else None
    if isinstance(behind, Pull) and behind.pattern:
        yield (*steps[:at], Pull(blocks="line", each=behind.pattern), *steps[at + 2 :])
    yield tuple(steps)


def _refuse(examples: Sequence[Example], bases: Sequence[Base]) -> UsageError:
    """Return why examples cannot be had: the first cell that stands nowhere in its record, or the two that disagree."""
    for example in examples:
        found = [(row, base) for base in bases for row in base.find_rows(example.line)]
        if not found:
            last = max((line for base in bases for _, line in base.lines), default=0)
            why = f"line {example.line} belongs to no record"
            if example.line > last:
                why += f"; rules are learnt from the lines up to {last}: take a record of those"
            return UsageError(f"--example {_cut_short(example.said)!r}: {why}")
        records = [base.rows[row] for row, base in found]
        for place, cell in enumerate(example.cells):
            if cell and not any(list_sources(cell, record) for record in records):
                return UsageError(_tell_nearest(example, place, cell, records))
    if len(examples) > 1:
        for place, example in enumerate(examples[1:], 1):
            return UsageError(
                f"--example: {_cut_short(examples[place - 1].said)!r} and {_cut_short(example.said)!r}: no rule was found that gives both; look whether both are written alike"
            )
    where = f"the record of line {examples[0].line}" if examples[0].line else "one record"
    return UsageError(
        f"--example {_cut_short(examples[0].said)!r}: its cells do not come from {where} together, in a way that an option could say"
    )


def _cut_short(text: str) -> str:
    return text if len(text) <= _SHOWN else text[:_SHOWN] + "..."


def _tell_nearest(example: Example, place: int, cell: str, records: Sequence[Sequence[str]]) -> str:
    where = f"the record of line {example.line}" if example.line else "any record"
    near = get_close_matches(cell[:200], {*_list_texts(records)}, 1, 0.5)
    told = f"; the nearest there is {_cut_short(near[0])!r}" if near else ""
    which = example.names[place] if example.names else f"cell {place + 1}"
    return f"--example {_cut_short(example.said)!r}: {which}, {_cut_short(cell)!r}, does not stand in {where}{told}"


def _list_texts(records: Sequence[Sequence[str]]) -> Iterator[str]:
    """Yield values, and stretches of up to four words of them."""
    for record in records:
        for value in record:
            yield value
            words = value.split()[:60]
            for size in range(1, 5):
                yield from (" ".join(words[k : k + size]) for k in range(len(words) - size + 1))
