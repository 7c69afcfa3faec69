"""Chains: steps parted by a lone `+`, run in one process with one ledger.

Where an option wants a value, `+` is that value.
"""

from __future__ import annotations

import argparse
from collections.abc import Callable, Mapping, Sequence

from wetcomb.cli.parser import Parser
from wetcomb.cli.steps import StepCommand, run_steps
from wetcomb.core.errors import UsageError

__all__ = ["part_chain", "run_chain"]

_SIGN = "+"


def run_chain(
    segments: Sequence[list[str]],
    parse: Callable[[list[str]], tuple[Parser, argparse.Namespace]],
    commands: Mapping[str, object],
) -> int:
    """Run a chain; the input stands with its first step, all else with any.

    Parameters
    ----------
    segments : the words of each step, as `part_chain` gives them
    parse : reads the words of one step; returns its command's parser too
    commands : every command by its name

    Raises
    ------
    UsageError : a step is missing or is none, or an option is given twice
    """
    merged: argparse.Namespace | None = None
    given = []
    for number, segment in enumerate(segments, 1):
        if not segment:
            raise UsageError(
                f"'+' stands between steps, but there is none {'before' if number == 1 else 'behind'} it; a file of that name is ./+"
            )
        parser, arguments = parse(segment)
        command = commands[arguments.command]
        if not isinstance(command, StepCommand):
            raise UsageError(f"{arguments.command} is no step; '+' stands between steps")
        given.append(command.read(arguments))
        if merged is None:
            merged = arguments
            continue
        if arguments.inputs:
            raise UsageError(
                f"{arguments.inputs[0]!r} stands behind '+'; the input stands with the first step"
            )
        _merge(merged, arguments, parser)
    assert merged is not None
    return run_steps(merged, given)


def part_chain(
    words: Sequence[str], list_valued: Callable[[str], frozenset[str]]
) -> list[list[str]]:
    """Return the words of each step of a command line; of a single command all of them.

    Parameters
    ----------
    list_valued : the options of a command that want a value; none for what is no command
    """
    segments: list[list[str]] = [[]]
    valued: frozenset[str] = frozenset()
    for word in words:
        if word == _SIGN and not (segments[-1] and segments[-1][-1] in valued):
            segments.append([])
            continue
        if not segments[-1] and _SIGN in words:
            valued = list_valued(word)
        segments[-1].append(word)
    return segments


def _merge(merged: argparse.Namespace, later: argparse.Namespace, parser: Parser) -> None:
    """Take over what a later step says about the part, the output and the account."""
    for name, value in vars(later).items():
        if name.startswith("option_") or name in ("command", "inputs"):
            continue
        default = parser.get_default(name)
        if value in (default, [], None, "", False):
            continue
        if getattr(merged, name, default) not in (default, [], None, "", False, value):
            raise UsageError(
                f"--{name.strip('_').replace('_', '-')} is given twice with different values"
            )
        setattr(merged, name, value)
