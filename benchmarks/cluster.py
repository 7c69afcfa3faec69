"""The same comb on a cluster: one worker and two, by turns.

    python -m benchmarks.cluster [--megabytes 500] [--texts 20000] [--runs 3] [--write]

Two jobs: one long text of notices, and many small ones. The cluster is up before the clock starts, as
one that is shared is; how long it takes to start is told by itself. What a megabyte, a task and a
part take is read off the same runs; what one machine hands out and sums up, off a run whose parts
are all there.
"""

from __future__ import annotations

import argparse
import resource
import shutil
import statistics
import tempfile
import time
from pathlib import Path
from typing import Any

from distributed import Client, LocalCluster, as_completed

from benchmarks.data import make_text
from wetcomb import Comb, Fits, Split
from wetcomb.core.report import Report
from wetcomb.jobs.cluster.journal import Journal
from wetcomb.jobs.cluster.recipe import BundleDone, PartFile, Recipe, TextAt
from wetcomb.jobs.cluster.tasks import look, survey
from wetcomb.jobs.settings import JobSettings

PAGE = Path(__file__).parent.parent / "docs" / "performance.md"
COMB = Comb(
    (Split(delimiter=("comma",), quote=("double",), heading="first", fields=8),),
    fits=Fits(columns=("no", "issued", "place", "boat", "notice", "days", "toll", "keeper")),
)
PART = 32 << 20
RECORDS = 10  # of a small text


def write_small(folder: Path, number: int) -> str:
    """Write small texts; return the pattern that names them."""
    folder.mkdir()
    make_text(folder / "some.txt", 1, "ASCII")
    heading, *lines = (folder / "some.txt").read_text(encoding="utf-8").splitlines(keepends=True)
    (folder / "some.txt").unlink()
    for place in range(number):
        first = place * RECORDS % (len(lines) - RECORDS)
        text = heading + "".join(lines[first : first + RECORDS])
        (folder / f"t{place:06}.txt").write_text(text, encoding="utf-8")
    return str(folder / "*.txt")


def measure(texts: str, folder: Path, client: Any, *, again: bool = False) -> float:
    """Return how long a run takes; `again` where all its parts are there."""
    if not again:
        shutil.rmtree(folder, ignore_errors=True)
    start = time.perf_counter()
    done = COMB.run_many(texts, folder, client=client)
    took = time.perf_counter() - start
    assert done.parts and not done.aside
    assert done.n_kept == (len(done.parts) if again else 0)
    return took


def do_nothing(report: Report) -> Report:
    """Take what a task takes, and give back what it gives."""
    return report


def measure_costs(folder: Path, text: Path, client: Any) -> str:
    """Return what a megabyte, a task and a part cost beside the combing."""
    report = COMB.run_many(str(folder / "small" / "t00000*.txt"), folder / "cost").report
    number = 200
    start = time.perf_counter()
    for future in as_completed(
        [client.submit(do_nothing, report, pure=False) for _ in range(number)]
    ):
        future.result()
    task = (time.perf_counter() - start) / number
    journal = Journal(folder / "laid", dict.fromkeys(("version", "comb", "options"), ""), ".csv", begins_anew=True)  # fmt: skip
    whole = Report()
    start = time.perf_counter()
    for place in range(number):
        (folder / "laid" / "_run" / f"{place}").write_bytes(b"some")
        journal.lay_down(f"{place}", BundleDone("key", report=report, part=PartFile(4, "digest")))
        whole.add(report)
    merge = (time.perf_counter() - start) / number
    journal.close()
    seen = text.stat()
    at = TextAt("long", str(text), seen.st_size, seen.st_mtime_ns)
    recipe = Recipe(COMB, JobSettings(inputs=[], folder=folder), str(folder), PART)
    look_done = look(recipe, at, -1)
    n_cuts = min(8, seen.st_size // PART)
    start = time.perf_counter()
    survey(recipe, at, look_done, 0, n_cuts)
    rate = n_cuts * (PART >> 20) / (time.perf_counter() - start)
    return f"A task handed out and taken back costs {1000 * task:.1f} ms, a part laid down and summed {1000 * merge:.1f} ms; a survey reads {rate:.0f} MB a second."


def find_memory() -> int:
    """Return the most memory that a process has had (MB)."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss >> 10


def tell(times: list[float]) -> str:
    """Return the median, with the least and the most."""
    return f"{statistics.median(times):.1f} s ({min(times):.1f} to {max(times):.1f})"


def run(megabytes: int, n_texts: int, n_runs: int) -> str:
    """Measure; return what the page says."""
    rows = ["| job | one worker | two workers | two over one | all parts there |", "| --- | --- | --- | --- | --- |"]  # fmt: skip
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        make_text(folder / "long.txt", megabytes, "ASCII")
        jobs = {
            f"one text of {megabytes} MB": str(folder / "long.txt"),
            f"{n_texts:,} texts of {RECORDS} records": write_small(folder / "small", n_texts),
        }
        start = time.perf_counter()
        options: dict[str, Any] = {"threads_per_worker": 1, "dashboard_address": ":0", "memory_limit": 0, "silence_logs": 50}  # fmt: skip
        with (
            LocalCluster(n_workers=1, **options) as one, Client(one) as first,
            LocalCluster(n_workers=2, **options) as two, Client(two) as second,
        ):  # fmt: skip
            starting = (time.perf_counter() - start) / 2
            for name, texts in jobs.items():
                clients = {"one": first, "two": second}
                times: dict[str, list[float]] = {key: [] for key in [*clients, "again"]}
                for _ in range(n_runs):
                    for key, client in clients.items():
                        times[key].append(measure(texts, folder / key, client))
                    times["again"].append(measure(texts, folder / "two", second, again=True))
                ratios = [a / b for a, b in zip(times["one"], times["two"], strict=True)]
                ratio = f"{statistics.median(ratios):.2f} ({min(ratios):.2f} to {max(ratios):.2f})"  # fmt: skip
                rows.append(f"| {name} | {tell(times['one'])} | {tell(times['two'])} | {ratio} | {tell(times['again'])} |")  # fmt: skip
            memory = max(second.run(find_memory).values())
            costs = measure_costs(folder, folder / "long.txt", second)
    rows += ["", costs, f"A local cluster takes {starting:.1f} s to start. A worker had {memory} MB at most, over all runs."]  # fmt: skip
    return "\n".join(rows)


def main() -> None:
    """Print the table, and write it into the page if asked to."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--megabytes", type=int, default=500)
    parser.add_argument("--texts", type=int, default=20_000)
    parser.add_argument("--runs", type=int, default=3)
    parser.add_argument("--write", action="store_true", help="write it into docs/performance.md")
    given = parser.parse_args()
    said = run(given.megabytes, given.texts, given.runs)
    print(said)
    if given.write:
        before, _, behind = PAGE.read_text(encoding="utf-8").partition("<!-- cluster -->\n")
        behind = behind.partition("<!-- /cluster -->")[2]
        PAGE.write_text(f"{before}<!-- cluster -->\n{said}\n<!-- /cluster -->{behind}", encoding="utf-8")  # fmt: skip


if __name__ == "__main__":
    main()
