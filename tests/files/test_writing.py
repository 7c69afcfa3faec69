"""Formats: what is written can be read again, and the characters are counted as they are."""

from __future__ import annotations

import csv
import io
import json

from hypothesis import given, settings
from hypothesis import strategies as st

from tables import build, tables
from wetcomb import Comb, Split
from wetcomb.files.formats.table import make_writer


@settings(max_examples=300, deadline=None)
@given(tables(), st.integers(0, 6))
def test_csv_and_tsv_are_read_back(
    table: tuple[list[str], list[list[str | None]]], shuffle: int
) -> None:
    names, rows = table
    for form, delimiter in (("csv", ","), ("tsv", "\t")):
        writer = make_writer(form)
        written = writer.write_heading(names) + writer.write_rows(build(rows, len(names), shuffle))
        plain = [[value or "" for value in row] for row in rows]
        assert list(csv.reader(io.StringIO(written.decode(), newline=""), delimiter=delimiter)) == [
            names,
            *plain,
        ]
        cells = sum(map(len, names)) + sum(len(value) for row in plain for value in row)
        assert writer.cell_characters == cells
        split = Split(delimiter=f"text:{delimiter}", heading="first", fields=0)
        table_read = Comb((split,)).run(written)
        kept = [row for row in plain if not _is_no_record(row, names)]
        assert list(table_read.names) == names
        assert table_read.rows() == kept


def _is_no_record(row: list[str], names: list[str]) -> bool:
    """Rows that splitting leaves out by its rules: empty ones, form feeds, the heading again."""
    return not any(row) or row == names


@settings(max_examples=200, deadline=None)
@given(tables(), st.integers(0, 6))
def test_jsonl_is_read_back(table: tuple[list[str], list[list[str | None]]], shuffle: int) -> None:
    names, rows = table
    writer = make_writer("jsonl")
    written = writer.write_heading(names) + writer.write_rows(build(rows, len(names), shuffle))
    assert [json.loads(line) for line in written.split(b"\n") if line] == [
        dict(zip(names, row, strict=True)) for row in rows
    ]
    cells = sum(len(value or "") for row in rows for value in row)
    assert writer.cell_characters == cells + sum(map(len, names))


def test_markdown_keeps_a_value_in_its_cell() -> None:
    writer = make_writer("md")
    grid = build([["a|b\nc", "<i>"]], 2, 0)
    assert writer.write_rows(grid) == b"| a\\|b<br>c | &lt;i> |\n"
    assert writer.cell_characters == 8
