"""The fields of a pattern: how they are written, and their names from the line above the records.

Every repeat has a bound, so that lines of any length are looked at.
"""

from __future__ import annotations

import re

from wetcomb.drafts.proposals.body import Body
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.pull.options import Pull
from wetcomb.steps.step import Step

__all__ = [
    "EDGE", "FIGURE", "GAP", "GLUE", "LAST", "PATTERN", "WORDS", "name_fields", "tie_figures",
]  # fmt: skip

PATTERN = 16.0  # bits of a pattern beyond its fields and its text

FIGURE = r"(?=[^\s\d]{0,40}\d)\S{1,80}"  # one piece that holds a figure
WORDS, LAST = (
    r"[^ \t]{1,90}(?: [^ \t]{1,90}){0,30}?",
    r"\S.{0,2000}",
)  # up to what must follow; up to the end
GAP, EDGE = r" {1,80}", r"[ \t]{0,80}"  # between fields; where there may be blanks

_DATE = re.compile(
    r"(?<!\d)\d{1,2}\.? (?:de )?[^\W\d_]{3,12}\.?,? (?:de )?(?:1[5-9]|2\d)\d\d(?!\d)|[^\W\d_]{3,12}\.? \d{1,2}, \d{4}"
)
_UNIT = re.compile(
    r"(?<![^\s])(\d[\d.,]*) ([€£$₽%‰°])(?=\s|$)|(?<![^\s])([A-Z]{0,3}[€£$₽]|[A-Z]{3}) (\d[\d.,]*)(?=\s|$)"
)
GLUE = "\0"


def tie_figures(line: str) -> str:
    """Return a line with `GLUE` for the blanks within dates, and between a figure and its unit or currency."""
    for regex in (_DATE, _UNIT):
        line = regex.sub(lambda found: found[0].replace(" ", GLUE), line)
    return line


def name_fields(pull: Pull, body: Body, first: int) -> tuple[Step, ...]:
    """Return a pull with the step that names its fields, where the line above its first record does."""
    fields = compile_pattern(pull.each[0]).fields
    names = body.find_names(first, len(fields))
    if not names or any(_UNSAFE.intersection(name) for name in names):
        return (pull,)
    pairs = tuple(f"{field}={name}" for field, name in zip(fields, names, strict=True))
    return pull, Clean(rename=pairs)


_UNSAFE = frozenset('=,"')  # of a name that would have to stand in quotes
