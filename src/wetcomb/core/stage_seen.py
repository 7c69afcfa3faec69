"""What a step of a chain made, to be shown: how much came in and went out, how it begins, what changed."""

from __future__ import annotations

import msgspec

__all__ = ["StageSeen"]


class StageSeen(msgspec.Struct, frozen=True):
    """A step of a chain as it is shown.

    Attributes
    ----------
    name : of the step
    number : its place in the chain, from 1
    n_before, n_after : lines or records that came in and went out
    unit_before, unit_after : `line` or `record`
    names : of the columns, where a table came out
    rows : its first records, each with its line; of a text its first lines
    dropped : what was left out here, by reason, in characters
    snags_made, snags_settled : records that do not fit since this step, and those that fit now
    n_changed : records of which some cell is another now, where the step reads a table
    """

    name: str
    number: int
    n_before: int
    n_after: int
    unit_before: str
    unit_after: str
    names: tuple[str, ...]
    rows: tuple[tuple[int, tuple[str | None, ...]], ...]
    dropped: tuple[tuple[str, int], ...]
    snags_made: int = 0
    snags_settled: int = 0
    n_changed: int = 0
