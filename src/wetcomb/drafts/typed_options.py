"""Steps and options as they are typed."""

from __future__ import annotations

import shlex
from collections.abc import Mapping, Sequence, Set
from contextlib import suppress
from typing import Any

from wetcomb.combs.part import Part
from wetcomb.core.errors import UsageError
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import AUTO, Option, Step, list_options

__all__ = ["type_chain", "type_given", "type_options", "type_part", "type_shortly", "type_steps"]


def type_steps(steps: Sequence[Step]) -> tuple[str, ...]:
    """Return each step as a command without its input."""
    return tuple(" ".join([step.name, *type_options(step)]) for step in steps)


def type_chain(steps: Sequence[str], part: Part) -> str:
    """Return steps as one command; `{input}` stands for the file."""
    name, _, options = steps[0].partition(" ")
    words = [f"wetcomb {name} {{input}}", *type_part(part), options]
    return " ".join(filter(None, [*words, *(f"+ {step}" for step in steps[1:])]))


def type_shortly(steps: Sequence[Step]) -> tuple[str, ...]:
    """Return each step as a command without its input, nor what follows from its other options."""
    return tuple(" ".join([step.name, *type_options(step, _find_implied(step))]) for step in steps)


def _find_implied(step: Step) -> frozenset[str]:
    """Return the options of a step that it would have without their being stated."""
    stated = {entry.name: getattr(step, entry.name) for entry in list_options(type(step))}
    implied: set[str] = set()
    for name in stated:
        others = {key: value for key, value in stated.items() if key not in {*implied, name}}
        with suppress(UsageError):
            if type(step)(**others) == step:
                implied.add(name)
    return frozenset(implied)


def type_options(step: Step, left_out: Set[str] = frozenset()) -> list[str]:
    """Return the options of a step, but for those that are as they would be anyway."""
    told = []
    for entry in list_options(type(step)):
        if entry.name in left_out:
            continue
        value = getattr(step, entry.name)
        if value in (AUTO, (), 0) or value == entry.default:
            continue
        cuts_else = isinstance(step, Split) and (step.edges or step.per_record)
        if entry.name == "delimiter" and value == ("none",) and cuts_else:
            continue
        told.append(_type_option(entry, value))
    return told


def type_given(given: Mapping[str, Any]) -> list[str]:
    """Return options of `Split` that were stated, all of them."""
    entries = {entry.name: entry for entry in list_options(Split)}
    return [_type_option(entries[name], value) for name, value in given.items() if value != ()]


def type_part(part: Part) -> list[str]:
    """Return the options that say which part of a text is meant."""
    words = [f"--lines {part.lines}"] if part.lines else []
    words += [f"--from{_join(text)}" for text in part.from_]
    return words + [f"--to{_join(text)}" for text in part.to]


def _type_option(entry: Option, value: Any) -> str:
    flag = entry.short or entry.flag
    if entry.is_switch:
        return flag
    values = value if isinstance(value, tuple) else (value,)
    if not entry.has_commas:
        return " ".join(f"{flag}{_join(str(one))}" for one in values)
    return f"{flag}{_join(','.join(map(str, values)))}"


def _join(value: str) -> str:
    return f"={shlex.quote(value)}" if value.startswith("-") else f" {shlex.quote(value)}"
