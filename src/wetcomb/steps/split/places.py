"""Where split cuts beside delimiters: at columns, at changes of kind, at patterns, not in brackets.

All of these are places of no length within unquoted fields. No character is torn: places
stand before a character with all its marks, and a column inside a tab or a wide character
is cut to its left and told.
"""

from __future__ import annotations

from collections import Counter

import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import (
    Bools,
    Bytes,
    Ints,
    count_before,
    find_text,
    is_blank,
    list_positions,
    sort_unique,
)
from wetcomb.core.cutting.ragged import Ragged
from wetcomb.core.cutting.records import OddPlaces
from wetcomb.core.cutting.recut import cut_grid, find_quoted, merge, refine, trim_line_ends
from wetcomb.core.cutting.specials import CutRules
from wetcomb.core.text import is_ascii
from wetcomb.match.characters import (
    COMBINING,
    FORMAT,
    KIND_SIGNS,
    Columns,
    find_ascii_kinds,
    find_kinds,
    read_code_points,
)
from wetcomb.match.lines import find_in_lines
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.split.options import Split

__all__ = ["Places"]


class Places:
    """Cuts records further, as the options of one `Split` say."""

    def __init__(self, options: Split, rules: CutRules) -> None:
        self._options, self._rules = options, rules
        ignored = options.ignore_case
        self._before = [compile_pattern(text, ignore_case=ignored) for text in options.before]
        self._after = [compile_pattern(text, ignore_case=ignored) for text in options.after]
        self._boundaries = [tuple(text.split("|")) for text in options.boundary]
        kind, _, number = options.cuts.partition(":")
        self._limit = (kind, int(number)) if number else None
        self.hits: Counter[str] = Counter()  # how often each option found something

    @property
    def changes_fields(self) -> bool:
        """Whether there is anything to do beside the delimiters."""
        options = self._options
        return bool(
            options.edges
            or self._boundaries
            or self._before
            or self._after
            or options.protect
            or self._limit
            or not self._rules.ends_at_lines
        )

    def recut(self, data: Bytes, ragged: Ragged, edges: Ints) -> tuple[Ragged, OddPlaces]:
        """Return the records with the fields all options ask for, and what is odd.

        Parameters
        ----------
        edges : (E,) or (R, E) int64, display columns to cut at; -1 where a record has fewer
        """
        if not self.changes_fields or not ragged.stops.size:
            return ragged, OddPlaces.join([])
        odd: list[OddPlaces] = []
        if self._options.has_edges_only:
            places = self._find_edges(data, ragged, edges, odd)
            cut = self._cut_edges(data, ragged, edges, places)
            return self._take_back(data, cut, odd), OddPlaces.join(odd)
        quoted = find_quoted(ragged, data, self._rules.marks)
        if not self._rules.ends_at_lines:
            free, starts, ends = ~quoted, ragged.starts.copy(), ragged.ends.copy()
            starts[free], ends[free] = trim_line_ends(data, starts[free], ends[free])
            ragged = replace(ragged, starts=starts, ends=ends)
        cuts = [self._find_changes(data, ragged), self._find_patterns(data, ragged, quoted)]
        self.hits["boundary"] += cuts[0].size
        if edges.size:
            cuts.append(self._find_edges(data, ragged, edges, odd).ravel())
        has_changes_only = not any(others.size for others in cuts[1:])
        found = cuts[0] if has_changes_only else sort_unique(np.concatenate(cuts))
        ragged = refine(ragged, data, _find_inside(ragged, quoted, found))
        return self._take_back(data, ragged, odd), OddPlaces.join(odd)

    def _cut_edges(self, data: Bytes, ragged: Ragged, edges: Ints, places: Ints) -> Ragged:
        """Return lines cut at edges alone: every edge makes a field, be it empty."""
        if edges.ndim == 1 or (edges >= 0).all():
            return cut_grid(ragged, data, places)
        return refine(ragged, data, np.sort(places[edges >= 0]))

    def _take_back(self, data: Bytes, ragged: Ragged, odd: list[OddPlaces]) -> Ragged:
        """Return the records without the cuts in brackets and those beyond the limit."""
        taken_back = np.zeros(ragged.starts.size, np.bool_)
        if self._options.protect:
            taken_back |= self._find_protected(data, ragged, odd)
        if self._limit:
            taken_back |= _find_beyond(ragged, taken_back, *self._limit)
        return merge(ragged, data, taken_back)

    def _find_edges(self, data: Bytes, ragged: Ragged, edges: Ints, odd: list[OddPlaces]) -> Ints:
        """Return where each edge cuts each record; tell what it tears."""
        firsts, lasts = ragged.offsets[:-1], ragged.offsets[1:] - 1
        starts, ends = ragged.outer_starts[firsts], ragged.outer_ends[lasts]
        columns = Columns(data, starts, ends, self._options.tab_width)
        if edges.ndim == 1:
            places, torn = columns.find_places(edges)
        else:
            places, torn = columns.find_places(np.maximum(edges, 0))
            torn &= edges >= 0
        inner = (places > starts[:, None]) & (places < ends[:, None])
        blank = is_blank(data)
        in_word = inner & ~blank[places - 1] & ~blank.take(places, mode="clip")
        odd.append(OddPlaces.of("edge-torn", places[torn]))
        if self._options.touching:
            self.hits["touching"] += _count_alike(data, places[in_word])
        else:
            odd.append(OddPlaces.of("edge-in-word", places[in_word]))
        if edges.ndim == 2:
            places = np.where(edges >= 0, places, starts[:, None])
        return places

    def _find_changes(self, data: Bytes, ragged: Ragged) -> Ints:
        """Return where the kind of character changes as one of the examples shows.

        What is shown left of the cut stands in the same field: what is before it may be in
        another chunk.
        """
        if not self._boundaries:
            return np.zeros(0, np.int64)
        if is_ascii(data):
            kinds, places = find_ascii_kinds(data), None
        else:
            points, places = read_code_points(data)
            kinds = find_kinds(points)
            base = (kinds != COMBINING) & (kinds != FORMAT)
            kinds, places = kinds[base], places[base]
        changes = np.zeros(kinds.size, np.bool_)
        for left, right in self._boundaries:
            hits = _find_boundary(kinds, left, right)
            if places is not None or len(left) > 1:
                begins = hits - len(left)
                at, before = (hits, begins) if places is None else (places[hits], places[begins])
                fields = np.searchsorted(ragged.starts, at, "right") - 1
                hits = hits[before >= ragged.starts.take(np.maximum(fields, 0), mode="clip")]
            changes[hits] = True
        found = np.flatnonzero(changes)
        return found if places is None else places[found]

    def _find_patterns(self, data: Bytes, ragged: Ragged, quoted: Bools) -> Ints:
        if not self._before and not self._after:
            return np.zeros(0, np.int64)
        free = ~quoted & (ragged.ends > ragged.starts)
        spans = ragged.starts[free], ragged.ends[free]
        before, _ = find_in_lines(data, *spans, self._before)
        _, after = find_in_lines(data, *spans, self._after)
        self.hits.update(before=before.size, after=after.size)
        return np.concatenate([before, after])

    def _find_protected(self, data: Bytes, ragged: Ragged, told: list[OddPlaces]) -> Bools:
        """Return which fields begin inside brackets; a record whose brackets do not pair is left."""
        inside = np.zeros(ragged.starts.size, np.bool_)
        unpaired = np.zeros(ragged.stops.size, np.bool_)
        firsts, lasts = ragged.offsets[:-1], ragged.offsets[1:] - 1
        begins, stops = ragged.outer_starts[firsts], ragged.outer_ends[lasts]
        records = np.repeat(np.arange(ragged.stops.size), ragged.counts)
        for pair in self._options.protect:
            opening, closing = pair[0], pair[1]
            opens = find_text(data, opening.encode())
            closes = find_text(data, closing.encode())
            self.hits["protect"] += opens.size
            steps = np.concatenate([np.ones(opens.size, np.int64), -np.ones(closes.size, np.int64)])
            places = np.concatenate([opens, closes])
            order = np.argsort(places, kind="stable")
            places, depth = places[order], np.append(0, np.cumsum(steps[order]))
            at = np.searchsorted(places, begins)
            behind = np.searchsorted(places, stops)
            base, end = depth[at], depth[behind]
            odd = (end != base) | _falls_below(depth, at, behind, base)
            unpaired |= odd
            here = depth[np.searchsorted(places, ragged.outer_starts)] - base[records]
            inside |= (here > 0) & ~odd[records]
        told.append(OddPlaces.of("bracket-unpaired", begins[unpaired]))
        inside[firsts] = False
        return inside


