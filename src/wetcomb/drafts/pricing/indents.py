"""What it costs where lines begin and end otherwise than a chain explains."""

from __future__ import annotations

from collections.abc import Sequence

from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step
from wetcomb.steps.unwrap.options import Unwrap

__all__ = ["price_indents"]

_EARLY = 3.0  # a line joined to the next, whose first word it had room for
_USUAL = 0.8  # of all lines that go on are no longer
_OUTDENTED = 8.0  # a line that goes on with a record and stands further left
_INSET, _DEEPER = 8.0, 2  # a record further in than others by so much, which nothing tells of


def price_indents(lines: Sequence[str], roles: Sequence[str], steps: Sequence[Step]) -> float:
    """Return the bits of lines that stand further out or in than they would, or end too early.

    Parameters
    ----------
    roles : what each line is: r begins a record, c goes on with one
    """
    bits = _OUTDENTED * _count_outdented(lines, roles, steps)
    bits += _INSET * _count_inset(lines, roles, steps)
    return bits + _EARLY * _count_early(lines, roles, steps)


def _count_outdented(lines: Sequence[str], roles: Sequence[str], steps: Sequence[Step]) -> int:
    """Return how many lines go on with a record and stand further left than it begins."""
    if not any(step.name == "unwrap" for step in steps):
        return 0
    number, begin = 0, 0
    for line, role in zip(lines, roles, strict=True):
        indent = len(line) - len(line.lstrip())
        if role == "r":
            begin = indent
        elif role[0] == "c":
            number += indent < begin
    return number


def _count_early(lines: Sequence[str], roles: Sequence[str], steps: Sequence[Step]) -> int:
    """Return how many lines are joined to the next though its first word would have stood on them, if most are."""
    if not any(isinstance(step, Unwrap) and step.glue == " " for step in steps):
        return 0
    lines = [line.rstrip() for line in lines]
    pairs = [
        (len(lines[k - 1]), len(lines[k].split()[0]))
        for k in range(1, len(lines))
        if roles[k][0] == "c" and roles[k - 1][0] in "rc"
    ]
    lengths = sorted(length for length, _ in pairs)
    width = lengths[int(_USUAL * (len(lengths) - 1))] if lengths else 0
    number = sum(length + 1 + word <= width for length, word in pairs)
    return number if 2 * number > len(pairs) else 0  # lines that were filled, some less


def _count_inset(lines: Sequence[str], roles: Sequence[str], steps: Sequence[Step]) -> int:
    """Return how many records begin further in than others, where a mark parts fields and no level is told.

    First cells that end in one column are aligned by that.
    """
    splits = [step for step in steps if isinstance(step, Split) and not step.column]
    if len(splits) != 1 or any(step.name == "unwrap" for step in steps):
        return 0
    split = splits[0]
    is_cut_so = bool(split.edges) or "\t" in split.literals  # blanks say which cell it is
    if is_cut_so or split.group or split.wrapped or split.records_at != "newline":
        return 0
    lines = [line for line, role in zip(lines, roles, strict=True) if role == "r" and line.strip()]
    indents = [len(line) - len(line.lstrip()) for line in lines]
    ends = {indent + len(line.split()[0]) for indent, line in zip(indents, lines, strict=True)}
    least = min(indents, default=0)
    return sum(indent >= least + _DEEPER for indent in indents) if len(ends) > 1 else 0
