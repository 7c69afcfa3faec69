"""The fields of a pattern: how they are written, and their names from the line above the records.

Every repeat has a bound, so that lines of any length are looked at.
"""

from __future__ import annotations

from wetcomb.drafts.proposals.body import Body
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.pull.options import Pull
from wetcomb.steps.step import Step

__all__ = ["EDGE", "FIGURE", "GAP", "LAST", "PATTERN", "WORDS", "name_fields"]

PATTERN = 16.0  # bits of a pattern beyond its fields and its text

FIGURE = r"\S{0,40}\d\S{0,40}"  # one piece that holds a figure
WORDS, LAST = r"\S.{0,200}?", r"\S.{0,2000}"  # up to what must follow; up to the end
GAP, EDGE = r" {1,80}", r"[ \t]{0,80}"  # between fields; where there may be blanks


def name_fields(pull: Pull, body: Body, first: int) -> tuple[Step, ...]:
    """Return a pull with the step that names its fields, where the line above its first record does."""
    fields = compile_pattern(pull.each[0]).fields
    names = body.find_names(first, len(fields))
    if not names or any(_UNSAFE.intersection(name) for name in names):
        return (pull,)
    pairs = tuple(f"{field}={name}" for field, name in zip(fields, names, strict=True))
    return pull, Clean(rename=pairs)


_UNSAFE = frozenset('=,"')  # of a name that would have to stand in quotes
