"""The yardsticks for wrapped records: line by line, written with the csv module.

python by_lines.py indent INPUT OUTPUT
python by_lines.py starts INPUT OUTPUT PREFIX
python by_lines.py wrapped INPUT OUTPUT COLUMN ...
"""

import csv
import sys
from itertools import pairwise

rule, source, target, *words = sys.argv[1:]
spans = list(pairwise([0, *map(int, words), None])) if rule == "wrapped" else []


def join_lines(lines):
    """Yield each record's text: its lines, stripped, with a blank between them."""
    parts = []
    for line in lines:
        goes_on = line[0] in " \t" if rule == "indent" else not line.startswith(words[0])
        if parts and not goes_on:
            yield [" ".join(parts)]
            parts = []
        parts.append(line.strip())
    yield [" ".join(parts)]


def join_cells(lines):
    """Yield each record's cells; a line whose first cell is blank goes on with the record above."""
    record = []
    for line in lines:
        cells = [line[start:end].strip() for start, end in spans]
        if cells[0]:
            if record:
                yield record
            record = cells
        else:
            record = [
                f"{old} {new}" if new else old for old, new in zip(record, cells, strict=True)
            ]
    yield record


with (
    open(source, newline="", encoding="utf-8") as text,
    open(target, "w", newline="", encoding="utf-8") as table,
):
    writer = csv.writer(table, lineterminator="\n")
    writer.writerow(next(text).split())
    writer.writerows(join_cells(text) if rule == "wrapped" else join_lines(text))
