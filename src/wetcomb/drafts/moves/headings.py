"""Moves that take lines for a heading, or leave lines out."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec.structs import replace

from wetcomb.core.cutting.layout import is_rule
from wetcomb.drafts.moves.restating import find_split, restate
from wetcomb.drafts.pricing.chains import Chain, Priced, PricedText

__all__ = ["leave_out", "take_heading", "take_in"]


def take_heading(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain with its first record, or its first two lines, for a heading."""
    found = find_split(priced.chain)
    if found is None or found[1].heading != "none" or found[1].outline_level:
        return
    place, split = found
    if split.per_record or split.edges or split.cuts != "all":
        yield restate(priced.chain, place, replace(split, heading="first"))
    else:
        yield restate(priced.chain, place, replace(split, heading="first", fields=0))
    if split.edges and not split.wrapped:
        yield restate(priced.chain, place, replace(split, heading=2))


def take_in(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain with the lines right above it as a heading, or a further line of it."""
    found, chain = find_split(priced.chain), priced.chain
    if found is None or not found[1].edges or not chain.first:
        return
    place, split = found
    above = [k for k in range(max(0, chain.first - 3), chain.first) if text.lines[k].strip()]
    solid = [k for k in above if not is_rule(text.lines[k].encode())]
    if solid:
        wider = replace(chain, first=solid[-1])
        for heading in ("first", 2) if split.heading == "none" else (2, 3):
            yield restate(wider, place, replace(split, heading=heading))


def leave_out(text: PricedText, priced: Priced) -> Iterator[Chain]:
    """Yield the chain over less of the text: without the first or last stretch, or line."""
    chain, found = priced.chain, find_split(priced.chain)
    if found is not None and found[1].column_by_column:
        return  # a block less is a column less
    lines = text.lines
    full = [k for k in range(chain.first, chain.last) if lines[k].strip()]
    if len(full) < 4:
        return
    blank = [k for k in range(full[0], full[-1]) if not lines[k].strip()]
    if blank:
        begin = next(k for k in full if k > blank[0])
        end = max(k for k in full if k < blank[-1])
        yield replace(chain, first=begin)
        yield replace(chain, last=end + 1)
    yield replace(chain, first=full[1])
    yield replace(chain, last=full[-2] + 1)
