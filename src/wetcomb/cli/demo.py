"""wetcomb demo: the whole job on made-up data, in a folder of its own."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from wetcomb.cli.parser import Parser
from wetcomb.cli.shared import add_other, quote_argument
from wetcomb.core.errors import OutputError

__all__ = ["DESCRIPTION", "SUMMARY", "add_options", "run"]

SUMMARY = "see the whole job on made-up data"
DESCRIPTION = """\
Copy the notice list of the Halden & Orrin Canal (made up) into a folder, rebuild it, and
show what went in, what came out and what to type next. Nothing that exists is replaced.

  wetcomb demo
  wetcomb demo somewhere
"""

_FOLDER = "wetcomb-demo"
_TEXTS = {
    "notices.txt": "notices to boats: quoted commas, line breaks in quotes, three records that do not fit",
    "register.txt": "a passage register out of a PDF: empty cells are gone, records come out short",
    "permits.txt": "mooring permits by mail: labels and values",
    "tolls.txt": "a printed toll report: page heads, groups, totals, wrapped remarks",
}


def add_options(parser: Parser) -> None:
    """Add the options of this command."""
    parser.add_argument(
        "folder",
        nargs="?",
        metavar="FOLDER",
        help=f"where to put the files; {_FOLDER}, or the next free name like it, if left out",
    )
    add_other(parser)


def run(arguments: argparse.Namespace) -> int:
    """Run this command; return the exit status."""
    from wetcomb.drafts.draft import draft
    from wetcomb.jobs.job import Job, has_color, open_sources, run_job
    from wetcomb.jobs.settings import JobSettings
    from wetcomb.views.demo import build_ending, build_opening
    from wetcomb.views.terminal import make_console, render_blocks

    folder = _lay_down(arguments.folder)
    source, target = folder / "notices.txt", folder / "notices.csv"
    console = make_console(sys.stdout, has_color=has_color(sys.stdout, is_plain=arguments.no_color))
    settings = JobSettings(
        inputs=[str(source)],
        output=target,
        quiet=arguments.quiet,
        no_color=arguments.no_color,
    )
    with open_sources(settings) as sources:
        sample = sources[0].read_sample().data
        comb = draft(sample, encoding=sources[0].encoding.name)
        if not arguments.quiet:
            snags = comb.run(sample)
            odd, _ = snags.line_numbers(snags.snags.records)
            render_blocks(console, build_opening(str(folder), sample.decode(), odd.tolist()))
            sys.stdout.flush()
        status = run_job(Job(settings, sources, comb, notes=comb.notes))
    if not arguments.quiet:
        true_table = _read("notices.true.csv")
        truth = draft(true_table).run(true_table)
        answer = comb.run(target.read_bytes())
        n_equal = sum(
            map(list.__eq__, answer.take(list(range(len(truth.names)))).rows(), truth.rows())
        )
        console.print()
        render_blocks(
            console,
            build_ending(
                target.read_text(encoding="utf-8"),
                n_equal,
                truth.n_records,
                _list_next(folder),
                _TEXTS,
            ),
        )
    return status


def _list_next(folder: Path) -> list[str]:
    notices = quote_argument(str(folder / "notices.txt"))
    comb, snags, again = (
        quote_argument(str(folder / name))
        for name in ("notices.comb.toml", "snags.csv", "again.csv")
    )
    return [
        f"wetcomb rebuild {notices}",
        f"wetcomb draft {notices} -o {comb}",
        f"wetcomb rebuild {notices} --comb {comb} --snags {snags} -o {again}",
    ]


def _read(name: str) -> bytes:
    from importlib import resources

    return (resources.files("wetcomb") / "demo" / name).read_bytes()


def _lay_down(wanted: str | None) -> Path:
    """Copy the demo's texts into a folder in which none of its files is yet."""
    folder = Path(wanted) if wanted else _find_free()
    try:
        folder.mkdir(parents=True, exist_ok=True)
        there = [name for name in [*_TEXTS, "notices.csv"] if (folder / name).exists()]
        if there:
            raise OutputError(
                f"{folder / there[0]}: this file is there already, and the demo replaces nothing; name another folder"
            )
        for name in _TEXTS:
            with (folder / name).open("xb") as file:
                file.write(_read(name))
    except OSError as error:
        raise OutputError(
            f"{error.filename}: the demo's files cannot be written: {error.strerror}"
        ) from error
    return folder


def _find_free() -> Path:
    number, folder = 1, Path(_FOLDER)
    while folder.exists():
        number += 1
        folder = Path(f"{_FOLDER}-{number}")
    return folder
