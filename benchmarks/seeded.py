"""Ten texts with one error each: which view shows it on its first screen.

    python -m benchmarks.seeded --write     (writes the table into docs/looking.md)

A view shows an error if what was seeded, or its line, stands in what the program says in the first 32 lines
(of the sheet: in a framed line, or in what stands above the source).
"""

from __future__ import annotations

import re
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
SCREEN = 32
BOATS = ["Tansy", "Heron Wake", "Old Regret", "Wren", "Mother Carey", "Plover", "Two Sisters"]
LOCKS = ["Orrin", "Halden Top", "Lamb", "Weir Gate", "Pitchford"]

Rows = list[list[str]]


def make_rows() -> Rows:
    """Return the records without an error."""
    return [
        [
            f"{k:03}",
            f"2031-06-{k % 28 + 1:02}",
            BOATS[k * 5 % 7],
            LOCKS[k * 3 % 5],
            f"{k % 9 + 1}.{k % 4 * 25:02}",
        ]
        for k in range(1, 49)
    ]


def spoil(number: int, **values: str) -> Callable[[Rows], None]:
    """Return what changes cells of a record."""

    def change(rows: Rows) -> None:
        for name, value in values.items():
            rows[number][["No", "Day", "Boat", "Lock", "Toll"].index(name)] = value

    return change


def swap(rows: Rows) -> None:
    rows[20][1], rows[20][4] = rows[20][4], rows[20][1]


def lose_cell(rows: Rows) -> None:
    del rows[20][3]


def lose_line(rows: Rows) -> None:
    del rows[20]


def repeat(rows: Rows) -> None:
    rows.insert(21, list(rows[20]))


#: What is wrong; how it is made; what shows it.
ERRORS: dict[str, tuple[Callable[[Rows], None], str]] = {
    "two columns swapped": (swap, r"\b22\b"),
    "a name torn by the delimiter": (spoil(20, Boat="Regret; Old"), r"Regret"),
    "a cell lost": (lose_cell, r"\b22\b"),
    "a line lost": (lose_line, r"\b0?2[012]\b.*(?:leaps from)|total-off"),
    "a total that is wrong": (lambda rows: None, r"total-off|Toll printed"),
    "a day that is none": (spoil(20, Day="soon"), r"soon"),
    "a figure without its point": (spoil(20, Toll="4275"), r"4275"),
    "a quote that never closes": (spoil(20, Boat='"Wren'), r"quote"),
    "a record that came twice": (repeat, r"records-equal|repeat"),
    "a letter of another script": (spoil(20, Boat="Тansy"), r"Т|U\+0422"),
}


def make_text(error: str) -> str:
    """Return a text with one error."""
    rows = make_rows()
    total = sum(float(row[4]) for row in rows) + (10 if error == "a total that is wrong" else 0)
    ERRORS[error][0](rows)
    lines = ["No;Day;Boat;Lock;Toll", *map(";".join, rows), f"Total {total:.2f}"]
    return "\n".join(lines) + "\n"


def look(folder: Path, *words: str) -> str:
    done = subprocess.run(
        [sys.executable, "-m", "wetcomb", *words], cwd=folder, capture_output=True, check=False,
        env={"COLUMNS": "100", "PATH": "", "PYTHONIOENCODING": "utf-8"},
    )  # fmt: skip
    return (done.stdout + done.stderr).decode()


def find_framed(page: str) -> str:
    """Return what a sheet shows before its source, and its framed lines."""
    head = page.partition('<div class="beside">')[0].partition("<main>")[2]
    return re.sub(
        r"<[^>]+>", " ", head + "\n".join(re.findall(r'<div class="l odd".*?</div>', page))
    )


def measure() -> list[list[str]]:
    """Return for each error whether each view shows it."""
    table = []
    for error, (_, regex) in ERRORS.items():
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "in.txt").write_text(make_text(error), encoding="utf-8")
            words = ["rebuild", "in.txt", "--force", "-o", "o.csv"]
            views = [look(folder, "inspect", "in.txt"), look(folder, *words)]
            views += [  # what stands before the account
                look(folder, *words, flag).partition("  verdict ")[0]
                for flag in ("--extremes", "--show-steps")
            ]
            look(folder, *words, "--sheet", "s.html", "--quiet")
            views = ["\n".join(view.splitlines()[:SCREEN]) for view in views]
            views.append(find_framed((folder / "s.html").read_text(encoding="utf-8")))
        table.append([error, *("yes" if re.search(regex, view) else "" for view in views)])
    return table


def main() -> None:
    heads = ["seeded error", "inspect", "account", "--extremes", "--show-steps", "sheet"]
    rows = [heads, ["---"] * len(heads), *measure()]
    drawn = "\n".join("| " + " | ".join(row) + " |" for row in rows)
    print(drawn)
    if "--write" in sys.argv:
        page = ROOT / "docs" / "looking.md"
        text = page.read_text(encoding="utf-8")
        before, _, rest = text.partition("<!-- seeded -->")
        behind = rest.partition("<!-- end of seeded -->")[2]
        page.write_text(
            f"{before}<!-- seeded -->\n\n{drawn}\n\n<!-- end of seeded -->{behind}",
            encoding="utf-8",
        )


if __name__ == "__main__":
    main()
