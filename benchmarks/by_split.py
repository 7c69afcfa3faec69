"""The yardstick for changes of kind: re.split on every line, written with the csv module.

python by_split.py INPUT OUTPUT NAME ...
"""

import csv
import re
import sys

source, target, *names = sys.argv[1:]
change = re.compile("(?<=[0-9])(?=[A-Za-z])|(?<=[A-Za-z])(?=[0-9])")
with (
    open(source, newline="", encoding="utf-8") as text,
    open(target, "w", newline="", encoding="utf-8") as table,
):
    writer = csv.writer(table, lineterminator="\n")
    writer.writerow(names)
    for line in text:
        writer.writerow(change.split(line.rstrip("\n")))
