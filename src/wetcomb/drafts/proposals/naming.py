"""Names for the fields of a pattern, from the line above its records."""

from __future__ import annotations

from wetcomb.drafts.proposals.body import Body
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.pull.options import Pull
from wetcomb.steps.step import Step

__all__ = ["name_fields"]


def name_fields(pull: Pull, body: Body, first: int) -> tuple[Step, ...]:
    """Return a pull with the step that names its fields, where the line above its first record does."""
    fields = compile_pattern(pull.each[0]).fields
    names = body.find_names(first, len(fields))
    if not names or any(_UNSAFE.intersection(name) for name in names):
        return (pull,)
    pairs = tuple(f"{field}={name}" for field, name in zip(fields, names, strict=True))
    return pull, Clean(rename=pairs)


_UNSAFE = frozenset('=,"')  # of a name that would have to stand in quotes
