"""wetcomb help: what is worth a page of its own, from the tables the tool works by."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable

from wetcomb.cli.parser import Parser
from wetcomb.core.doubts import DOUBTS
from wetcomb.core.errors import UsageError, find_nearest
from wetcomb.match.patterns import COVERED
from wetcomb.match.shapes import SHAPES

__all__ = ["DESCRIPTION", "SUMMARY", "add_options", "run"]

SUMMARY = "read more about snags, doubts, shapes, patterns, or lines and parts"
DESCRIPTION = """\
Show a page about one topic: snags, doubts, shapes, patterns, lines.

  wetcomb help doubts
"""

Page = tuple[str, list[list[str]]]


def _list_snags() -> Page:
    from wetcomb.core.snags import SNAGS

    rows = [[kind.name, f"{kind.odd}; {kind.done}", f"to settle: {kind.settle}"] for kind in SNAGS]
    title = "A snag marks a record that does not fit; its text is always in the output"
    return title, rows


def _list_doubts() -> Page:
    rows = [[kind.name, kind.about, f"to settle: {kind.settle}"] for kind in DOUBTS]
    title = "A doubt says that the whole is not certain; nothing that was stated is in doubt"
    return title, rows


def _list_shapes() -> Page:
    rows = [[f"{{{name}}}", shape.example] for name, shape in SHAPES.items()]
    return "A shape stands in a pattern for what it covers", rows


def _list_patterns() -> Page:
    rows = [[", ".join(options), covered] for covered, options in COVERED.items()]
    rows += [
        ["LK-{digits}", "text, with a shape in braces: wetcomb help shapes"],
        ["{date as passed}", "what it finds is called so"],
        ["{money?}", "may be missing, with what is glued to it"],
        ["{2 digits}", "just so many"],
        ["{barge|tug as kind}", "one of a closed list"],
        ["{text:per ton?}", "a text that may be missing"],
        ["one blank, {gap}", "any spacing; two blanks or more, or a tab"],
        ["text:..., regex:...", "all of it literally; a regular expression"],
    ]
    return "A pattern is text with placeholders", rows


def _list_lines() -> Page:
    rows = [
        ["--lines 4-88", "only these lines, counted from 1; 4- and -88 leave an end open"],
        ["--from PATTERN", "from the first line that begins so, this line included"],
        ["--to PATTERN", "up to the next line that begins so, this line included"],
        ["--part N", "only this part; wetcomb inspect FILE numbers them"],
        ["a blank line", "no record (blank-line); quoted ones are text"],
        ["a line of rule marks", "no record beside records (rule)"],
        ["the heading again", "no record wherever it comes (heading-again)"],
        ["a form feed", "begins a page; by itself it is no record (page-mark)"],
        ["what lies outside", "is charged as `outside`; --ledger FILE lists it"],
    ]
    return "Which lines are meant, and which are no records", rows


_TOPICS: dict[str, Callable[[], Page]] = {
    "snags": _list_snags,
    "doubts": _list_doubts,
    "shapes": _list_shapes,
    "patterns": _list_patterns,
    "lines": _list_lines,
    "parts": _list_lines,
}


def add_options(parser: Parser) -> None:
    """Add the options of this command."""
    parser.add_argument(
        "topic", nargs="?", default="", metavar="TOPIC", help=f"one of: {' '.join(_TOPICS)}"
    )
    parser.add_argument("-h", "--help", action="help", help="show this help")


def run(arguments: argparse.Namespace) -> int:
    """Run this command; return the exit status."""
    from wetcomb.jobs.job import has_color
    from wetcomb.views.blocks import Styled, TextLines
    from wetcomb.views.terminal import make_console, render_blocks

    topic = arguments.topic
    if topic not in _TOPICS:
        near = find_nearest(topic, tuple(_TOPICS)) if topic else ""
        what = f"unknown topic {topic!r}" if topic else "no topic is given"
        raise UsageError(f"help: {what}{near or '; one of: ' + ' '.join(_TOPICS)}")
    title, entries = _TOPICS[topic]()
    lines: list[list[Styled]] = []
    for name, *texts in entries:
        lines.append([Styled(name, "strong")])
        lines += [[Styled(f"    {text}")] for text in texts]
    console = make_console(sys.stdout, has_color=has_color(sys.stdout, is_plain=False))
    render_blocks(console, [TextLines(title, lines, may_wrap=True)])
    return 0
