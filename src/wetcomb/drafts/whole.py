"""The draft of a whole text: the chain that the road found against all that the search brings, by one price."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from typing import Any

from msgspec.structs import replace

from wetcomb.combs.check import find_split, make_fits
from wetcomb.combs.comb import Comb
from wetcomb.combs.memory import make_batch, make_text
from wetcomb.combs.part import Part
from wetcomb.core.errors import UsageError, WetCombError
from wetcomb.core.text import Text
from wetcomb.drafts.doubts.find import raise_doubts
from wetcomb.drafts.doubts.seen import Drafted
from wetcomb.drafts.first_draft import draft_once
from wetcomb.drafts.moves.restating import find_split as find_main_split
from wetcomb.drafts.pricing.chains import Chain, Priced
from wetcomb.drafts.search import Found, Stated, search
from wetcomb.steps.split.options import Split
from wetcomb.steps.wash.options import Wash

__all__ = ["Whole"]

_AT_MOST = 1.1  # times the bits of plain lines: what a table may take that leaves nothing odd
_LEAST, _FILLED = 3, 0.9  # records of such a table, and its share of cells that are filled
#: What another way must save, where only single records speak against a first one that cuts at a mark,
#: and else: a share of its bits, and bits.
_SNAGGED, _ELSE = (0.03, 60.0), (0.0, 12.0)
#: Doubts that say nothing of how a text is built.
_BESIDE = frozenset(
    ["records-equal", "odd-signs", "encoding-unsure", "missing-bare", "spoilt", "hyphen-left", "total-off"]
)  # fmt: skip
#: Options that say nothing of how a text is cut.
_LOOSE = frozenset(["heading", "names", "quote", "missing"])
_NEAR = 12.0  # bits that a way may take more of which less is doubtful
_TRIED = 6  # of such ways that are looked at
_OUTSIDE = 0.5  # share of the bits of a text that may stand outside its table
_WAYS, _FAR = 4, (0.12, 60.0)  # ways that are shown; what one may take more: a share, and bits
_FIRST_LINES, _FIRST_BYTES = 300, 1 << 16
_END = re.compile(rb"\r\n|\n|\r")


class Whole:
    """A whole text being drafted: by the road, and where something speaks against that by a search.

    Attributes
    ----------
    best : the comb that was chosen, and its evidence

    Raises
    ------
    InputError : there are no lines to go by
    UsageError : what is given contradicts itself
    """

    def __init__(
        self,
        text: bytes,
        given: Mapping[str, Any],
        part: Part | None,
        *,
        encoding: str = "",
        first_line: int = 1,
        labels: Sequence[str] = (),
    ) -> None:
        self._text, self._part, self._encoding = text, part, encoding
        self._first_line, self._has_labels = first_line, bool(labels)
        self._stated = Stated(given, part is not None)
        self._head = _cut_head(text)
        self._found: Found | None = None
        self.best = draft_once(
            text, given, part, encoding=encoding, first_line=first_line, labels=labels
        )
        if labels:
            return
        comb, drafted = self.best
        is_open = not given and part is None
        if is_open and not isinstance(comb.steps[0], Wash) and _has_odd_signs(drafted):
            self.best = _draft_washed(text, comb, drafted, encoding, first_line)
        self._look_further()

    def _look_further(self) -> None:
        """Take a cheaper way for the whole text, where something speaks against the first draft.

        One of which more is stated than how it begins is left to what that says.
        """
        _, drafted = self.best
        if not _LOOSE.issuperset(self._stated.given):
            return
        doubts = _find_structural(drafted)
        if not doubts and not drafted.table.snags.n_records:
            return
        known, found = self.search()
        best = _choose(
            found,
            known,
            is_lines=len(drafted.table.names) == 1,
            has_doubts=bool(doubts),
            has_labels=drafted.pull is not None,
        )
        if best is None:
            return
        if best.chain != known:
            with suppress(WetCombError):
                self.best = self._make_draft(best, found)
        if drafted.pull is None and len(self.best[1].table.names) > 1:
            self._take_least_doubtful(best, found)

    def _take_least_doubtful(self, best: Priced, found: Found) -> None:
        """Take a way that is as cheap as the best, or nearly, where less speaks against what it makes."""
        least = len(_find_structural(self.best[1]) - {"cut-close"})
        near = [
            way
            for way in found.ways
            if way.price < best.price + _NEAR
            and _is_table(way)
            and (_is_wrapped(best) or not _is_wrapped(way))  # to join lines is no less doubtful
        ]
        for way in [*near[:_TRIED], best] if least else ():
            with suppress(WetCombError):
                comb, drafted = self._make_draft(way, found)
                number = len(_find_structural(drafted) - {"cut-close"})
                if number < least:
                    least, self.best = number, (comb, replace(drafted, rival=None))

    @property
    def was_searched(self) -> bool:
        """Whether what was found by the road was held against others."""
        return self._found is not None

    def search(self) -> tuple[Chain | None, Found]:
        """Return the first draft as a chain, and what was tried on the text."""
        known = _make_chain(self._text, self._head, *self.best)
        if self._found is None:
            is_whole = len(self._head) == len(self._text)
            self._found = search(
                self._head, self._first_line, [] if known is None else [known],
                is_whole=is_whole, stated=self._stated,
            )  # fmt: skip
        return known, self._found

    def find_way(self, number: int) -> tuple[Comb, Drafted]:
        """Return the comb of a way by its number, and its evidence.

        Raises
        ------
        UsageError : there are not so many
        """
        if number == 1:
            return self.best
        ways = list(self.list_ways())
        if number > len(ways):
            there = "is one way" if len(ways) == 1 else f"are {len(ways)} ways"
            raise UsageError(f"--way {number}: there {there} to cut this; inspect shows them")
        return ways[number - 1]

    def list_ways(self) -> Iterator[tuple[Comb, Drafted]]:
        """Yield the comb that was chosen and the next ones that make other tables, at most four in all.

        None is dearer than plain lines, or far from the best; none makes only some of the records
        that one before it makes. That another is near is no doubt of one that is asked for.
        """
        yield self.best
        if self._has_labels:
            return
        chosen, found = self.search()
        own = None if chosen is None else found.try_known(chosen)
        seen, most = [] if own is None else [own], found.text.plain
        if own is not None:
            most = min(most, own.price + max(_FAR[0] * own.price, _FAR[1]))
        for way in found.ways:
            if len(seen) == _WAYS or way.price > most:
                return
            if _is_table(way) and not any(_says_no_more(way, other) for other in seen):
                with suppress(WetCombError):
                    comb, drafted = self._make_draft(way, found)
                    seen.append(way)
                    yield comb, replace(drafted, rival=None)

    def make_draft(self, way: Priced) -> tuple[Comb, Drafted]:
        """Return the comb of a way that was priced over the first lines, and its evidence."""
        return self._make_draft(way, self.search()[1])

    def _has_nothing_behind(self, chain: Chain) -> bool:
        """Return whether nothing stands behind a chain in the first lines: then it holds to the text's end."""
        ends = [0, *(match.end() for match in _END.finditer(self._head)), len(self._head)]
        behind = self._head[ends[min(chain.last, len(ends) - 1)] :]
        washes = [step for step in chain.steps if isinstance(step, Wash)]
        if washes and behind.strip():
            with suppress(WetCombError):
                behind = make_text(washes, behind)
        return not behind.strip()

    def _make_draft(self, best: Priced, found: Found) -> tuple[Comb, Drafted]:
        """Return the comb of a way over the whole text, and its evidence."""
        chain, text = best.chain, self._text
        ends = [0, *(match.end() for match in _END.finditer(text))]
        if ends[-1] != len(text):
            ends.append(len(text))
        is_open = self._has_nothing_behind(chain)
        begin, stop = ends[chain.first], len(text) if is_open else ends[chain.last]
        inside, first = text[begin:stop], chain.first + self._first_line
        part, notes = self._part or Part(), list(chain.notes)
        if inside != text:
            lines = f"{first}-" + ("" if is_open else f"{chain.last + self._first_line - 1}")
            part = Part(lines=lines)
            notes.append(f"The table stands in lines {lines}; what is around it is left out.")
        comb = Comb(chain.steps, self._encoding, notes=tuple(notes), part=part)
        batch = make_batch(comb.steps, Text.of(inside, first))
        main = find_main_split(chain)
        drafted = Drafted(
            self._stated.given,
            inside,
            text[:begin].decode().splitlines(),
            text[stop:].decode().splitlines(),
            self.best[1].n_tables,
            comb.steps,
            main[1] if main else Split(delimiter="none", heading="none", fields=1),
            None,
            batch,
            first_line=first,
            rival=_find_rival(found, best),
            gain=1 - best.price / found.text.plain,
            notes=chain.notes,
        )
        is_one = len(comb.steps) == 1
        fits = make_fits(*find_split(comb, inside), batch.table if is_one else None)
        return comb.fit(fits), drafted


