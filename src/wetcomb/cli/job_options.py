"""The options of a command that makes a table: its output, what is told and shown of it."""

from __future__ import annotations

from pathlib import Path

from wetcomb.cli.parser import Parser, add_step_options
from wetcomb.cli.shared import add_input, add_other, read_line, read_number
from wetcomb.files.formats.table import FORMATS, LINE_ENDS, WRITE_DELIMITERS
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step

__all__ = ["add_job_options"]


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
        "--why",
        type=read_line,
        metavar="LINE",
        help="say everything that happened to the record of a source line: what was cut, dropped, moved, joined, converted (14)",
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
