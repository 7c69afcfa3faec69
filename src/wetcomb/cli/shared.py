"""What the commands share: options for input and output, and the inputs that were named."""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from wetcomb.cli.parser import Parser
from wetcomb.core.errors import UsageError
from wetcomb.files.formats.table import READ_AS

if TYPE_CHECKING:
    from wetcomb.combs.part import Part
    from wetcomb.core.decoded import Sample
    from wetcomb.drafts.examples.example import Example
    from wetcomb.jobs.settings import JobSettings

__all__ = [
    "READ_AS",
    "READ_WORDS",
    "add_hints",
    "add_input",
    "add_other",
    "find_inputs",
    "find_part",
    "first_of",
    "quote_argument",
    "read_all_examples",
    "read_settings",
    "type_hints",
    "type_reading",
]

#: How the columns of a table can be parted that is read as one.
READ_WORDS = ("comma", "tab", "semicolon", "pipe", "csv", "tsv", "jsonl")


def add_input(parser: Parser, *, takes_tables: bool = False) -> None:
    """Add the input and how it is read."""
    group = parser.add_argument_group("input")
    group.add_argument(
        "inputs",
        nargs="*",
        metavar="INPUT",
        help="files to read one after another; - or nothing for standard input",
    )
    group.add_argument(
        "--encoding",
        metavar="NAME",
        default="",
        help="what the text is written in, where it is found wrongly (cp1252)",
    )
    ways = (*READ_WORDS, "mail") if takes_tables else ("mail",)
    table = f"{' '.join(READ_WORDS)}: a table with a heading, its columns parted by that; "
    group.add_argument(
        "--read",
        choices=ways,
        metavar="NAME",
        default="",
        help=f"what the input is. {table * takes_tables}csv and tsv are comma and tab, jsonl an object a line; mail: mails to be decoded, as files are whose name ends in .eml or .mbox",
    )
    part = parser.add_argument_group("which part of the text")
    part.add_argument(
        "--lines", metavar="N-N", default="", help="only these lines, counted from 1 (4-88)"
    )
    part.add_argument(
        "--from",
        dest="from_",
        action="append",
        default=[],
        metavar="TEXT",
        help="only from the first line that begins so, as a pattern ('Boat {gap} Lock')",
    )
    part.add_argument(
        "--to",
        action="append",
        default=[],
        metavar="TEXT",
        help="only up to the next line that begins so, as a pattern ('Total {number}')",
    )
    part.add_argument(
        "--part",
        metavar="N|NAME",
        help="only this part, as wetcomb inspect numbers them (2); of mails the attached file of that name (fields.csv)",
    )


def add_hints(parser: Parser) -> None:
    """Add what says that the fields of a text are labelled, and which way of several is meant."""
    group = parser.add_argument_group("where fields are labelled")
    group.add_argument(
        "--label",
        action="append",
        default=[],
        metavar="TEXT",
        help="a label, as wetcomb pull takes it: only these are columns ('Boat|Vessel as boat'); may be repeated",
    )
    parser.add_argument_group("by example").add_argument(
        "--examples",
        type=Path,
        metavar="FILE",
        help="take examples from a file: a table (csv) or JSON lines, whose column or key @ is the source line, or one a line as --example takes it (wanted.csv)",
    )
    parser.add_argument_group("where several ways are near").add_argument(
        "--way",
        type=read_way,
        default=1,
        metavar="N",
        help="take the way that inspect numbers so; 1 is the best (2)",
    )


def read_all_examples(arguments: argparse.Namespace, given: dict[str, Any]) -> list[Example]:
    """Return the examples that were typed, taken out of the options, and those of a file.

    Raises
    ------
    UsageError : one is none, or the file cannot be read
    """
    texts, mark = given.pop("example", ()), given.pop("example_mark", None)
    if mark is not None and not texts and arguments.examples is None:
        raise UsageError("--example-mark parts the cells of an --example; there is none")
    if not texts and arguments.examples is None:
        return []
    if arguments.way > 1:
        raise UsageError("--way and --example contradict each other: an example says which way is meant")  # fmt: skip
    from wetcomb.drafts.examples.example import MARK, read_example, read_examples

    found = [read_example(text, mark or MARK) for text in texts]
    if arguments.examples is not None:
        try:
            raw = arguments.examples.read_text(encoding="utf-8-sig")
        except (OSError, UnicodeDecodeError) as error:
            why = error.strerror if isinstance(error, OSError) else "it is no UTF-8 text"
            raise UsageError(f"--examples {arguments.examples}: {why}") from error
        found += read_examples(str(arguments.examples), raw)
    return found


def type_hints(arguments: argparse.Namespace) -> list[str]:
    """Return what was stated of a text beside the options of its split, as it is typed again."""
    labels = [f"--label {quote_argument(label)}" for label in arguments.label]
    if arguments.examples is not None:
        labels.append(f"--examples {quote_argument(str(arguments.examples))}")
    return [*labels, *([f"--way {arguments.way}"] if arguments.way > 1 else [])]