def _has_odd_signs(drafted: Drafted) -> bool:
    return any(raised.doubt.name == "odd-signs" for raised in raise_doubts(drafted))


def _draft_washed(
    text: bytes, comb: Comb, drafted: Drafted, encoding: str, first_line: int
) -> tuple[Comb, Drafted]:
    """Return the draft behind a wash, where that takes off all that cannot be seen or was decoded wrongly."""
    washed = make_text([Wash()], text)
    lines = text.splitlines(keepends=True)
    if len(washed.splitlines()) != len(lines):
        return comb, drafted
    with suppress(WetCombError):
        other, seen = draft_once(washed, {}, None, encoding=encoding, first_line=first_line)
        first = len(washed[: max(0, washed.find(seen.inside))].splitlines())
        last = first + len(seen.inside.splitlines())
        inside = b"".join(lines[first:last])
        if not isinstance(other.steps[0], Wash) and not other.part.from_:
            steps = (Wash(), *other.steps)
            batch = make_batch(steps, Text.of(inside, first_line + first))
            told = "What cannot be seen, and what was decoded wrongly, is washed off first."
            made = replace(seen, steps=steps, inside=inside, batch=batch)
            if not _has_odd_signs(made):
                return replace(other, steps=steps, notes=(told, *other.notes)), made
    return comb, drafted