def _falls_below(depth: Ints, at: Ints, behind: Ints, base: Ints) -> Bools:
    """Return the records in which a bracket closes before it opens."""
    falls = count_before(np.diff(depth) < 0)
    odd = np.zeros(at.size, np.bool_)
    for row in np.flatnonzero(falls[behind] > falls[at]):
        odd[row] = bool((depth[at[row] : behind[row] + 1] < base[row]).any())
    return odd


def _count_alike(data: Bytes, places: Ints) -> int:
    """Return how many places stand between two letters or two digits."""
    before, behind = data[places - 1], data[places]
    digits = [(sides >= ord("0")) & (sides <= ord("9")) for sides in (before, behind)]
    letters = [
        ((sides | 0x20) >= ord("a")) & ((sides | 0x20) <= ord("z")) | (sides >= 0x80)
        for sides in (before, behind)
    ]
    return int(np.count_nonzero(digits[0] & digits[1] | letters[0] & letters[1]))


def _find_boundary(kinds: Bytes, left: str, right: str) -> Ints:
    """Return the characters before which the example's change of kind stands."""
    if kinds.size < len(left) + len(right):
        return np.zeros(0, np.int64)
    n_places = kinds.size - len(left) - len(right) + 1
    hits = np.ones(n_places, np.bool_)
    for place, sign in enumerate(left):
        hits &= _is_kind(kinds[place : place + n_places], sign, right[0])
    for place, sign in enumerate(right, len(left)):
        hits &= _is_kind(kinds[place : place + n_places], sign, left[-1])
    return np.flatnonzero(hits) + len(left)


