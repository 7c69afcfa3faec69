"""Two tables of a million records held against each other, beside a script with csv and dicts (`by_dict.py`).

python -m benchmarks.comparing
"""

from __future__ import annotations

import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

from benchmarks.processes import WETCOMB, run

N = 1_000_000
RUNS = 3
MAKE = """
import random, sys
chance = random.Random(1831)
old, new = (open(path, "w") for path in sys.argv[1:3])
for file in (old, new):
    file.write("No,Boat,Lock,Passed,Toll\\n")
for k in range(int(sys.argv[3])):
    line = f"LK-{k:07d},Boat {chance.randrange(900)},Lock {k % 17},2031-06-{k % 28 + 1:02d},{chance.randrange(10**5) / 100:.2f}\\n"
    if k % 1000 != 3:
        old.write(line)
    if k % 1000 != 5:
        new.write(line.replace("2031", "2032") if k % 1000 == 7 else line)
"""


def main() -> None:
    """Run the pairs."""
    with tempfile.TemporaryDirectory() as folder:
        old, new = (str(Path(folder) / name) for name in ("old.csv", "new.csv"))
        run([sys.executable, "-c", MAKE, old, new, str(N)])
        mine = [WETCOMB, "compare", old, new, "--by", "No"]
        script = [sys.executable, str(Path(__file__).with_name("by_dict.py")), old, new, "No"]
        said = subprocess.run(mine, capture_output=True, text=True, check=False).stdout
        print(said, subprocess.run(script, capture_output=True, text=True, check=False).stdout)
        # its status is 1 where they differ: sh says that this is as it should be
        pairs = [(run(["/bin/sh", "-c", " ".join(mine) + " --quiet || true"]), run(script, quiet=True)) for _ in range(RUNS)]  # fmt: skip
    ratios = [other.seconds / one.seconds for one, other in pairs]
    one, other = pairs[-1]
    print(
        f"compare, 2 tables of {N:,} records: {one.seconds:.2f} s, {one.memory:.0f} MB; the script {statistics.median(ratios):.1f} times as long "
        f"({min(ratios):.1f} to {max(ratios):.1f}; to reach: 2), {other.memory:.0f} MB: {one.memory / other.memory:.2f} of its memory (to reach: 0.33)"
    )


if __name__ == "__main__":
    main()
