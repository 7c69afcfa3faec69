"""A split that says what it wants by example, settled: the steps that give it."""

from __future__ import annotations

from difflib import get_close_matches
from typing import Any

from msgspec.structs import replace

from wetcomb.combs.part import Part
from wetcomb.core.doubts import Doubt
from wetcomb.core.errors import UsageError
from wetcomb.core.table import Table
from wetcomb.drafts.examples.asking import ask
from wetcomb.drafts.examples.bases import Base, make_base
from wetcomb.drafts.examples.choosing import draft_by_examples, tell_rule
from wetcomb.drafts.examples.cuttings import Prices
from wetcomb.drafts.examples.example import Example, check_examples, read_cells, read_example
from wetcomb.drafts.examples.fitting import fit
from wetcomb.drafts.pricing.tokens import Tokens
from wetcomb.drafts.whole import Whole
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import AUTO, Step, list_options

__all__ = ["settle_column_example", "settle_text_example"]

_ARROW = "=>"
#: Options that an example of a column leaves to what is found.
_STATED_BESIDE = frozenset(["column", "example", "example_mark", "names"])
Settled = tuple[list[Step], list[str], tuple[Doubt, ...]]


def settle_text_example(
    split: Split, text: bytes, part: Part | None, first_line: int, given: dict[str, Any]
) -> tuple[Settled, Part]:
    """Return the steps that cut a text as the examples of a split want, and the part that they are for.

    Parameters
    ----------
    given : what else the split says
    """
    examples = [read_example(text, split.example_mark) for text in split.example]
    whole = Whole(text, given, part, first_line=first_line)
    made = draft_by_examples(whole, examples)
    return ([*made.comb.steps], [*made.comb.notes], made.doubts), made.comb.part


def settle_column_example(split: Split, table: Table) -> Settled:
    """Return the steps that cut a column of a table as the examples of a split want.

    Raises
    ------
    UsageError : an example is none, its value does not stand in the column, or no rule gives it
    """
    entries = {entry.name: entry.default for entry in list_options(Split)}
    usual = Split(column=split.column)
    stated = [
        name
        for name in entries
        if name not in _STATED_BESIDE and getattr(split, name) not in (AUTO, getattr(usual, name))
    ]
    if stated:
        flag = stated[0].replace("_", "-")
        raise UsageError(f"--{flag} and --example contradict each other: state the cut, or show it")
    if len(split.column) != 1:
        raise UsageError("--example with --column takes one column")
    place = table.find_column(split.column[0])
    base = make_base(table)
    rows = [[value if k == place else "" for k, value in enumerate(row)] for row in base.rows]
    base = Base(table, rows, base.lines)
    examples = _read_examples(split, table.names[place], base, place)
    check_examples(examples)
    values = base.list_values(place)
    found = fit(base, examples, Prices(Tokens(values)))
    for rule in found:
        written = rule.write(examples)
        if written is not None:
            steps = [*written[0]]
            others = [(other, other.bits - rule.bits) for other in found]
            doubts = ask(examples, rule, others)
            # its command would name a line, where an example of a column names the value
            return steps, [tell_rule(steps)], tuple(replace(one, command="") for one in doubts)
    said = split.example[0]
    raise UsageError(
        f"--example {said!r}: no rule was found that gives {'all examples' if len(examples) > 1 else 'it'}; each part must stand in the value, in a way that an option could say"
    )


def _read_examples(split: Split, name: str, base: Base, place: int) -> list[Example]:
    values = [" ".join(value.split()) for value in base.list_values(place)]
    examples = []
    for text in split.example:
        value, arrow, rest = text.partition(_ARROW)
        value = " ".join(value.split())
        if not arrow:
            raise UsageError(f"--example {text!r}: with --column it takes VALUE {_ARROW} what it is to become")  # fmt: skip
        if value not in values:
            near = get_close_matches(value, values, 1, 0.5)
            told = f"; the nearest there is {near[0]!r}" if near else ""
            raise UsageError(f"--example {text!r}: no record has {value!r} in the column {name!r}{told}")  # fmt: skip
        cells = read_cells(rest, split.example_mark)
        names = _name(split, name, len(cells))
        line = base.lines[values.index(value)][0]
        examples.append(Example(tuple(cells), names, line, text))
    return examples


def _name(split: Split, name: str, number: int) -> tuple[str, ...]:
    if split.names and len(split.names) != number:
        raise UsageError(f"--names gives {len(split.names)} names, and the example has {number} parts")  # fmt: skip
    if split.names:
        return tuple(split.names)
    return ((name,) if number == 1 else tuple(f"{name}-{k + 1}" for k in range(number)))  # fmt: skip
