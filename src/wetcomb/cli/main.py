# PYTHON_ARGCOMPLETE_OK
"""The program `wetcomb`: finds the command, runs it, turns errors into one line and a status.

Exit status: 0 done; 1 done, but with snags beyond what is allowed, or the text does not fit
the comb; 2 nothing done.
"""

from __future__ import annotations

import argparse
import os
import re
import signal
import sys
from collections.abc import Sequence
from contextlib import suppress
from functools import cached_property
from importlib import import_module
from io import TextIOWrapper
from pathlib import Path
from types import ModuleType
from typing import NoReturn

from wetcomb import __version__
from wetcomb.cli.chain import part_chain, run_chain
from wetcomb.cli.parser import Command, Parser
from wetcomb.cli.steps import list_commands
from wetcomb.core.errors import BrokenPromise, CombError, UsageError, WetCombError, find_nearest

__all__ = ["build_parser", "main", "run"]


class _Module:
    """A command that is a module of its own, loaded when it is first asked for anything."""

    def __init__(self, name: str, operands: str = "[INPUT ...]") -> None:
        self.name, self.operands = name, operands

    @cached_property
    def _module(self) -> ModuleType:
        return import_module(f"wetcomb.cli.{self.name}")

    @property
    def summary(self) -> str:
        """What the list of commands says of it."""
        return str(self._module.SUMMARY)

    @property
    def description(self) -> str:
        """What its own help says first."""
        return str(self._module.DESCRIPTION)

    def add_options(self, parser: Parser) -> None:
        """Add the options of this command."""
        self._module.add_options(parser)

    def run(self, arguments: argparse.Namespace) -> int:
        """Run this command; return the exit status."""
        return int(self._module.run(arguments))


#: Every command by its name, in the order of the help.
_LISTED: tuple[Command, ...] = (
    _Module("inspect"),
    _Module("rebuild"),
    _Module("draft"),
    *list_commands(),
    _Module("check", "INPUT --comb FILE"),
    _Module("compare", "OLD NEW"),
    _Module("demo", "[FOLDER]"),
    _Module("help", "TOPIC"),
    _Module("completion", "SHELL"),
)
_COMMANDS = {command.name: command for command in _LISTED}

_MOMENT = 0.05  # seconds
_FILED = "--options"  # what reads options from a file
_DESCRIPTION = """\
Rebuild clean records from pasted text, and prove that no character went missing.

  wetcomb paste.txt                         look at what is in it, and what to type next
  wetcomb rebuild paste.txt -o clean.csv    write the table
  wetcomb demo                              see the whole job on made-up data
"""


def build_parser(command: str = "") -> Parser:
    """Return the parser of the command line: with one command, or with all of them."""
    parser = Parser(prog="wetcomb", description=_DESCRIPTION)
    parser.add_argument(
        "-h", "--help", action="help", help="show this help; wetcomb COMMAND --help says more"
    )
    parser.add_argument("--version", action="version", version=f"wetcomb {__version__}")
    commands = parser.add_subparsers(metavar="COMMAND", dest="command", title="commands")
    for name, one in _COMMANDS.items():
        if command in _COMMANDS and command != name:
            continue  # the others would only take time
        sub = commands.add_parser(
            name,
            help=one.summary,
            description=one.description,
            usage=f"wetcomb {name} [options] {one.operands}",
        )
        one.add_options(sub)
    return parser


def main(words: Sequence[str] | None = None) -> int:
    """Run the program; return its exit status."""
    if "_ARGCOMPLETE" in os.environ:
        import argcomplete

        argcomplete.autocomplete(build_parser())
    signal.signal(signal.SIGTERM, _stop)
    sys.unraisablehook = _stop_again
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # no algebra here; NumPy loads faster
    words = list(sys.argv[1:] if words is None else words)
    _be_lenient()
    try:
        segments = part_chain(words, _list_valued)
        if len(segments) > 1:
            status = run_chain(segments, _parse, _COMMANDS)
        else:
            _, arguments = _parse(words)
            status = _COMMANDS[arguments.command].run(arguments)
        if sys.stdout is not None:  # it may be closed
            sys.stdout.flush()
        return status
    except CombError as error:  # several faults at once, a line each
        return _fail(*str(error).split("\n"))
    except WetCombError as error:
        return _fail(str(error))
    except BrokenPromise as error:
        return _fail(f"this is a fault of wetcomb, not of the text: {error}; nothing was written")
    except MemoryError:
        return _fail("not enough memory for this; nothing was written")
    except KeyboardInterrupt:
        return _fail("stopped; nothing was written", status=130)
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except OSError as error:
        return _fail(
            f"{error.filename or 'a temporary file'}: {error.strerror or error}; nothing was written"
        )
    except Exception as error:
        if isinstance(error.__cause__, KeyboardInterrupt):  # it came while a class was made
            return _fail("stopped; nothing was written", status=130)
        return _fail(f"this is a fault of wetcomb: {type(error).__name__}: {error}")


