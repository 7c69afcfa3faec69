"""Edges that are taken from the text: from the runs of a rule, or from the words of a heading.

A rule holds from the heading lines right above it to those above the next rule with as many
runs. Heading words hold for their page: between two of them the cut stands behind the last
column, from the left word's start to the right word's end, that every line of the page
leaves blank; where there is none, at the right word's start. So a report that moved by a
column still fits.
"""

from __future__ import annotations

import re
from itertools import pairwise

import msgspec
import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints
from wetcomb.core.layout import is_rule
from wetcomb.core.ragged import Ragged
from wetcomb.match.characters import SPACE, Columns, find_kinds, find_widths, read_code_points

__all__ = ["Pages", "find_heading_edges", "find_rule_edges", "find_rules", "list_words"]

_RUN = re.compile(rb"([-=_~*])\1+")
_WORD = re.compile(r"[^ \t\r\n]+(?: [^ \t\r\n]+)*")


class Pages(msgspec.Struct, frozen=True, eq=False):
    """The edges of every record of a chunk.

    Attributes
    ----------
    edges : (R, E) int64, display columns; -1 where a record has fewer
    """

    edges: Ints

    @classmethod
    def of(cls, parts: list[tuple[int, tuple[int, ...]]], n_records: int) -> Pages:
        """Return edges that hold from a record on, up to the next part."""
        width = max((len(edges) for _, edges in parts), default=0)
        table = np.full((n_records, width), -1, np.int64)
        for nth, (first, edges) in enumerate(parts):
            last = parts[nth + 1][0] if nth + 1 < len(parts) else n_records
            table[first:last, : len(edges)] = edges
        return cls(table)


def find_rules(data: Bytes, ragged: Ragged) -> list[tuple[int, tuple[int, ...]]]:
    """Return the records that are rules of at least two runs, with the edges these give."""
    starts = ragged.record_starts
    ends = ragged.outer_ends[ragged.offsets[1:] - 1]
    first = ragged.starts[ragged.offsets[:-1]]
    likely = np.flatnonzero(np.isin(data.take(first, mode="clip"), list(b"-=_~*+|:")))
    found = []
    for row in likely.tolist():
        edges = find_rule_edges(data[starts[row] : ends[row]].tobytes())
        if edges:
            found.append((row, edges))
    return found


def find_rule_edges(line: bytes) -> tuple[int, ...]:
    """Return where the runs of a rule begin, the first left out; nothing for any other line."""
    if not is_rule(line):
        return ()
    expanded = line.expandtabs(8)
    return tuple(run.start() for run in _RUN.finditer(expanded))[1:]


def list_words(line: str, tab_width: int = 8) -> list[tuple[int, int, str]]:
    """Return the words of a heading line as (first column, column behind, text).

    Words parted by one blank are one heading.
    """
    raw = np.frombuffer(line.encode(), np.uint8)
    columns = Columns(raw, np.array([0]), np.array([raw.size]), tab_width)
    words: list[tuple[int, int, str]] = []
    for word in _WORD.finditer(line):
        text = word[0].lstrip("\f") if not words else word[0]
        start = word.end() - len(text)
        spans = [len(line[:start].encode()), len(line[: word.end()].encode())]
        begin, end = columns.find_columns(np.array(spans), np.zeros(2, np.int64)).tolist()
        if text:
            words.append((begin, end, text))
    return words


def find_heading_edges(
    data: Bytes, ragged: Ragged, heading: str, tab_width: int
) -> tuple[int, ...]:
    """Return the edges a heading line gives to the lines of its page.

    Parameters
    ----------
    ragged : the page's lines, one field each; rules, blank lines and the heading left out
    """
    words = list_words(heading, tab_width)
    width = max((end for _, end, _ in words), default=0)
    filled = _find_filled(data, ragged, width, tab_width)
    for begin, end, _ in words:
        filled[begin:end] = True
    edges = []
    for (left, _, _), (right, right_end, _) in pairwise(words):
        blank = np.flatnonzero(~filled[left:right_end])
        edges.append(left + int(blank[-1]) + 1 if blank.size else right)
    return tuple(edges)


def _find_filled(data: Bytes, ragged: Ragged, width: int, tab_width: int) -> Bools:
    """Return which display columns some line has a character in."""
    filled = np.zeros(width, np.bool_)
    if not ragged.starts.size:
        return filled
    starts, ends = (
        ragged.outer_starts[ragged.offsets[:-1]],
        ragged.outer_ends[ragged.offsets[1:] - 1],
    )
    columns = Columns(data, starts, ends, tab_width)
    points, places = read_code_points(data)
    kinds = find_kinds(points)
    solid = places[kinds != SPACE]
    lines = np.searchsorted(starts, solid, "right") - 1
    inside = (lines >= 0) & (solid < ends.take(lines, mode="clip"))
    at = columns.find_columns(solid[inside], lines[inside])
    filled[at[at < width]] = True
    broad = at[find_widths(points)[kinds != SPACE][inside] > 1] + 1
    filled[broad[broad < width]] = True
    return filled