def _find_structural(drafted: Drafted) -> set[str]:
    """Return the doubts about how a text is built."""
    doubts = {raised.doubt.name for raised in raise_doubts(drafted)} - _BESIDE
    return doubts | ({"few-records"} if drafted.table.n_records < _LEAST else set())


def _choose(
    found: Found, known: Chain | None, *, is_lines: bool, has_doubts: bool, has_labels: bool
) -> Priced | None:
    """Return the cheapest way; where the first draft is no table, the cheapest that is one.

    Parameters
    ----------
    is_lines : the first draft leaves each line as it is
    has_doubts : something speaks against it, beyond single records
    has_labels : it reads labels, and is right where these explain anything at all
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
    if own is not None and has_labels and own.price - own.bits["odd"] < found.text.plain:
        return own  # what labels explain at all is read by them
    if own is not None and not is_lines:
        is_marked = any(isinstance(s, Split) and s.literals for s in own.chain.steps)
        share, least = _SNAGGED if is_marked and not has_doubts else _ELSE
        if own.price - ways[0].price < max(least, share * own.price):
            return own
    return ways[0] if ways else None


def _is_table(way: Priced) -> bool:
    """Return whether a way makes more than one column."""
    return way.batch.table is not None and len(way.batch.table.names) > 1


def _is_wrapped(way: Priced) -> bool:
    return any(isinstance(step, Split) and step.wrapped for step in way.chain.steps)


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


def _find_rival(found: Found, best: Priced) -> tuple[str, float] | None:
    """Return the next way that makes another table, in words, and how much dearer it is."""
    rows = _list_rows(best)
    for way in found.ways:
        if way is not best and _is_table(way) and not _leaves_blank(_list_rows(way), rows):
            said = way.chain.notes[-1] if way.chain.notes else "as it would be cut alone"
            return said, max(0.0, way.price - best.price)
    return None


def _leaves_blank(rows: Sequence[list[str]], others: Sequence[list[str]]) -> bool:
    """Return whether some records say what others say, or leave it blank."""
    return len(rows) == len(others) and all(
        len(row) == len(other) and all(a in ("", b) for a, b in zip(row, other, strict=True))
        for row, other in zip(rows, others, strict=True)
    )


def _says_no_more(way: Priced, other: Priced) -> bool:
    """Return whether a way only makes records that another makes; where it is cut off, but for the one there."""
    rows, left = _list_rows(way), iter(_list_rows(other))
    rows = rows[way.chain.first > other.chain.first :]
    if way.chain.last < other.chain.last:
        rows = rows[:-1]
    return all(row in left for row in rows)


def _list_rows(way: Priced) -> list[list[str]]:
    assert way.batch.table is not None
    return [[value or "" for value in row] for row in way.batch.table.rows()]
