"""What the commands share: options for input and output, and the inputs that were named."""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from wetcomb.cli.parser import Parser, add_step_options
from wetcomb.core.errors import UsageError
from wetcomb.files.formats.table import FORMATS, LINE_ENDS, WRITE_DELIMITERS
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step

if TYPE_CHECKING:
    from wetcomb.combs.part import Part
    from wetcomb.core.decoded import Sample
    from wetcomb.jobs.settings import JobSettings

__all__ = [
    "add_hints",
    "add_input",
    "add_job_options",
    "add_other",
    "find_inputs",
    "find_part",
    "first_of",
    "quote_argument",
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
    parser.add_argument_group("where several ways are near").add_argument(
        "--way",
        type=read_way,
        default=1,
        metavar="N",
        help="take the way that inspect numbers so; 1 is the best (2)",
    )


def type_hints(arguments: argparse.Namespace) -> list[str]:
    """Return what was stated of a text beside the options of its split, as it is typed again."""
    labels = [f"--label {quote_argument(label)}" for label in arguments.label]
    return [*labels, *([f"--way {arguments.way}"] if arguments.way > 1 else [])]


def read_number(text: str) -> int:
    """Return a number of steps.

    Raises
    ------
    argparse.ArgumentTypeError : it is none
    """
    if not text.isdecimal() or int(text) < 1:
        raise argparse.ArgumentTypeError(f"{text!r} is no number of steps; the first is 1")
    return int(text)


def read_way(text: str) -> int:
    """Return the number of a way.

    Raises
    ------
    argparse.ArgumentTypeError : it is none
    """
    if not text.isdecimal() or int(text) < 1:
        raise argparse.ArgumentTypeError(
            f"{text!r} is no number of a way; inspect numbers them from 1"
        )
    return int(text)


def add_job_options(parser: Parser, step: type[Step] = Split, *, is_step: bool = True) -> None:
    """Add all options of a command that rebuilds a table: those of its step, input and output."""
    add_step_options(parser, step)
    add_input(parser, takes_tables=is_step and step.takes_tables)
    output = parser.add_argument_group("output")
    output.add_argument(
        "-o",
        "--output",
        metavar="FILE",
        help="where to write the table; its ending says the format (clean.csv)"
        + "; DIR/: a table of each input, called after it" * (not is_step),
    )
    output.add_argument(
        "--format",
        choices=tuple(FORMATS),
        metavar="NAME",
        default="",
        help=f"the format, whatever the ending: {' '.join(FORMATS)}",
    )
    output.add_argument(
        "--force", action="store_true", help="replace files that are there already; never the input"
    )
    output.add_argument(
        "--keep-old",
        action="store_true",
        help="with --force: keep the file that is replaced, as FILE.old-1 or the next that is free",
    )
    output.add_argument(
        "--stream",
        action="store_true",
        help="write each piece to standard output once it is proved, not all at the end; `rest` is always a column then",
    )
    output.add_argument(
        "--write-delimiter",
        choices=tuple(WRITE_DELIMITERS),
        metavar="NAME",
        default="",
        help=f"what parts the values of a csv or tsv file: {' '.join(WRITE_DELIMITERS)}",
    )
    output.add_argument(
        "--write-line-ends",
        choices=tuple(LINE_ENDS),
        metavar="NAME",
        default="",
        help="what ends its lines: lf or crlf (lf)",
    )
    output.add_argument(
        "--write-mark",
        action="store_true",
        help="begin it with a byte-order mark, for programs that else read it in an old encoding",
    )
    output.add_argument(
        "--guard-formulas",
        action="store_true",
        help="put an apostrophe before its values that a spreadsheet could take for a formula",
    )
    output.add_argument(
        "--missing-as", metavar="TEXT", default="", help="what a missing cell is written as (NA)"
    )
    output.add_argument(
        "--with-source",
        action="store_true",
        help="add columns with the first and last source line of each record",
    )
    output.add_argument(
        "--no-source-file",
        action="store_true",
        help="leave out the column that tells the records of several inputs apart",
    )
    output.add_argument(
        "--save-comb", type=Path, metavar="FILE", help="keep what was done as a comb (my.comb.toml)"
    )
    if not is_step or not hasattr(step, "must"):
        output.add_argument(
            "--must",
            action="append",
            default=[],
            metavar="TEXT",
            help="what must hold of the table, else exit status 1, as clean takes it; may be repeated ('sum Toll=226.50')",
        )
    snags = parser.add_argument_group("snags and the ledger")
    snags.add_argument(
        "--snags",
        metavar="FILE",
        help="list snags and doubts in a table of their own (snags.csv); apart: the records that do not fit leave the table for OUTPUT.snags.csv",
    )
    snags.add_argument(
        "--snags-first",
        action="store_true",
        help="show the records that do not fit before the others in the preview",
    )
    snags.add_argument(
        "--snag-column",
        action="store_true",
        help="add a column that names the snags of each record",
    )
    snags.add_argument(
        "--strict",
        action="store_true",
        help="exit with status 1 if any record is a snag, or there is any doubt",
    )
    snags.add_argument(
        "--ledger",
        type=Path,
        metavar="FILE",
        help="write every dropped piece of text, with its place and reason (ledger.csv)",
    )
    looks = parser.add_argument_group("to look at")
    looks.add_argument(
        "--show-steps",
        action="store_true",
        help="show the text or the table after each step: counts, first rows, what changed, what does not fit; of several inputs the first",
    )
    looks.add_argument(
        "--stop-after",
        type=read_number,
        metavar="N",
        help="run only the first N steps of the chain, and write what they make (2)",
    )
    looks.add_argument(
        "--sheet",
        type=Path,
        metavar="FILE",
        help="write one page with the source beside its table, every value in its place, to hold against the paper (check.html)",
    )
    looks.add_argument(
        "--extremes",
        action="store_true",
        help="show the shortest, longest, rarest and last value of each column, and other places where mistakes sit",
    )
    moves = parser.add_argument_group("cells that were moved (realign)")
    moves.add_argument(
        "--moves",
        action="store_true",
        help="list each record that was moved, before and after, with the reason",
    )
    moves.add_argument(
        "--figure",
        type=Path,
        metavar="FILE",
        help="draw records by columns, with moved, blank, merged and doubtful cells marked (log.png)",
    )
    group = add_other(parser)
    group.add_argument(
        "--account",
        choices=("short", "full", "json"),
        default="short",
        metavar="NAME",
        help="what is told at the end: short, full, or json for programs (short)",
    )
    group.add_argument(
        "--processes",
        type=int,
        metavar="N",
        help="how many processes comb a long text; 1: this one alone (as many as processors, up to 4)",
    )
    group.add_argument(
        "--memory",
        type=int,
        metavar="MIB",
        help="how much text may be held at once where it must be seen whole: stacked blocks, a page, one record (64)",
    )


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
