"""The yardstick for repeats: the csv module and a set of tuples, as a script is written.

python by_set.py INPUT OUTPUT
"""

import csv
import sys

source, target = sys.argv[1:]
seen = set()
with open(source, newline="") as file, open(target, "w", newline="") as out:
    writer = csv.writer(out)
    for row in csv.reader(file, delimiter=";"):
        key = tuple(row)
        if key not in seen:
            seen.add(key)
            writer.writerow(row)
