"""How many damaged records realign mends, and how many it mends wrongly, on tables with known truth.

python -m benchmarks.repair             prints the table; about two minutes
python -m benchmarks.repair --write     puts it into docs/realigning.md too
python -m benchmarks.repair --records 300 --seeds 10   small tables, of which a draft knows less
"""

from __future__ import annotations

import argparse
import re
import sys
from collections import Counter
from collections.abc import Callable
from pathlib import Path

from wetcomb import Comb, Realign, Split, draft

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))
from damage import TABLES, Damaged, Kind, damage, spoil

PAGE = Path(__file__).parent.parent / "docs" / "realigning.md"
SHARES = (0.05, 0.1, 0.2, 0.3)


def count(comb: Comb, made: Damaged) -> Counter[str]:
    """Return how many damaged records are mended, snags, or wrong; and sound ones changed or snags."""
    table = comb.run(made.text)
    snags = set(table.snags.records.tolist())
    found: Counter[str] = Counter()
    for row, (got, true, odd) in enumerate(
        zip(table.rows(), made.rows, made.is_damaged, strict=True)
    ):
        is_right = [value or "" for value in got] == true and table.rest(row) is None
        what = "snag" if row in snags else "right" if is_right else "wrong"
        found[f"{'damaged' if odd else 'sound'} {what}"] += 1
    return found


def measure(
    kind: Kind, make: Callable[[Kind, int, float, int], Damaged], n_records: int, n_seeds: int
) -> list[str]:
    """Return the rows of the table for one kind: with options stated, and by a draft alone."""
    rows = []
    for how in ("stated", "drafted"):
        found: Counter[str] = Counter()
        for nth, share in enumerate(SHARES * n_seeds):
            made = make(kind, n_records, share, nth)
            split = Split(delimiter="semicolon", heading="first", fields=0)
            step = Realign(optional=kind.optional, absorb=kind.absorb, **kind.options)
            comb = Comb((split, step)) if how == "stated" else draft(made.text)
            found += count(comb, made)
        n = sum(number for what, number in found.items() if what.startswith("damaged"))
        mended = found["damaged right"]
        rows.append(
            f"| {kind.name} | {how} | {n} | {mended} ({100 * mended / n:.1f} %) | {found['damaged snag']}"
            f" | {found['damaged wrong']} | {found['sound snag']} | {found['sound wrong']} |"
        )
    return rows


def main() -> None:
    """Measure all tables."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--write", action="store_true")
    parser.add_argument("--records", type=int, default=3000)
    parser.add_argument("--seeds", type=int, default=1, help="tables of each share")
    given = parser.parse_args()
    pages = []
    for title, make in (("damaged", damage), ("spoilt", spoil)):
        head = f"table | options | {title} records | mended | left as snags | wrong, no snag | sound ones made snags | sound ones changed"
        table = [f"| {head} |", "|" + " --- |" * 8]
        print(table[0])
        for kind in TABLES:
            table += measure(kind, make, given.records, given.seeds)
            print("\n".join(table[-2:]), flush=True)
        pages.append("\n".join(table))
    if given.write:
        text = "<!-- repair -->\n" + "\n\n".join(pages) + "\n<!-- /repair -->"
        page = PAGE.read_text(encoding="utf-8")
        PAGE.write_text(
            re.sub("<!-- repair -->.*<!-- /repair -->", lambda _: text, page, flags=re.DOTALL),
            encoding="utf-8",
        )


if __name__ == "__main__":
    main()
