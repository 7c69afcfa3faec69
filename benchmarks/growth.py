"""How time and memory grow: columns, groups, the ledger, snags, one long line.

python -m benchmarks.growth            prints the table
python -m benchmarks.growth --write    puts it into docs/performance.md too
"""

from __future__ import annotations

import argparse
import tempfile
from collections.abc import Iterator
from pathlib import Path

from benchmarks.processes import WETCOMB, run

PAGE = Path(__file__).parent.parent / "docs" / "performance.md"
BEGIN, END = "<!-- growth -->\n", "<!-- /growth -->"


def write_columns(path: Path, number: int) -> None:
    """Write a heading of so many columns and twenty records."""
    rows = [[f"c{k}" for k in range(number)]]
    rows += [[str(row * k % 97) for k in range(number)] for row in range(20)]
    path.write_text("".join(";".join(row) + "\n" for row in rows))


def write_records(path: Path, number: int) -> None:
    """Write so many records that fit."""
    lines = [f"T{k};Orrin;{k % 97}.50; note {k} \n" for k in range(number)]
    path.write_text("Boat;Lock;Toll;Note\n" + "".join(lines))


def write_groups(path: Path, number: int) -> None:
    """Write so many group lines, each above two records."""
    lines = [f"Reach R{k}\nT{k};{k}\nW{k};{k}\n" for k in range(number)]
    path.write_text("Boat;Toll\n" + "".join(lines))


def write_snags(path: Path, number: int) -> None:
    """Write so many records of which none fits."""
    path.write_text("a;b;c\n" + "1;2\n1;2;3;4\n" * (number // 2))


def write_line(path: Path, megabytes: int) -> None:
    """Write one value of so many megabytes among others."""
    path.write_text("a;b;c\n1;2;3\nx;" + "y " * (megabytes * 500_000) + ";3\n4;5;6\n")


SPLIT = ["split", "-d", "semicolon", "--heading", "first", "--format", "csv"]
#: What grows, its sizes, what writes a text of a size, what is run over it.
KINDS = [
    ("split, columns", (20, 200, 2_000, 20_000), write_columns, SPLIT),
    ("rebuild, columns", (20, 200, 2_000, 20_000), write_columns, ["rebuild", "--format", "csv"]),
    ("inspect, columns", (20, 200, 2_000, 20_000), write_columns, ["inspect"]),
    ("split --group, groups", (100, 1_000, 10_000, 100_000), write_groups, [*SPLIT, "--group", "Reach {word as Reach}"]),
    ("split, records", (1_000, 10_000, 100_000), write_records, SPLIT),
    ("split --ledger, records", (1_000, 10_000, 100_000), write_records, [*SPLIT, "--ledger", "ledger.csv", "--force"]),
    ("split --snags, snags", (1_000, 10_000, 100_000), write_snags, [*SPLIT, "--snags", "snags.csv", "--force"]),
    ("split, MB in one value", (1, 10, 40), write_line, SPLIT),
]  # fmt: skip


def measure(folder: Path) -> Iterator[str]:
    """Yield the rows of the table."""
    yield "| what grows | " + " | ".join(["size", "time", "memory"]) + " |"
    yield "| --- | --- | --- | --- |"
    for name, sizes, write, words in KINDS:
        for size in sizes:
            path = folder / "in.txt"
            write(path, size)
            options = [str(folder / word) if word.endswith(".csv") else word for word in words[1:]]
            command = [WETCOMB, words[0], str(path), *options]
            done = min(
                (run([*command, *_HUSH[words[0]]], quiet=True) for _ in range(3)),
                key=lambda m: m.cpu,
            )
            yield f"| {name} | {size:,} | {done.cpu:.2f} s | {done.memory:.0f} MB |"


_HUSH = {"split": ["--quiet"], "rebuild": ["--quiet"], "inspect": []}


def main() -> None:
    """Measure, print, and write the page if that is wanted."""
    parser = argparse.ArgumentParser(description="how time and memory grow")
    parser.add_argument("--write", action="store_true")
    given = parser.parse_args()
    rows = []
    with tempfile.TemporaryDirectory() as folder:
        for row in measure(Path(folder)):
            print(row, flush=True)
            rows.append(row)
    if given.write:
        text = PAGE.read_text(encoding="utf-8")
        before, _, behind = text.partition(BEGIN)
        PAGE.write_text(before + BEGIN + "\n".join(rows) + "\n" + behind[behind.index(END) :])


if __name__ == "__main__":
    main()
