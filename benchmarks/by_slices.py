"""The yardstick for edges: slice every line, strip the pieces, write them with the csv module.

python by_slices.py INPUT OUTPUT COLUMN ...
"""

import csv
import sys
from itertools import pairwise

source, target, *columns = sys.argv[1:]
cuts = [0, *map(int, columns), None]
spans = list(pairwise(cuts))
with (
    open(source, newline="", encoding="utf-8") as text,
    open(target, "w", newline="", encoding="utf-8") as table,
):
    writer = csv.writer(table, lineterminator="\n")
    for line in text:
        writer.writerow([line[start:end].strip() for start, end in spans])
