"""How dear it is to realign: records that fit, and records that do not.

python -m benchmarks.realigning     about two minutes
"""

from __future__ import annotations

import random
import statistics
import sys
import time
from pathlib import Path

import numpy as np

from benchmarks.data import make_passages
from benchmarks.processes import DATA, WETCOMB, run
from wetcomb import Comb, Realign, Split
from wetcomb.core.table import Table
from wetcomb.match.digests import Reader
from wetcomb.steps.realign.found import BestReadings, read_matrix
from wetcomb.steps.realign.laid_pieces import find_pieces
from wetcomb.steps.realign.profiles import Bounds, Profile

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))
from plain_readings import PlainReader

SHAPES = (
    "No=digits", "Day=date", "Boat=words", "Lock=words", "Tons={digits}.{1 digits}", "Toll={digits}.{2 digits}",
)  # fmt: skip
STEP = Realign(
    shape=SHAPES, values="Cargo=coal,slate,hay,lime,timber,bricks,barley", optional=("Cargo", "Tons", "Remark"), absorb="Boat"
)  # fmt: skip
N_MISFITS, N_PLAIN, BATCH = 100_000, 4_000, 4096


def compare_fitting() -> str:
    """Return how long records that fit take with a realign behind the split that cuts them."""
    text = DATA / "passages-50.txt"
    make_passages(text, 50)
    split = [
        WETCOMB,
        "split",
        str(text),
        "-d",
        "semicolon",
        "--heading",
        "first",
    ]
    split += ["-o", str(DATA / "ours.csv"), "--force", "--quiet"]
    more = ["+", "realign", "--optional", "Cargo,Tons,Remark", "--absorb", "Boat"]
    more += [word for shape in SHAPES for word in ("--shape", shape)]
    more += ["--values", *STEP.values]
    pairs = [(run(split).seconds, run([*split, *more]).seconds) for _ in range(12)][1:]
    share = statistics.median(after / before for before, after in pairs)
    return f"Records that fit take {share:.2f} times as long with a realign that knows seven of eight columns behind their split (to reach: <= 1.30)."


def compare_misfits() -> str:
    """Return how much faster 100,000 misfits of eight columns are read than by plain Python, record by record."""
    names, records = make_misfits()
    text = ";".join(names) + "\n" + "\n".join(map(";".join, records)) + "\n"
    table = Comb((Split(delimiter="semicolon", heading="first", fields=0),)).run(text)
    seconds = []
    for _ in range(3):
        begin = time.perf_counter()
        found = read_all(table)
        seconds.append(time.perf_counter() - begin)
    plain = PlainReader(STEP, names, ";")
    begin = time.perf_counter()
    for place, record in enumerate(records[:N_PLAIN]):
        best, *others = plain.read(record)
        assert best.cost == found.costs[place]
        assert not others or others[0].cost == found.next_costs[place]
    slow = (time.perf_counter() - begin) * N_MISFITS / N_PLAIN
    fast = statistics.median(seconds)
    return f"{N_MISFITS:,} misfits over 8 columns are read in {fast:.2f} s, by plain Python in {slow:.0f} s (from {N_PLAIN:,} of them): {slow / fast:.0f} times as fast (to reach: >= 30)."


def make_misfits() -> tuple[list[str], list[list[str]]]:
    """Return the headings and records that lost cells, or whose boat came in several pieces."""
    text = DATA / "passages-50.txt"
    make_passages(text, 50)
    rng, records = random.Random(1), []
    with text.open(encoding="utf-8") as file:
        names = next(file).rstrip("\n").split(";")
        for line in file:
            pieces: list[str | None] = list(line.rstrip("\n").split(";"))
            for place in rng.choice([(4,), (5,), (4, 5)]):
                pieces[place] = None
            pieces[7] = pieces[7] or None
            boat = str(pieces[2])
            if rng.random() < 0.3 and " " in boat:
                pieces[2:3] = boat.split(" ")
            records.append([piece for piece in pieces if piece is not None])
            if len(records) == N_MISFITS:
                break
    return names, records


def read_all(table: Table) -> BestReadings:
    """Read all records of a table anew."""
    profile, reader = Profile(STEP, table.names), Reader(table.text.data)
    laid = find_pieces(table, np.arange(table.n_records), ())
    found = BestReadings.none(table.n_records, len(table.names))
    for n_pieces in np.unique(laid.counts).tolist():
        same = np.flatnonzero(laid.counts == n_pieces)
        for begin in range(0, same.size, BATCH):
            places = same[begin : begin + BATCH]
            matrix = laid.matrix(reader, places, n_pieces, Bounds({}, {}))
            found.put(places, read_matrix(profile, matrix))
    return found


if __name__ == "__main__":
    DATA.mkdir(exist_ok=True)
    print(compare_fitting())
    print(compare_misfits())
