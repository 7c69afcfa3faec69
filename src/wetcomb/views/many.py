"""The account of many texts that were combed one by one: a line each, what stops nothing told last."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from wetcomb.views.blocks import Block, Fact, Styled, make_visible

__all__ = ["TextOutcome", "build_many"]

_MOST_LINES, _SHOWN = 40, 5  # texts of which each is told; of which a few are, where all fit


class TextOutcome(msgspec.Struct):
    """What became of one text.

    Attributes
    ----------
    name : of the text
    written : where its table went; nothing where there is none
    why : why there is none
    records, columns, snagged : of the table, and how many records do not fit
    doubts, broken : names of doubts, and what had to hold and does not
    is_allowed : snags and doubts are no more than the comb allows
    account : all that is told of the run, where it is asked for
    """

    name: str
    written: str = ""
    why: str = ""
    records: int = 0
    columns: int = 0
    snagged: int = 0
    doubts: tuple[str, ...] = ()
    broken: tuple[str, ...] = ()
    is_allowed: bool = True
    account: dict[str, object] = msgspec.field(default_factory=dict)

    @property
    def is_odd(self) -> bool:
        """Whether there is anything to look at."""
        return bool(self.why or self.snagged or self.doubts or self.broken)


def build_many(
    outcomes: Sequence[TextOutcome], n_texts: int, notes: Sequence[str], *, is_full: bool
) -> list[Block]:
    """Return the account, a fact a line.

    Parameters
    ----------
    n_texts : how many there were to be combed; more than outcomes where it was stopped
    """
    done = [one for one in outcomes if one.written]
    left = [one for one in outcomes if not one.written]
    facts = [Fact("settled" if not k else "", [Styled(note)]) for k, note in enumerate(notes)]
    is_short = not is_full and len(outcomes) > _MOST_LINES
    shown = [one for one in outcomes if one.is_odd or not is_short]
    fine = [one for one in outcomes if not one.is_odd]
    if is_short:
        shown = [one for one in outcomes if one.is_odd or one in fine[:_SHOWN]]
    for place, one in enumerate(shown):
        facts.append(Fact("" if place else "texts", _tell(one)))
    if is_short and len(fine) > _SHOWN:
        said = (
            f"and {len(fine) - _SHOWN:,} more in which every record fits; --account full tells each"
        )
        facts.append(Fact("", [Styled(said, "faint")]))
    n_records = sum(one.records for one in done)
    said = f"{_count(len(done), 'table')} of {_count(n_texts, 'text')} written, {_count(n_records, 'record')}"
    facts.append(Fact("in all", [Styled(said, "good" if len(done) == n_texts else "strong")]))
    if left:
        what = "1 text has" if len(left) == 1 else f"{len(left):,} texts have"
        facts.append(Fact("", [Styled(f"{what} no table; the reasons stand above", "bad")]))
    if len(outcomes) < n_texts:
        n_more = n_texts - len(outcomes)
        said = f"{n_more:,} {'was' if n_more == 1 else 'were'} not begun; the tables that are written are whole"
        facts.append(Fact("", [Styled(said, "bad")]))
    return list(facts)


def _tell(one: TextOutcome) -> list[Styled]:
    """Return what is told of a text."""
    name = Styled(make_visible(one.name), "strong")
    if not one.written:
        return [name, Styled(f": {make_visible(one.why)}", "bad")]
    told = [name, Styled(f": {_count(one.records, 'record')} of {_count(one.columns, 'column')}")]
    if one.snagged:
        verb = "does" if one.snagged == 1 else "do"
        told.append(Styled(f", {one.snagged:,} {verb} not fit", "snag"))
    if one.doubts:
        told.append(Styled(f", in doubt: {', '.join(one.doubts)}", "snag"))
    told += [Styled(f", {said}", "bad") for said in one.broken]
    return told


def _count(number: int, noun: str) -> str:
    return f"{number:,} {noun}{'s' * (number != 1)}"
