"""Files for other programs: what writing them takes beside their own libraries, for the same cells.

    python -m benchmarks.formats

A table of notices is cut already, in pieces as a run has them. Ours: from its spans to the bytes of the
file. The library's own: the same values, already Python's, through its plainest way of writing
many. Pairs run in turn. Then a hundred small texts by one comb, beside as many runs.
"""

from __future__ import annotations

import random
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Sequence
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
import pyarrow
import pyarrow.parquet

from wetcomb.combs.memory import make_batch
from wetcomb.core.ledger import Ledger
from wetcomb.core.table import Table
from wetcomb.files.columns import Layout, build_grid, list_types
from wetcomb.files.formats.table import make_writer
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.split.options import Split

RUNS = 7
PIECE = 9_000  # records of a chunk
BOATS, LOCKS = (
    ("Tansy", "Old Regret", "Mother Carey", "Zoë"),
    ("Halden Top", "Orrin", "Sallow Reach"),
)
NAMES = ("No", "Boat", "Lock", "Passed", "Tons", "Toll", "Remark", "Clerk")


def make_tables(n_rows: int) -> list[Table]:
    """Return tables of eight columns, one of days and two of numbers."""
    chance = random.Random(1831)
    steps = (
        Split(delimiter=("semicolon",), heading="first", fields=len(NAMES), quote="none"),
        Clean(date="Passed=31.12.2031", number="Tons,Toll=1234,5"),
    )
    lines = [
        f"LK-{k:07d};{chance.choice(BOATS)};{chance.choice(LOCKS)};{chance.randrange(1, 29):02d}.{chance.randrange(1, 13):02d}.2031;"
        f"{chance.randrange(300)},{chance.randrange(10)};{chance.randrange(1000)},{chance.randrange(100):02d};seen by the keeper {chance.randrange(10**6)};clerk {k % 17}\n"
        for k in range(n_rows)
    ]
    head = ";".join(NAMES) + "\n"
    tables = (
        make_batch(steps, head + "".join(lines[k : k + PIECE])).table
        for k in range(0, n_rows, PIECE)
    )
    return [table for table in tables if table is not None]


def write_ours(name: str, tables: Sequence[Table], folder: Path) -> float:
    """Return the seconds from tables to a file."""
    start = time.perf_counter()
    writer = make_writer(name, folder / f"ours.{name}")
    with (folder / "ours").open("wb") as file:
        file.write(writer.write_heading(tables[0].names, list_types(tables[0], Layout())))
        for table in tables:
            file.write(writer.write_rows(build_grid(table, Layout(), Ledger())))
        file.write(writer.write_end())
    return time.perf_counter() - start


def write_xlsx(rows: Sequence[Sequence[Any]], folder: Path) -> float:
    """Return the seconds that openpyxl takes, numbers shown with their decimals."""
    start = time.perf_counter()
    book = openpyxl.Workbook(write_only=True)
    sheet = book.create_sheet("notices")
    sheet.append(NAMES)
    shown = {4: "0.0", 5: "0.00"}
    for row in rows:
        cells = list(row)
        for place, form in shown.items():
            cell = cells[place] = openpyxl.cell.WriteOnlyCell(sheet, row[place])
            cell.number_format = form
        sheet.append(cells)
    book.save(folder / "theirs.xlsx")
    return time.perf_counter() - start


def write_parquet(columns: dict[str, list[Any]], schema: Any, folder: Path) -> float:
    """Return the seconds that pyarrow takes."""
    start = time.perf_counter()
    table = pyarrow.table(columns, schema=schema)
    pyarrow.parquet.write_table(table, folder / "theirs.parquet", row_group_size=1 << 17)
    return time.perf_counter() - start


def write_sqlite(rows: Sequence[Sequence[Any]], folder: Path) -> float:
    """Return the seconds that sqlite3 takes, in one transaction."""
    path = folder / "theirs.sqlite"
    path.unlink(missing_ok=True)
    start = time.perf_counter()
    base = sqlite3.connect(path)
    base.execute("CREATE TABLE notices (No TEXT, Boat TEXT, Lock TEXT, Passed DATE, Tons NUMERIC, Toll NUMERIC, Remark TEXT, Clerk TEXT)")  # fmt: skip
    base.executemany("INSERT INTO notices VALUES (?, ?, ?, ?, ?, ?, ?, ?)", rows)
    base.commit()
    base.close()
    return time.perf_counter() - start


def compare(name: str, ours: Callable[[], float], theirs: Callable[[], float], goal: float) -> None:
    """Print how much longer ours takes, as the median of pairs in turn."""
    pairs = [(ours(), theirs()) for _ in range(RUNS)]
    ratios = [mine / other for mine, other in pairs]
    mine, other = (statistics.median(side) for side in zip(*pairs, strict=True))
    print(
        f"{name}: {mine:.2f} s, the library's own {other:.2f} s: {statistics.median(ratios):.2f} times ({min(ratios):.2f} to {max(ratios):.2f}; at most {goal})",
        flush=True,
    )


def compare_texts() -> None:
    """Print what a hundred small texts take in one run, and by a run each."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        run = [sys.executable, "-m", "wetcomb"]
        subprocess.run([*run, "demo", f"{folder}/demo", "--quiet"], check=True)
        text = (folder / "demo" / "register.txt").read_bytes()
        names = [f"{folder}/{k}.txt" for k in range(100)]
        for name in names:
            Path(name).write_bytes(text)
        comb = f"{folder}/register.comb.toml"
        subprocess.run([*run, "draft", names[0], "-o", comb, "--quiet"], check=True)
        start = time.perf_counter()
        subprocess.run([*run, "rebuild", *names, "--comb", comb, "-o", f"{folder}/out/", "--quiet"], check=True)  # fmt: skip
        together = time.perf_counter() - start
        start = time.perf_counter()
        for name in names[:10]:
            subprocess.run([*run, "rebuild", name, "--comb", comb, "-o", f"{name}.csv", "--quiet"], check=True)  # fmt: skip
        apart = 10 * (time.perf_counter() - start)
    print(f"100 texts of {len(text):,} bytes by one comb: {together:.2f} s in one run, {apart:.1f} s by a run each (ten of them measured)")  # fmt: skip


def main() -> None:
    """Run all comparisons."""
    compare_texts()
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        for n_rows in (20_000, 600_000):
            tables = make_tables(n_rows)
            whole = pyarrow.concat_tables(
                [table.to_arrow() for table in tables], promote_options="permissive"
            )
            plain = list(zip(*(column.to_pylist() for column in whole.columns), strict=True))
            figures = [
                tuple(float(v) if isinstance(v, Decimal) else v for v in row) for row in plain
            ]
            if n_rows < 100_000:
                compare(f"xlsx, {n_rows:,} records", lambda t=tables: write_ours("xlsx", t, folder), lambda r=figures: write_xlsx(r, folder), 1.2)  # fmt: skip
                continue
            dated = [(*row[:3], row[3].isoformat(), *row[4:]) for row in figures]
            compare(f"sqlite, {n_rows:,} records", lambda t=tables: write_ours("sqlite", t, folder), lambda r=dated: write_sqlite(r, folder), 1.3)  # fmt: skip
            columns = {name: whole[name].to_pylist() for name in NAMES}
            compare(f"parquet, {n_rows:,} records", lambda t=tables: write_ours("parquet", t, folder), lambda c=columns, w=whole: write_parquet(c, w.schema, folder), 1.3)  # fmt: skip


if __name__ == "__main__":
    main()
