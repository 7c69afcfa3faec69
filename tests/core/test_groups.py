"""Group lines and total lines: what holds for which record, and which sums agree."""

from __future__ import annotations

from decimal import Decimal

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from test_reports import run_steps

from wetcomb import Split, UsageError, draft
from wetcomb.match.numbers import read_number

TEXT = """\
Year: 2031
Reach: Halden
Tansy;4,50;12
Heron;3,00;7
Sub-total 7,50 19
Reach: Mill
Wren;1,00;
Sub-total 1,00 1
Year 8,50
Year: 2032
Rook;9,75;2
Reach: Orrin
Total;2,25;x
Sub-total 2,25 0
Year 12,00
"""
STEP = Split(
    delimiter=";",
    heading="none",
    names=("boat", "toll", "tons"),
    group=("Year: {digits as year}", "Reach: {words as reach}"),
    totals=("Sub-total {money as toll} {number as tons}", "Year {money as toll}"),
)


@settings(max_examples=40, deadline=None)
@given(size=st.integers(1, len(TEXT)))
def test_groups_hold_until_the_next_and_totals_are_checked(size: int) -> None:
    rows, report = run_steps(TEXT, size, STEP)
    assert [row for row, _, _ in rows] == [
        ["2031", "Halden", "Tansy", "4,50", "12"],
        ["2031", "Halden", "Heron", "3,00", "7"],
        ["2031", "Mill", "Wren", "1,00", ""],
        ["2032", None, "Rook", "9,75", "2"],
        ["2032", "Orrin", "Total", "2,25", "x"],
    ]
    assert report.names == ("year", "reach", "boat", "toll", "tons")
    assert report.totals == (5, 3)
    odd = [
        (seen.line, *figure[:3])
        for seen in report.total_examples
        for figure in seen.figures
        if not figure[3]
    ]
    assert odd == [(8, "tons", "1", "0"), (14, "toll", "2,25", "12.00"), (14, "tons", "0", "2")]
    assert report.dropped_lines["group-line"] == 5
    assert report.dropped_lines["total-line"] == 5
    assert report.ledger.repeated["groups"] == 4 * 5 + len("HaldenHaldenMillOrrin")


def test_a_record_does_not_go_on_over_a_group_line() -> None:
    text = "Boat   Remark\nReach: A\nTansy  waits\n       long\nReach: B\n       late\nWren   -\n"
    step = Split(edges=(7,), heading="first", wrapped=True, group="Reach: {word as Reach}")
    rows, _ = run_steps(text, 20, step)
    assert [row for row, _, _ in rows] == [
        ["A", "Tansy", "waits long"], ["B", "", "late"], ["B", "Wren", "-"]
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("text", "number"),
    [
        ("4,50", "4.50"), ("1.234,56", "1234.56"), ("1,234.5", "1234.5"), ("12", "12"), ("(3,00)", "-3"),
        ("-0.125", "-0.125"), ("1,234", "1234"), ("1.234.567", "1234567"), ("5 EUR", "5"), ("7,5-", "-7.5"),
    ],
)  # fmt: skip
def test_figures_are_read_in_either_way_of_writing(text: str, number: str) -> None:
    assert read_number(text) == Decimal(number)
    assert read_number("none") is None


REFUSED = [
    ({"group": "Reach: {words}"}, "names nothing; say what becomes a column"),
    ({"totals": "Total {money as tol}"}, "--totals names no column: 'tol'; nearest: 'toll'"),
    ({"group": "Reach: {words as r}", "panels": 2}, "--group and --totals need a record a line"),
]


@pytest.mark.parametrize(("options", "said"), REFUSED, ids=[said for _, said in REFUSED])
def test_what_means_nothing_is_refused(options: dict[str, object], said: str) -> None:
    with pytest.raises(UsageError, match=said):
        run_steps(
            "boat;toll\nA;1\nTotal 1\n",
            100,
            Split(delimiter=";", heading="first", fields=0, **options),
        )


def test_group_and_total_lines_do_not_hide_the_heading() -> None:
    """What is left open is settled as if they were not there."""
    text = "Boat       Toll\nReach: A\nTansy      4,50\nHeron      3,00\nTotal      7,50\n"
    comb = draft(text, group="Reach: {word as Reach}", totals="Total {money as Toll}")
    assert comb.steps[0].heading == "first"
    assert comb.run(text).rows() == [["A", "Tansy", "4,50"], ["A", "Heron", "3,00"]]