def _make_reader(what: str, hint: str) -> Callable[[str], int]:
    """Return what reads a number that is counted from 1."""

    def read(text: str) -> int:
        if not text.isascii() or not text.isdecimal() or int(text) < 1:
            raise argparse.ArgumentTypeError(f"{text!r} is no number of a {what}; {hint}")
        return int(text)

    return read


read_number = _make_reader("step", "the first is 1")
read_way = _make_reader("way", "inspect numbers them from 1")
read_line = _make_reader("line", "lines are counted from 1")


def add_other(parser: Parser) -> argparse._ArgumentGroup:
    """Add the options every command has; return their group."""
    group = parser.add_argument_group("other")
    group.add_argument(
        "--options",
        metavar="FILE",
        help="read options from a file, one a line, their values as they stand (marks.txt)",
    )
    group.add_argument("--quiet", action="store_true", help="say nothing but errors")
    group.add_argument(
        "--no-color", action="store_true", help="no colours; the variable NO_COLOR does the same"
    )
    group.add_argument("-h", "--help", action="help", help="show this help")
    return group


def find_part(arguments: argparse.Namespace, sample: Callable[[], Sample] | None = None) -> Part:
    """Return which part of the text is meant; `sample` is read where a part is named by number.

    Raises
    ------
    UsageError : it is said in two ways, or there is no such part
    """
    from wetcomb.combs.part import Part

    if arguments.part is None:
        return Part(arguments.lines, tuple(arguments.from_), tuple(arguments.to))
    if arguments.lines or arguments.from_ or arguments.to:
        raise UsageError("--part and --lines, --from or --to contradict each other")
    if sample is None or not arguments.part.isdecimal():
        return Part()
    from wetcomb.drafts.parts import find_parts

    looked = sample()
    parts = find_parts(looked.data, is_whole=looked.is_whole)
    number = int(arguments.part)
    if not 1 <= number <= len(parts):
        raise UsageError(
            f"--part {arguments.part}: there {'is' if len(parts) == 1 else 'are'} {len(parts)}; wetcomb inspect lists them"
        )
    found = parts[number - 1].move(looked.first_line - 1)
    return Part(found.lines)


def read_settings(arguments: argparse.Namespace) -> JobSettings:
    """Return what a job is told of where it reads and writes.

    Raises
    ------
    UsageError : there is no input, or a number is out of its range
    """
    import msgspec

    from wetcomb.jobs.settings import JobSettings

    names = [entry.name for entry in msgspec.structs.fields(JobSettings)]
    given = {name: getattr(arguments, name) for name in names if hasattr(arguments, name)}
    if given.get("snags") is not None:  # a file of that name is ./apart
        given["snags_apart"] = given["snags"] == "apart"
        given["snags"] = None if given["snags_apart"] else Path(given["snags"])
    if given.get("output") is not None:
        given |= _read_output(os.fspath(given["output"]), has_many=len(arguments.inputs) > 1)
    part = getattr(arguments, "part", None) or ""
    given["mail_part"] = part if not part.isdecimal() else ""
    return JobSettings(**given | {"inputs": find_inputs(arguments)})


def first_of(settings: JobSettings) -> JobSettings:
    """Return settings that read the first input only, where each makes a table of its own."""
    from msgspec.structs import replace

    return settings if settings.folder is None else replace(settings, inputs=settings.inputs[:1])


def _read_output(text: str, *, has_many: bool) -> dict[str, Path | None]:
    """Return where to write: a file, or a folder that takes a table of each input."""
    path = Path(text)
    is_folder = text.endswith(("/", os.sep)) or (has_many and path.is_dir())
    return {"output": None, "folder": path} if is_folder else {"output": path}


def find_inputs(arguments: argparse.Namespace) -> list[str]:
    """Return the inputs that were named; standard input where none was.

    Raises
    ------
    UsageError : nothing was named and standard input is a terminal, or one is named twice
    """
    inputs: list[str] = arguments.inputs
    if not inputs and getattr(arguments, "inputs_from", None) is not None:
        return []
    if not inputs:
        if sys.stdin is None or sys.stdin.isatty():
            raise UsageError(
                f"no input: name a file, or - and paste the text (wetcomb {arguments.command} paste.txt)"
            )
        return ["-"]
    doubled = next((name for name in inputs if inputs.count(name) > 1), None)
    if doubled:
        raise UsageError(f"input {doubled!r} is named twice")
    return inputs


def type_reading(arguments: argparse.Namespace) -> list[str]:
    """Return which labels were named, how the input is read and which part is meant, as it is typed."""
    read = getattr(arguments, "read", "")
    words = [f"--label {quote_argument(text)}" for text in getattr(arguments, "label", [])]
    words += [f"--read {read}"] if read else []
    part = getattr(arguments, "part", None)
    return [*words, f"--part {quote_argument(part)}"] if part is not None else words


def quote_argument(text: str) -> str:
    """Return an argument as it is to be typed in a shell."""
    import shlex

    return shlex.quote(text)
