"""Files that other programs open: what is written is read back by the library of each format, and is the same."""

from __future__ import annotations

import csv
import io
import sqlite3
from collections.abc import Callable, Sequence
from datetime import date, datetime
from decimal import Decimal
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

import openpyxl
import pyarrow.parquet
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from openpyxl.utils.escape import unescape

import wetcomb as package
from program import wetcomb
from tables import build, tables
from wetcomb.files.formats.table import make_writer

DEMO = Path(package.__file__).parent / "demo"
Rows = list[list[Any]]


def read_xlsx(path: Path) -> Rows:
    """Return all cells, the heading among them; an empty one is None."""
    book = openpyxl.load_workbook(path)
    return [
        [unescape(cell.value) if isinstance(cell.value, str) else cell.value for cell in row]
        for row in book.active.iter_rows()
    ]


def read_parquet(path: Path) -> Rows:
    table = pyarrow.parquet.read_table(path)
    return [table.column_names, *map(list, zip(*(c.to_pylist() for c in table.columns), strict=True))]  # fmt: skip


def read_sqlite(path: Path, name: str = "records") -> Rows:
    base = sqlite3.connect(path)
    found = base.execute(f'SELECT * FROM "{name}"')
    rows = [[column[0] for column in found.description], *map(list, found)]
    base.close()
    return rows


class _Page(HTMLParser):
    def __init__(self, text: str) -> None:
        super().__init__()
        self.rows: Rows = []
        self._is_inside = False
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag == "tr":
            self.rows.append([])
        self._is_inside = tag in ("td", "th")
        if self._is_inside:
            self.rows[-1].append(None if dict(attrs).get("class") == "missing" else "")

    def handle_endtag(self, tag: str) -> None:
        self._is_inside &= tag not in ("td", "th")

    def handle_data(self, data: str) -> None:
        if self._is_inside:
            self.rows[-1][-1] += data


def read_html(path: Path) -> Rows:
    return _Page(path.read_bytes().decode()).rows


READERS: dict[str, Callable[[Path], Rows]] = {
    "xlsx": read_xlsx, "parquet": read_parquet, "sqlite": read_sqlite, "html": read_html,
}  # fmt: skip


def _blank(rows: Sequence[Sequence[Any]]) -> Rows:
    """Return rows with nothing for an empty text, as a spreadsheet has it, nor behind the last value."""
    made: Rows = []
    for row in rows:
        made.append([value or None for value in row])
        while made[-1] and made[-1][-1] is None:
            made[-1].pop()
    while made and not made[-1]:
        made.pop()
    return made


@pytest.mark.parametrize("form", READERS)
def test_text_is_read_back(form: str, tmp_path: Path) -> None:
    path = tmp_path / f"t.{form}"

    @settings(max_examples=25, deadline=None)
    @given(tables(), st.sampled_from([1, 1, 1, 45]))
    def check(table: tuple[list[str], list[list[str | None]]], times: int) -> None:
        names, rows = table[0], table[1] * times  # a database takes many an order, then one each
        writer = make_writer(form)
        parts = [writer.write_heading(names)]
        parts += [writer.write_rows(build(some, len(names), 3)) for some in (rows[:4], rows[4:])]
        path.write_bytes(b"".join([*parts, writer.write_end()]))
        found, wanted = READERS[form](path), [names, *rows]
        # a spreadsheet knows no empty text
        assert found == wanted if form != "xlsx" else _blank(found) == _blank(wanted)
        assert writer.cell_characters == sum(len(v or "") for row in wanted for v in row)

    check()


#: How the demo's tables are typed, and what their columns become.
TYPED = {
    "register": ["--date", "Day=13 Jun 2031", "--number", "Tons,Toll=1234.5"],
    "permits": ["--date", "From,To=2031-07-13", "--number", "Fee=12.5 marks"],
    "tolls": ["--number", "Passages,Toll=1234.5"],
    "notices": ["--date", "Issued=2031-05-02"],
}


def _type(value: str, kind: str, form: str) -> Any:
    if not value or not kind:
        return value or None
    if kind == "number":
        number = Decimal(value)
        return number if form == "parquet" else int(value) if "." not in value else float(value)
    if form == "xlsx":
        return datetime.fromisoformat(value)
    return date.fromisoformat(value) if form == "parquet" else value