def _is_kind(kinds: Bytes, sign: str, other: str) -> Bools:
    found = kinds == KIND_SIGNS[other if sign == "*" else sign][0]
    for kind in KIND_SIGNS[other if sign == "*" else sign][1:]:
        found |= kinds == kind
    return ~found if sign == "*" else found


def _find_inside(ragged: Ragged, quoted: Bools, cuts: Ints) -> Ints:
    """Return the cuts that stand inside the value of an unquoted field."""
    free = np.flatnonzero(~quoted & (ragged.ends > ragged.starts))
    firsts = np.searchsorted(cuts, ragged.starts.take(free), "right")
    return cuts.take(list_positions(firsts, np.searchsorted(cuts, ragged.ends.take(free))))


def _find_beyond(ragged: Ragged, gone: Bools, which: str, number: int) -> Bools:
    """Return the fields whose cut before them is not among the first or last so many."""
    is_head = np.zeros(gone.size, np.bool_)
    is_head[ragged.offsets[:-1]] = True
    counted = count_before(~gone & ~is_head).astype(np.int64)
    records = np.repeat(np.arange(ragged.stops.size), ragged.counts)
    nth = counted[:-1] - counted[ragged.offsets[:-1]][records]  # cuts of the record before this
    total = (counted[ragged.offsets[1:]] - counted[ragged.offsets[:-1]])[records]
    beyond = nth >= number if which == "first" else total - nth > number
    return beyond & ~is_head & ~gone
