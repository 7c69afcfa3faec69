"""The parser: commands and their options, made from the steps' own definitions.

argparse, with what people expect of a command line put right: no abbreviated options, one
line for an error, the nearest right word, and a hint where a value begins with a dash.
"""

from __future__ import annotations

import argparse
import re
from collections.abc import Sequence
from typing import Any, NoReturn, Protocol, get_args

from wetcomb.core.errors import UsageError, find_nearest
from wetcomb.steps.step import Option, Step, list_options

__all__ = ["Command", "Parser", "add_step_options", "read_step_options", "split_commas"]


class Command(Protocol):
    """A command: what the help says of it, and what it does.

    Attributes
    ----------
    name, operands : for the help
    """

    name: str
    operands: str

    @property
    def summary(self) -> str:
        """What the list of commands says of it."""
        ...

    @property
    def description(self) -> str:
        """What its own help says first."""
        ...

    def add_options(self, parser: Parser) -> None:
        """Add the options of this command."""
        ...

    def run(self, arguments: argparse.Namespace) -> int:
        """Run this command; return the exit status."""
        ...


class Parser(argparse.ArgumentParser):
    """argparse that raises UsageError instead of printing and leaving."""

    def __init__(self, **settings: Any) -> None:
        settings.setdefault("formatter_class", _HelpFormatter)
        super().__init__(allow_abbrev=False, add_help=False, **settings)
        self._optionals.title = "other"

    def error(self, message: str) -> NoReturn:
        raise UsageError(self._improve(message))

    def _improve(self, message: str) -> str:
        missing = re.match(r"argument (\S+?)(?:/(\S+))?: expected one argument", message)
        if missing:
            flag = missing[1]
            return f"{flag} needs a value; write a value that begins with a dash as {flag}='->'"
        several = re.match(r"argument (\S+?)(?:/\S+)?: expected (\d+) arguments", message)
        if several:
            values = self._option_string_actions[several[1]].metavar or ()
            return f"{several[1]} needs {several[2]} values: {' '.join(values)}"
        choice = re.match(
            r"argument (\S+?)(?:/\S+)?: invalid choice: '?(.*?)'? \(choose from (.*)\)", message
        )
        if choice:
            words = [word.strip("' ") for word in choice[3].split(",")]
            what = "unknown command" if choice[1] == "COMMAND" else f"{choice[1]}: unknown value"
            return f"{what} {choice[2]!r}{find_nearest(choice[2], words) or '; one of: ' + ' '.join(words)}"
        return message


class _HelpFormatter(argparse.RawDescriptionHelpFormatter):
    """Help in groups, an option a line, the text beside it."""

    def __init__(self, prog: str) -> None:
        super().__init__(prog, max_help_position=28, width=100)

    def _format_action_invocation(self, action: argparse.Action) -> str:
        if not action.option_strings or action.nargs == 0:
            return super()._format_action_invocation(action)
        named = action.metavar or ""
        values = " ".join(named) if isinstance(named, tuple) else named
        return f"{', '.join(action.option_strings)} {values}".strip()


def add_step_options(parser: Parser, step: type[Step]) -> None:
    """Add every option of a step, in groups, as its class defines them."""
    groups: dict[str, Any] = {}
    for entry in list_options(step):
        if entry.group not in groups:
            groups[entry.group] = parser.add_argument_group(entry.group)
        flags = [entry.short, entry.flag] if entry.short else [entry.flag]
        settings: dict[str, Any] = {"dest": f"option_{entry.name}", "default": None}
        settings["help"] = (step.tell_way(entry.name) + _describe(entry)).replace("%", "%%")
        if entry.is_switch:
            settings["action"] = "store_true"
        else:
            settings["metavar"] = entry.parts or _find_metavar(entry)
            settings["action"] = "append" if entry.is_repeatable else "store"
        if entry.parts:
            settings["nargs"] = len(entry.parts)
        groups[entry.group].add_argument(*flags, **settings)


def _find_metavar(entry: Option) -> str:
    """Return what stands for an option's value in the help."""
    if entry.words:
        return "|".join([*entry.words, "N,N" if entry.is_repeatable else "N"])
    if entry.choices:
        return "|".join(filter(None, entry.choices))
    return "N" if entry.is_number and not entry.is_repeatable else "TEXT"


def _describe(entry: Option) -> str:
    example = f" ({entry.example})" if entry.example and not entry.choices else ""
    is_list = entry.is_repeatable and not entry.has_commas
    more = "; may be repeated" if is_list else ""
    return f"{entry.help}{example}{more}"


def read_step_options(step: type[Step], arguments: argparse.Namespace) -> dict[str, Any]:
    """Return the options of a step that were given, as its class takes them.

    Raises
    ------
    UsageError : a value that cannot be taken
    """
    given = {}
    for entry in list_options(step):
        value = getattr(arguments, f"option_{entry.name}", None)
        if value is not None:
            given[entry.name] = _read_value(entry, value)
    return given


def _read_value(entry: Option, value: Any) -> Any:
    if entry.is_switch:
        return True
    if entry.words:
        return _read_number_or_word(entry, value if isinstance(value, list) else [value])
    if entry.parts:
        return tuple(tuple(one) for one in value)
    if entry.is_repeatable and entry.is_number:
        return tuple(_read_number(entry, word) for text in value for word in text.split(","))
    if entry.is_repeatable:
        if not entry.has_commas:
            return tuple(value)
        return tuple(word for text in value for word in split_commas(text))
    if entry.is_number:
        return _read_number(entry, value)
    if entry.choices and value not in entry.choices:
        raise UsageError(
            f"{entry.flag}: unknown value {value!r}{find_nearest(value, entry.choices) or '; one of: ' + ' '.join(filter(None, entry.choices))}"
        )
    return value


def _read_number_or_word(entry: Option, texts: Sequence[str]) -> Any:
    """Return a number, several, or one of the words that may stand in their place."""
    words = [word.strip() for text in texts for word in text.split(",")]
    if len(words) == 1 and words[0] in entry.words:
        return words[0]
    if str in get_args(entry.type) and not all(word.isdecimal() for word in words):
        return ",".join(words)  # the step reads it
    if not words[0].lstrip("+-").isdecimal():
        raise UsageError(
            f"{entry.flag}: unknown value {words[0]!r}{find_nearest(words[0], entry.words) or '; give whole numbers or one of: ' + ' '.join(entry.words)}"
        )
    numbers = tuple(_read_number(entry, word) for word in words)
    if entry.is_repeatable:
        return numbers
    if len(numbers) > 1:
        raise UsageError(f"{entry.flag} takes one value, found {', '.join(words)!r}")
    return numbers[0]


def _read_number(entry: Option, text: str) -> int:
    try:
        number = int(text)
    except ValueError as error:
        raise UsageError(
            f"{entry.flag} takes whole numbers, found {text!r}; for example {entry.flag} {entry.example}"
        ) from error
    entry.check_limits(number)
    return number


def split_commas(text: str) -> Sequence[str]:
    """Return the words between commas; a comma within one is written as backslash comma."""
    return [word.replace("\\,", ",").strip() for word in re.split(r"(?<!\\),", text)]