@pytest.mark.parametrize("name", TYPED)
def test_the_demo_in_every_format(name: str, tmp_path: Path) -> None:
    names = (DEMO / f"{name}.true.csv").read_text(encoding="utf-8").splitlines()[0].split(",")
    typed = list(TYPED[name])
    known = {c for w in typed[1::2] for c in w.partition("=")[0].split(",")}
    if not known <= set(names):
        typed = []
    kinds = {c: flag[2:] for flag, w in zip(typed[::2], typed[1::2], strict=True) for c in w.partition("=")[0].split(",")}  # fmt: skip
    source = str(DEMO / f"{name}.txt")
    assert wetcomb(tmp_path, "draft", source, "-o", "d.toml").returncode in (0, 1)
    comb = tmp_path / "d.toml"
    lines = [f"{flag[2:]} = ['{what}']" for flag, what in zip(typed[::2], typed[1::2], strict=True)]
    with comb.open("a", encoding="utf-8") as file:
        file.write("\n".join(["", "[[step]]", 'do = "clean"', *lines, ""]) if lines else "")
    wanted: Rows = []
    for form in ("csv", *READERS):
        done = wetcomb(tmp_path, "rebuild", source, "--comb", "d.toml", "-o", f"{name}.{form}")
        assert done.returncode in (0, 1), done.stderr.decode()
        assert b"every character" in done.stderr
        path = tmp_path / f"{name}.{form}"
        if form == "csv":
            wanted = list(csv.reader(io.StringIO(path.read_bytes().decode(), newline="")))
            continue
        found = read_sqlite(path, name) if form == "sqlite" else READERS[form](path)
        kind = [kinds.get(column, "") if form != "html" else "" for column in wanted[0]]
        rows = [[_type(v, k, form) for v, k in zip(row, kind, strict=True)] for row in wanted[1:]]
        assert found[0] == wanted[0]
        assert _blank(found[1:]) == _blank(rows)


def test_what_a_spreadsheet_looks_like(tmp_path: Path) -> None:
    """The heading stands still, columns are as wide as their values, nothing is taken for what it is not."""
    lines = ["No;Built;Toll;Note", "0042;02.06.2031;1.204,50;=1+2", "1E5;03.06.2031;3;#N/A", "3-4;n/a;-0,5;@x"]  # fmt: skip
    (tmp_path / "in.txt").write_text("\n".join(lines), encoding="utf-8")
    words = "split in.txt -d semicolon + clean --date Built=31.12.2030 --number Toll=1.234,56 -o [a]*.xlsx"
    assert wetcomb(tmp_path, *words.split()).returncode == 0
    sheet = openpyxl.load_workbook(tmp_path / "[a]*.xlsx").active
    assert (sheet.title, sheet.freeze_panes) == ("-a--", "A2")
    assert all(cell.font.bold for cell in sheet[1])
    assert sheet.column_dimensions["B"].width > len("02.06.2031")
    kinds = [[cell.data_type for cell in row] for row in sheet.iter_rows(min_row=2)]
    assert kinds == [["s", "d", "n", "s"], ["s", "d", "n", "s"], ["s", "s", "n", "s"]]
    shown = [(row[2].value, row[2].number_format) for row in sheet.iter_rows(min_row=2)]
    assert shown == [(1204.5, "0.00"), (3, "General"), (-0.5, "0.0")]
    assert [row[3].value for row in sheet.iter_rows(min_row=2)] == ["=1+2", "#N/A", "@x"]


def test_numbers_and_days_are_kept_as_such(tmp_path: Path) -> None:
    lines = ["a;b", "2 June 2031 14:05;1,250.00", ";", "3 June 2031 00:00;-7"]
    (tmp_path / "in.txt").write_text("\n".join(lines), encoding="utf-8")
    words = ["split", "in.txt", "-d", "semicolon", "+", "clean", "--date", "a=2 June 2031 14:05", "--number", "b=1,250.00", "-o"]  # fmt: skip
    for form in ("parquet", "sqlite", "xlsx", "csv"):
        assert wetcomb(tmp_path, *words, f"t.{form}").returncode == 0
    first, last = datetime(2031, 6, 2, 14, 5), datetime(2031, 6, 3)
    found = read_parquet(tmp_path / "t.parquet")[1:]
    assert found == [[first, Decimal("1250.00")], [last, Decimal(-7)]]
    assert read_sqlite(tmp_path / "t.sqlite", "t")[1:] == [["2031-06-02 14:05", 1250], ["2031-06-03 00:00", -7]]  # fmt: skip
    assert read_xlsx(tmp_path / "t.xlsx")[1:] == [[first, 1250], [last, -7]]
    base = sqlite3.connect(tmp_path / "t.sqlite")
    declared = base.execute("SELECT name, type FROM pragma_table_info('t')").fetchall()
    base.close()
    assert declared == [("a", "DATETIME"), ("b", "NUMERIC")]
