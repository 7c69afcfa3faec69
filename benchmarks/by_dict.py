"""The yardstick for comparing tables: the csv module and dicts, as a script is written.

python by_dict.py OLD NEW KEY
"""

import csv
import sys

old, new, key = sys.argv[1:]
with open(old, newline="", encoding="utf-8") as file:
    before = {row[key]: row for row in csv.DictReader(file)}
with open(new, newline="", encoding="utf-8") as file:
    after = {row[key]: row for row in csv.DictReader(file)}
changed = [name for name, row in after.items() if name in before and before[name] != row]
print(len(changed), len(before.keys() - after.keys()), len(after.keys() - before.keys()))
