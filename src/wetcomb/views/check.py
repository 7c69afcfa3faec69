"""Whether a text still fits a comb, for people."""

from __future__ import annotations

from collections.abc import Sequence

from wetcomb.views.blocks import Block, Fact, Styled, make_visible

__all__ = ["build_check"]


def build_check(
    name: str,
    departures: Sequence[tuple[str, str]],
    notes: Sequence[str],
    *,
    records: int | None,
) -> list[Block]:
    """Return what was seen, a fact a line.

    Parameters
    ----------
    departures : what is not as usual, and what there is to say of it
    """
    verdict = Styled("fits", "good") if not departures else Styled("does not fit as it did", "snag")
    facts = [Fact("verdict", [verdict, Styled(f": {make_visible(name)}")])]
    if records is not None:
        facts.append(Fact("records", [Styled(f"{records:,}")]))
    for place, (about, said) in enumerate(departures):
        label = "odd" if not place else ""
        parts = [Styled(make_visible(about), "strong"), Styled(f": {make_visible(said)}")]
        facts.append(Fact(label, parts))
    facts += [Fact("note" if not place else "", [Styled(note)]) for place, note in enumerate(notes)]
    return list(facts)
