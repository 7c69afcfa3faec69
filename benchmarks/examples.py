"""Examples: how many tasks come out whole with one, and with two, and which are doubted.

    python -m benchmarks.examples [--seed N] [--count N] [--failed]

The first record of a task is the first example; the second is the record that was asked about, or
else the first that came out wrong.
"""

from __future__ import annotations

import argparse
import statistics
import time
from collections import defaultdict
from collections.abc import Sequence
from contextlib import suppress

from benchmarks.tasks import Task, make_tasks
from wetcomb import WetCombError, draft
from wetcomb.drafts.examples.example import Example

__all__ = ["try_task"]


def try_task(task: Task, rows: Sequence[int]) -> tuple[bool, bool, list[list[str]], int]:
    """Return whether the table is whole, whether it is doubted, the table, and the record that is asked about, -1 for none."""
    examples = [Example(tuple(task.rows[row]), (), task.lines[row]) for row in rows]
    try:
        comb = draft(task.text, examples=examples, with_commands=False)
        found = [[value or "" for value in row] for row in comb.run(task.text).rows()]
    except WetCombError as error:
        return False, True, [[f"{type(error).__name__}: {error}"]], -1
    asked = next((d.lines[0][0] for d in comb.doubts if d.name == "example-open"), 0)
    row = task.lines.index(asked) if asked in task.lines else -1
    for k in rows:
        assert found == task.rows or task.rows[k] in found, "a rule contradicts its example"
    return found == task.rows, bool(comb.doubts), found, row


def main() -> None:
    """Print the figures by kind."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--count", type=int, default=300)
    parser.add_argument("--failed", action="store_true", help="show what came out otherwise")
    given = parser.parse_args()
    counts: defaultdict[str, list[int]] = defaultdict(lambda: [0] * 8)
    more: list[float] = []
    for task in make_tasks(given.count, given.seed):
        start = time.process_time()
        with suppress(WetCombError):
            draft(task.text, with_commands=False)
        plain = time.process_time() - start
        start = time.process_time()
        whole, doubted, found, asked = try_task(task, [0])
        more.append(time.process_time() - start - plain)
        wrong = next((k for k, row in enumerate(task.rows) if row not in found), 0)
        second = asked if asked > 0 else wrong
        then = (whole, doubted, found, asked) if not second else try_task(task, [0, second])
        sums = counts[task.kind]
        for place, hit in enumerate((True, whole, whole and doubted, not whole and not doubted, then[0], not then[0] and not then[1], task.is_open, task.is_open and asked >= 0)):  # fmt: skip
            sums[place] += hit
        if given.failed and not (whole and then[0]):
            bad = [(a, b) for a, b in zip(task.rows, found, strict=False) if a != b][:2]
            print(f"--- {task.kind}: one {whole} doubted {doubted}, two {then[0]} ({second})\n{task.text[:160]}\n  {bad}\n  {[(a, b) for a, b in zip(task.rows, then[2], strict=False) if a != b][:2]}")  # fmt: skip
    print("kind: tasks, whole with one, of these doubted, silent and wrong, whole with two, silent and wrong, open, asked of these")  # fmt: skip
    for kind, sums in [*sorted(counts.items()), ("all", [sum(one) for one in zip(*counts.values(), strict=True)])]:  # fmt: skip
        print(f"{kind}: {', '.join(map(str, sums))}")
    print(f"CPU on top of a draft: median {statistics.median(more):.2f} s, 95 in 100 below {sorted(more)[int(0.95 * len(more))]:.2f} s, most {max(more):.2f} s")  # fmt: skip


if __name__ == "__main__":
    main()