def run() -> NoReturn:
    """Run the program, and leave at once: to take NumPy down takes as long as many a job."""
    status = main()
    if sys.stderr is not None:
        with suppress(OSError):
            sys.stderr.flush()
    os._exit(status)


def _be_lenient() -> None:
    """Have what is said to people never fail: signs a terminal cannot show, a width of none."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, TextIOWrapper):
            stream.reconfigure(errors="replace")
    if not os.environ.get("COLUMNS", "1").strip("0"):
        del os.environ["COLUMNS"]


def _list_valued(command: str) -> frozenset[str]:
    """Return the options of a command that want a value."""
    if command not in _COMMANDS:
        return frozenset()
    actions = _find_command(build_parser(command), command)._actions
    flags = (flag for action in actions if action.nargs != 0 for flag in action.option_strings)
    return frozenset(flags)


def _parse(words: list[str]) -> tuple[Parser, argparse.Namespace]:
    """Return what the words of a command say, and the command's own parser."""
    known = list(_COMMANDS)
    if words and words[0] not in known and (words[0] == "-" or Path(words[0]).is_file()):
        words = ["inspect", *words]  # a file alone is looked at
    parser = build_parser(words[0] if words else "")
    if words and words[0] in known and any(word.partition("=")[0] == _FILED for word in words):
        from wetcomb.cli.option_files import read_option_files

        flags = {
            flag
            for action in _find_command(parser, words[0])._actions
            for flag in action.option_strings
        }
        words = read_option_files(words, flags) if _FILED in flags else words
    if not words:
        parser.print_help()
        raise SystemExit(2)
    first = words[0]
    if not first.startswith("-") and first not in known:
        if "." in first or "/" in first:  # no command is written so: a file was meant
            from wetcomb.files.opening import open_source

            open_source(first).close()
        what = find_nearest(first, known)
        raise UsageError(f"unknown command {first!r}{what or '; one of: ' + ' '.join(known)}")
    arguments, unknown = parser.parse_known_args(_join_numbers(words))
    if unknown:
        raise UsageError(_tell_unknown(parser, arguments.command, unknown[0]))
    if arguments.command is None:
        raise UsageError(f"no command is given; one of: {' '.join(known)}")
    return _find_command(parser, arguments.command), arguments


def _find_command(parser: Parser, command: str | None) -> Parser:
    if command is None:
        return parser
    commands = next(
        action for action in parser._actions if isinstance(action, argparse._SubParsersAction)
    )
    found: Parser = commands.choices[command]
    return found


def _join_numbers(words: list[str]) -> list[str]:
    """Join an option and a list of numbers that begins with a minus: `--take -1,2`."""
    joined: list[str] = []
    for word in words:
        if joined and joined[-1].startswith("--") and re.fullmatch(r"-\d+(,-?\d+)*", word):
            joined[-1] += f"={word}"
        else:
            joined.append(word)
    return joined


def _tell_unknown(parser: Parser, command: str | None, word: str) -> str:
    options = [
        flag for action in _find_command(parser, command)._actions for flag in action.option_strings
    ]
    word = word.split("=")[0]
    if not word.startswith("-"):
        more = "; numbers are parted by commas (12,30)" if word.isdecimal() else ""
        return f"{command}: do not know what to do with {word!r}{more}"
    where = f"{command}: " if command is not None else ""
    return f"{where}unknown option {word!r}{find_nearest(word, options)}"


def _fail(*messages: str, status: int = 2) -> int:
    from wetcomb.views.blocks import make_visible

    said = "".join(f"wetcomb: {make_visible(line)}\n" for line in messages)
    if sys.stderr is not None:  # it may be closed, or full: the status says as much
        with suppress(OSError):
            sys.stderr.write(said)
            sys.stderr.flush()
    return status


def _stop(signal_number: int, frame: object) -> NoReturn:
    raise KeyboardInterrupt


def _stop_again(ignored: sys.UnraisableHookArgs) -> None:
    """Let a stop that came where nothing can be raised come again a moment later."""
    if issubclass(ignored.exc_type, KeyboardInterrupt) and hasattr(signal, "setitimer"):
        signal.signal(signal.SIGALRM, _stop)
        signal.setitimer(signal.ITIMER_REAL, _MOMENT)
    else:
        sys.__unraisablehook__(ignored)
