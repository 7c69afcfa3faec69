"""The yardstick: Python's own csv module, reading and writing, columns dropped if asked.

python by_csv.py INPUT OUTPUT [COLUMN ...]     columns to keep, counted from 0
"""

import csv
import sys

source, target, *columns = sys.argv[1:]
keep = [int(column) for column in columns]
with (
    open(source, newline="", encoding="utf-8") as text,
    open(target, "w", newline="", encoding="utf-8") as table,
):
    writer = csv.writer(table, lineterminator="\n")
    if keep:
        writer.writerows([row[column] for column in keep] for row in csv.reader(text))
    else:
        writer.writerows(csv.reader(text))
