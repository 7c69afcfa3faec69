"""The account for programs: everything that it says to people, as plain values by name."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any

from wetcomb.core.doubts import find_verdict
from wetcomb.core.ledger import DROPS, PUT_IN, REPEATED, Ledger
from wetcomb.core.report import Example, Report
from wetcomb.core.snags import SNAGS
from wetcomb.views.account import RunFacts, find_advice

__all__ = ["describe_run"]


def describe_run(report: Report, told: RunFacts) -> dict[str, Any]:
    """Return the account of a run: numbers, texts, lists and tables of them, nothing else."""
    return {
        "verdict": find_verdict(report.doubts),
        "doubts": [
            {
                "name": doubt.name,
                "about": doubt.kind.about,
                "evidence": doubt.said,
                "lines": [list(span) for span in doubt.lines],
                "settle": doubt.command.replace("{input}", told.input_name) or doubt.kind.settle,
            }
            for doubt in report.doubts
        ],
        "read": {"what": told.source, "lines": report.lines, "characters": report.ledger.source},
        "settled": list(told.notes),
        "records": report.records,
        "columns": [*report.names, *["rest"] * bool(report.rests)],
        "headings_changed": [[old, new] for old, new in report.renamed],
        "lines_left_out": {
            reason: {
                "lines": number,
                "about": DROPS[reason],
                "examples": _list_places(report.drop_examples[reason]),
            }
            for reason, number in report.dropped_lines.items()
            if number
        },
        "lines_outside": report.outside_lines,
        "totals": {
            "agree": report.totals[0],
            "differ": report.totals[1],
            "examples": [
                {"line": seen.line, "text": seen.text, "figures": [list(one) for one in seen.figures]}
                for seen in report.total_examples
            ],
        },
        "moved": {
            "records": report.moved,
            "examples": [
                {"lines": [move.first_line, move.last_line], "reason": move.reason}
                for move in report.moves
            ],
        },
        "snags": {
            "records": report.snagged_records,
            "kinds": [
                {
                    "name": kind.name,
                    "records": report.snags[kind.name],
                    "odd": kind.odd,
                    "done": kind.done,
                    "settle": find_advice(report, kind),
                    "examples": _list_places(report.snag_examples[kind.name]),
                }
                for kind in SNAGS
                if report.snags[kind.name]
            ],
        },
        "must": list(report.broken),
        "notes": list(report.notes),
        "ledger": _describe_ledger(report.ledger),
        "written": list(told.written),
        "to_keep": told.next_command,
    }  # fmt: skip


def _list_places(examples: Sequence[Example]) -> list[dict[str, Any]]:
    return [
        {"lines": [one.first_line, one.last_line], "text": one.text, "source": one.source}
        for one in examples
    ]


def _describe_ledger(ledger: Ledger) -> dict[str, Any]:
    """Return both sides of the ledger, in characters."""
    return {
        "in": ledger.source,
        "kept": ledger.kept,
        "altered": ledger.altered,
        "altered_to": ledger.altered_to,
        "left_out": _list_counts(ledger.dropped, DROPS),
        "put_in": _list_counts(ledger.put_in, PUT_IN),
        "told_again": _list_counts(ledger.repeated, REPEATED),
        "out": ledger.output,
    }


def _list_counts(counts: Counter[str], known: dict[str, str]) -> dict[str, int]:
    return {name: counts[name] for name in known if counts[name]}
