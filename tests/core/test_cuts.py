"""Laws of all kinds of cut: they agree with the plain version, whatever the chunks are."""

from __future__ import annotations

import re

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from laws import blocks_of, rows_of, run, snags_of
from plain_cuts import Ways, plain_rows
from wetcomb import Split

_WORDS = [
    "a",
    "b",
    "A",
    "Ab",
    "1",
    "22",
    ",",
    ",",
    ";",
    "(",
    ")",
    "é",
    "漢",
    "é",
    "x",
    "a1",
    "B,c",
    "(d,e)",
    "12",
]
texts = st.lists(
    st.sampled_from([*_WORDS, " ", "  ", "\t", "\n", "\n", "\r\n", "\n\n", "1 b"]), max_size=40
).map("".join)

WAYS = {
    "edges": Ways(edges=(2, 5)),
    "edges, narrow tabs": Ways(edges=(1, 3, 8), tab_width=4, n_fields=4),
    "edges and commas": Ways(edges=(3,), delimiter=",", n_fields=3),
    "small to capital": Ways(boundary=("a|A",)),
    "capitals together": Ways(boundary=("A|Aa",), n_fields=2),
    "digits and any": Ways(boundary=("9|*", "*|9"), n_fields=4),
    "before": Ways(before=r"\d+", n_fields=2),
    "after and comma": Ways(after=r"\d+", delimiter=","),
    "brackets": Ways(delimiter=",", protect="()"),
    "first cuts": Ways(delimiter=",", cuts="first:1", n_fields=2),
    "last cuts": Ways(delimiter=",", cuts="last:2"),
    "brackets, last cut": Ways(delimiter=",", protect="()", cuts="last:1", n_fields=2),
    "records at semicolons": Ways(delimiter=",", records_at=";"),
    "paragraphs": Ways(delimiter=",", records_at="blank-line"),
    "counted cells": Ways(delimiter=",", per_record=3),
    "counted cells, some dropped": Ways(delimiter=",", per_record=2, drop="x|a", n_fields=2),
    "a cell a line": Ways(per_record=2, n_fields=2),
    "panels": Ways(delimiter=",", panels=2, n_fields=2),
    "panels by edges": Ways(edges=(2, 4, 6), panels=2, n_fields=2),
    "each a record": Ways(delimiter=",", each_a_record=True, n_fields=1),
    "frame": Ways(delimiter=",", frame=True),
    "drop pieces": Ways(delimiter=",", drop="x|a"),
}


def make_split(ways: Ways) -> Split:
    patterns = {"regex:" + text for text in (ways.before, ways.after) if text}
    assert len(patterns) <= 1
    return Split(
        delimiter=ways.delimiter or "none",
        edges=ways.edges,
        touching=True,
        tab_width=ways.tab_width,
        boundary=ways.boundary,
        before=(f"regex:{ways.before}",) if ways.before else (),
        after=(f"regex:{ways.after}",) if ways.after else (),
        protect=(ways.protect,) if ways.protect else (),
        cuts=ways.cuts,
        records_at=ways.records_at,
        per_record=ways.per_record,
        cell_shapes=("any",) * ways.per_record,
        panels=ways.panels,
        each_a_record=ways.each_a_record,
        frame=ways.frame,
        drop_pieces=tuple(f"text:{word}" for word in ways.drop.split("|")) if ways.drop else (),
        quote="none",
        heading="none",
        fields=ways.n_fields,
    )


@pytest.mark.parametrize("ways", WAYS.values(), ids=WAYS)
@settings(max_examples=120, deadline=None)
@given(text=texts, size=st.integers(1, 9))
@example(text="ab\tc漢字d\te\u0301x\n\t\tq\n", size=3)
@example(text="a,(b,c),1\n(x,y\n", size=5)
def test_agrees_with_the_plain_version_whatever_the_chunks(
    ways: Ways, text: str, size: int
) -> None:
    if not re.sub(r"\s", "", text) or (ways.records_at == ";" and ";" not in text):
        return
    split = make_split(ways)
    whole, whole_report = run(split, blocks_of(text, 10_000))
    assert rows_of(whole) == plain_rows(text, ways)
    parts, report = run(split, blocks_of(text, size))
    assert rows_of(parts) == rows_of(whole)
    assert snags_of(parts) == snags_of(whole)
    assert report.ledger == whole_report.ledger
    assert report.lines == whole_report.lines
