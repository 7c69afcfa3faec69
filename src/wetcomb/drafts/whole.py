"""The draft of a whole text: the chain that the road found against all that the search brings, by one price."""

from __future__ import annotations

import re

from wetcomb.combs.check import find_split, make_fits
from wetcomb.combs.comb import Comb
from wetcomb.combs.memory import make_batch
from wetcomb.combs.part import Part
from wetcomb.core.errors import WetCombError
from wetcomb.core.text import Text
from wetcomb.drafts.doubts.find import raise_doubts
from wetcomb.drafts.doubts.seen import Drafted
from wetcomb.drafts.moves import find_split as find_main_split
from wetcomb.drafts.pricing.chains import Chain, Priced
from wetcomb.drafts.search import Found, search
from wetcomb.steps.split.options import Split

__all__ = ["find_cheaper"]

_AT_MOST = 1.1  # times the bits of plain lines: what a table may take that leaves nothing odd
_LEAST, _FILLED = 3, 0.9  # records of such a table, and its share of cells that are filled
#: What another way must save, where only single records speak against the first and where doubts do: a
#: share of its bits, and bits.
_SNAGGED, _DOUBTED = (0.03, 60.0), (0.0, 20.0)
#: Doubts that say nothing of how a text is built.
_BESIDE = frozenset(
    ["records-equal", "odd-signs", "encoding-unsure", "missing-bare", "spoilt", "hyphen-left", "total-off"]
)  # fmt: skip
_OUTSIDE = 0.5  # share of the bits of a text that may stand outside its table
_FIRST_LINES, _FIRST_BYTES = 300, 1 << 16
_END = re.compile(rb"\r\n|\n|\r")


def find_cheaper(
    text: bytes, comb: Comb, drafted: Drafted, encoding: str, first_line: int
) -> tuple[Comb, Drafted]:
    """Return the draft that was found, or a cheaper one for the whole text where something speaks against it.

    A text of labels is left to those who read labels.
    """
    if any(step.name == "pull" for step in comb.steps):
        return comb, drafted
    doubts = {raised.doubt.name for raised in raise_doubts(drafted)} - _BESIDE
    if drafted.table.n_records < _LEAST:
        doubts.add("few-records")
    if not doubts and not drafted.table.snags.n_records:
        return comb, drafted
    head = _cut_head(text)
    known = _make_chain(text, head, comb, drafted)
    is_whole = len(head) == len(text)
    found = search(head, first_line, [] if known is None else [known], is_whole=is_whole)
    best = _choose(found, known, is_lines=len(drafted.table.names) == 1, has_doubts=bool(doubts))
    if best is None or best.chain == known:
        return comb, drafted
    try:
        return _make_draft(text, head, best, found, encoding, first_line, drafted)
    except WetCombError:
        return comb, drafted


def _choose(
    found: Found, known: Chain | None, *, is_lines: bool, has_doubts: bool
) -> Priced | None:
    """Return the cheapest way; where the first draft is no table, the cheapest that is one.

    Parameters
    ----------
    is_lines : the first draft leaves each line as it is
    has_doubts : something speaks against it, beyond single records
    """
    ways = [way for way in found.ways if way.chain == known or _is_table(way)]
    if is_lines and ways and ways[0].chain == known:
        ways = [way for way in ways if _is_table(way) and _is_sound(way)]
    if is_lines:
        ways = [way for way in ways if way.bits["raw"] < _OUTSIDE * found.text.plain]
    if is_lines and not ways:
        return None
    if is_lines and ways[0].price > _AT_MOST * found.text.plain:
        return None
    own = next((way for way in ways if way.chain == known), None)
    if own is not None and not is_lines:
        share, least = _DOUBTED if has_doubts else _SNAGGED
        if own.price - ways[0].price < max(least, share * own.price):
            return own
    return ways[0] if ways else None


def _is_table(way: Priced) -> bool:
    """Return whether a way makes more than one column."""
    return way.batch.table is not None and len(way.batch.table.names) > 1


def _is_sound(way: Priced) -> bool:
    """Return whether a way leaves nothing odd: it may be a table though it is small."""
    table = way.batch.table
    assert table is not None
    filled = float((table.ends > table.starts).mean()) if table.n_records else 0.0
    is_whole = not way.bits["dropped"] and table.n_records >= _LEAST
    return is_whole and not table.snags.n_records and filled > _FILLED


def _cut_head(text: bytes) -> bytes:
    """Return the first lines of a text."""
    ends = [match.end() for match in _END.finditer(text[:_FIRST_BYTES])]
    if len(text) <= _FIRST_BYTES and len(ends) <= _FIRST_LINES:
        return text
    return text[: ends[min(len(ends), _FIRST_LINES) - 1]] if ends else text[:_FIRST_BYTES]


def _make_chain(text: bytes, head: bytes, comb: Comb, drafted: Drafted) -> Chain | None:
    """Return a draft as a chain over the first lines; None if none of them is meant."""
    at = text.find(drafted.inside)
    n_lines = _count_lines(head)
    first = _count_lines(text[:at]) if at > 0 else 0
    last = min(n_lines, first + _count_lines(drafted.inside))
    return Chain(comb.steps, first, last, comb.notes) if first < last else None


def _count_lines(text: bytes) -> int:
    return len(_END.findall(text)) + (not text.endswith((b"\n", b"\r")) and bool(text))


def _make_draft(
    text: bytes,
    head: bytes,
    best: Priced,
    found: Found,
    encoding: str,
    first_line: int,
    before: Drafted,
) -> tuple[Comb, Drafted]:
    chain = best.chain
    ends = [0, *(match.end() for match in _END.finditer(text))]
    if ends[-1] != len(text):
        ends.append(len(text))
    is_open = chain.last >= _count_lines(head)
    begin, stop = ends[chain.first], len(text) if is_open else ends[chain.last]
    inside = text[begin:stop]
    lines = f"{chain.first + first_line}-" + ("" if is_open else f"{chain.last + first_line - 1}")
    part = Part() if inside == text else Part(lines=lines)
    notes = list(chain.notes)
    if not part.is_whole:
        notes.append(f"The table stands in lines {lines}; what is around it is left out.")
    comb = Comb(chain.steps, encoding, notes=tuple(notes), part=part)
    batch = make_batch(comb.steps, Text.of(inside, first_line + chain.first))
    main = find_main_split(chain)
    split = main[1] if main else Split(delimiter="none", heading="none", fields=1)
    drafted = Drafted(
        {},
        inside,
        text[:begin].decode().splitlines(),
        text[stop:].decode().splitlines(),
        before.n_tables,
        comb.steps,
        split,
        None,
        batch,
        rival=_find_rival(found, best),
        gain=1 - best.price / found.text.plain,
        notes=chain.notes,
    )
    is_one = len(comb.steps) == 1
    fits = make_fits(*find_split(comb, inside), batch.table if is_one else None)
    return comb.fit(fits), drafted


def _find_rival(found: Found, best: Priced | None = None) -> tuple[str, float] | None:
    """Return the next way that makes another table, in words, and how much dearer it is."""
    ways = [way for way in found.ways if _is_table(way)]
    best = best or next(iter(ways), None)
    if best is None:
        return None
    rows = _list_rows(best)
    for way in ways:
        if way is not best and _list_rows(way) != rows:
            said = way.chain.notes[-1] if way.chain.notes else "as it would be cut alone"
            return said, max(0.0, way.price - best.price)
    return None


def _list_rows(way: Priced) -> list[list[str]]:
    assert way.batch.table is not None
    return [[value or "" for value in row] for row in way.batch.table.rows()]
