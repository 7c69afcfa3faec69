"""Shares of a long text: where they are cut, and how one is combed by itself.

A text is cut into shares at line ends that look like the ends of records. A share is combed as if a
record began with it; it counts only if the share before it ended just there, with the same state,
which is known once that one is done. Where it did not (a line break inside quotes was taken for the
end of a record) the share is combed again from where the one before it ended. So the answer is the
one of a single process, whoever combs the shares.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from wetcomb.combs.engine import StepsRun
from wetcomb.combs.part import Stretch
from wetcomb.core.batch import Batch
from wetcomb.core.errors import WetCombError
from wetcomb.core.report import Report
from wetcomb.files.source import BLOCK_SIZE, Source

__all__ = ["FIRST_SHARE", "SHARE", "Combed", "Share", "comb_share", "find_last_record", "find_share_end"]  # fmt: skip

SHARE = 2 * BLOCK_SIZE  # bytes, of helpers on one machine
FIRST_SHARE = BLOCK_SIZE // 16  # it tells the heading, and nothing else is done meanwhile
_WINDOW = 1 << 16  # bytes that are searched for the end of a record
_PROBE = 1 << 14  # bytes before a share's end that are searched for its last record


class Share(NamedTuple):
    """A stretch of the source: bytes from `start` to `end`, and the line it begins on."""

    start: int
    end: int
    line: int


class Combed(NamedTuple):
    """What is told of a share: what the steps counted, where its last record ended, what is carried on.

    `end` is None if the share must be longer.
    """

    report: Report
    counts: list[object]
    end: int | None
    state: tuple[bool, ...]


def comb_share(
    run: StepsRun,
    source: Source,
    share: Share,
    state: tuple[bool, ...],
    report: Report,
    take: Callable[[Batch], None],
) -> Combed:
    """Comb a share, batch by batch; a record that it only begins is left to the next.

    Parameters
    ----------
    run : the steps, which know the heading already where the share is not the first
    state : what the shares before it carry on
    report : what is told of it goes there
    """
    run.start_at(share.line, report, state)
    run.give_counts()
    is_last = share.end == source.size
    for block, is_end in source.read_stretch(share.start, share.end):
        for batch in run.take(Stretch(block, True, is_last and is_end)):
            take(batch)
    n_left, counts = run.give_back(), run.give_counts()
    if n_left is None:
        return Combed(report, counts, None, ())
    run.finish()
    return Combed(report, counts, share.end - n_left, run.state)


def find_share_end(source: Source, end: int) -> int:
    """Return a place at or behind another where a record is likely to end, or the source does."""
    while end < source.size:
        place = find_record_end(source.read_bytes(end, min(end + _WINDOW, source.size)))
        if place:
            return end + place
        end += SHARE
    return source.size


def find_record_end(window: bytes) -> int:
    """Return where a line ends that is likely to end a record; 0 where none is in sight.

    A line without quote marks beside one with as many commas and the like is one by itself
    more often than a line inside quotes; without any such lines the first line end will do.
    """
    lines = window.split(b"\n")[1:-1]
    if not lines:
        return window.rfind(b"\n") + 1
    sizes = [
        -1 if b'"' in line or b"'" in line else sum(map(line.count, (b",", b";", b"\t", b"|")))
        for line in lines
    ]
    most = max(sizes)
    place = window.index(b"\n") + 1
    for before, after, line in zip(sizes, sizes[1:], lines, strict=False):
        place += len(line) + 1
        if before == after == most >= 0:
            return place
    return window.index(b"\n") + 1


def find_last_record(run: StepsRun, source: Source, end: int, state: tuple[bool, ...]) -> int:
    """Return where the record begins that is not ended yet at some place, as far as can be told.

    Where only the record behind tells where one ends, the next share begins with that one.

    Parameters
    ----------
    run : the steps, which know the heading
    """
    if not run.needs_next:
        return end
    begin = max(len(source.encoding.mark), end - _PROBE)
    begin += source.read_bytes(begin, end).find(b"\n") + 1
    run.start_at(1, Report(), state)
    try:
        for block, _ in source.read_stretch(begin, end):
            for _ in run.take(Stretch(block, True, False)):
                pass
    except WetCombError:  # it is told where it counts
        return end
    return end - (run.give_back() or 0)
