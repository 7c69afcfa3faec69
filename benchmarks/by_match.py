"""The yardstick for a pattern: re.match on every line until one meets it, the rest copied.

python by_match.py INPUT OUTPUT EXPRESSION
"""

import re
import sys

source, target, expression = sys.argv[1:]
begins = re.compile(expression)
with (
    open(source, newline="", encoding="utf-8") as text,
    open(target, "w", newline="", encoding="utf-8") as table,
):
    for line in text:
        if begins.match(line):
            table.write(line)
            table.writelines(text)
