"""Run random texts, steps, combs and command lines through the program, and look for what must never be.

PYTHONPATH=tests:tests/cli python scripts/fuzz.py --seconds 600 --seed 7

Each round makes a small text of what matters (delimiters, marks, line ends, labels, page marks,
odd bytes), a command line of options that may or may not go together, and runs it in this
process. What must hold: exit status 0, 1 or 2; one line where it is 2 (a comb may have more);
never a fault of the tool's own; the same table from the comb that was saved; the same table
however the text is cut into chunks. What does not is told with what makes it again.

Exit status: 0 nothing was found, 1 something was.
"""

from __future__ import annotations

import argparse
import contextlib
import io
import os
import random
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

from test_any_options import OPTIONS, PIECES, SWITCHES

from wetcomb.cli.main import main
from wetcomb.combs.engine import run_blocks
from wetcomb.combs.toml import load_comb
from wetcomb.core.decoded import Decoded
from wetcomb.core.errors import WetCombError
from wetcomb.core.report import Report

MORE = [
    "From: a@b.example\nTo: b\n", "| a | b |\n|---|---|\n", "a=1; b=2\n", "Total;;3\n", "Page 1 of 3\n",
    "  12,5  3\n", "----  ----\n", "\u200b", "\u200e", "Ã©", "> q\n", "x\ty\tz\n", '"a;b";c\n', "a;b;c\n",
    "1;2;3\n", "Boat   Toll\n", "Tansy  4,50\n", "Wren   1,50\n", "«a;b»", "├──┼──┤\n", "│ a │ b │\n", "\0", "\x1b[1m",
]  # fmt: skip
WASH = [
    [],
    ["--keep", "control"],
    ["--drop-lines", "Total{any}"],
    ["--page-head", "Page {digits} of {digits}"],
    ["--plain-spaces"],
]
UNWRAP = [
    ["--indent"],
    ["--starts", "{digits}"],
    ["--blank-lines"],
    ["--all"],
    ["--fields", "2", "-d", "semicolon"],
    ["--indent", "--hyphens", "mend"],
]
PULL = [
    [], ["--label=a", "--label=Boat"], ["--label=From", "--label=To|Total as t", "--multiline=t"],
    ["--label=a", "--blocks=rule", "--unclaimed=column"], ["--label=b", "--blocks=blank-line", "--again=join"],
    ["--label=a", "--labels-anywhere", "--until=*=Wren"], ["--label=mail.from", "--label=x", "--label-mark=,"],
    ["--label=a", "--label=a#2 as s", "--each={word as w} {digits as n?}"], ["--label=b", "--again=rows", "--label-counts"],
    ["--pattern={words as p} {number as q?}", "--above=Total as t", "--left-of=3 as l", "--blocks=blank-line"],
    ["--label=a", "--blocks=rising", "--unclaimed=column"], ["--label=From", "--blocks=mail", "--multiline=*"],
    ["--between", "a", "b", "x", "--between", "(", ")", "y", "--blocks=rule", "--again=join"],
    ["--pattern={Boat|Wren|a as k}", "--each={digits as d}{any as r?}", "--unclaimed=column"],
    ["--label=a|b as c", "--blocks={digits}"], ["--label=a", "--blocks={word as h}{text as i?}", "--until=a=,"], ["--label=Boat", "--blocks=file", "--again=last"],
]  # fmt: skip
CLEANED = 0.4  # of the chains
CLEAN = [
    ["--number", "1=1.234,5|12.5 EUR"], ["--number", "2=1,5 t", "--currency", "column"], ["--date", "1=31.12.24|3 Dec 2024"],
    ["--drop-repeats", "--ignore-case"], ["--drop-repeats", "--by", "1"], ["--carry", "1,2", "--one-space"], ["--unquote", "--missing", "a,nil"],
    ["--strip", "1=*a", "--take-out", "2=,;"], ["--replace", "1:{digits}=x", "--letters", "2=upper"], ["--rename", "1=zz", "--only", "zz"],
    ["--sort=-1,2", "--without", "2"], ["--fix", "2:a=zz", "--drop-records", "3"], ["--drop-matching", "{any}a{any}", "--must", "records=2"],
    ["--drop-repeats", "--by", "1", "--repeat-kept", "last"], ["--must", "unique 1", "--must", "filled 2", "--must", "sum 1=3"],
]  # fmt: skip
REALIGN = [
    ["--optional", "1"],
    ["--absorb", "1"],
    ["--shape", "field-1=digits"],
    ["--rising", "1"],
    ["--values", "field-1=a,b"],
]


def make_text(rng: random.Random) -> bytes:
    """Return a text of little but what matters, at times in another encoding or with odd bytes."""
    pool = rng.choice([PIECES, MORE, PIECES + MORE])
    text = "".join(rng.choice(pool) * rng.choice([1, 1, 1, 3]) for _ in range(rng.randrange(1, 40)))
    raw = text.encode(rng.choice(["utf-8"] * 6 + ["utf-16", "utf-16-le"]))
    if rng.random() < 0.1:
        place = rng.randrange(len(raw) + 1)
        raw = raw[:place] + bytes([rng.randrange(256)]) + raw[place:]
    return raw


def make_split(rng: random.Random) -> list[str]:
    """Return options of split, few of which need go together."""
    names = rng.sample(sorted(OPTIONS), rng.choice([0, 1, 2, 3, 5]))
    words = [f"{name}={rng.choice(OPTIONS[name])}" for name in names]
    return words + rng.sample(SWITCHES, rng.choice([0, 0, 0, 1, 2]))


def make_command(rng: random.Random) -> list[str]:
    """Return the words of a command on in.txt."""
    kind = rng.random()
    if kind < 0.2:
        return ["rebuild", "in.txt", *make_split(rng)]
    if kind < 0.3:
        return ["inspect", "in.txt", *make_split(rng)]
    steps = [["split", *make_split(rng)]]
    if rng.random() < 0.3:
        steps = [["pull", *rng.choice(PULL)]]
    if rng.random() < 0.3:
        steps.insert(0, ["unwrap", *rng.choice(UNWRAP)])
    if rng.random() < 0.3:
        steps.insert(0, ["wash", *rng.choice(WASH)])
    if rng.random() < 0.3:
        steps.append(["realign", *rng.choice(REALIGN)])
    if rng.random() < CLEANED:
        steps.append(["clean", *rng.choice(CLEAN)])
    if rng.random() < 0.2:
        steps.append(["split", "--column", "1", *make_split(rng)])
    first, *others = steps
    words = [first[0], "in.txt", *first[1:]]
    for step in others:
        words += ["+", *step]
    return words


class Found(Exception):
    """Something that must never be."""


def run(words: list[str]) -> tuple[int, str]:
    """Return the exit status of the program, and what it said."""
    said = io.TextIOWrapper(io.BytesIO(), encoding="utf-8")
    shown = io.TextIOWrapper(io.BytesIO(), encoding="utf-8")
    with contextlib.redirect_stderr(said), contextlib.redirect_stdout(shown):
        try:
            status = main(words)
        except SystemExit as error:
            status = int(error.code or 0)
        said.flush()
    return status, said.buffer.getvalue().decode()  # type: ignore[attr-defined]


def look(words: list[str]) -> str:
    """Run a command and look at what came; return its outcome in a word."""
    outputs = [
        "-o",
        "out.csv",
        "--force",
        "--save-comb",
        "my.comb.toml",
        "--ledger",
        "l.csv",
        "--snags",
        "s.csv",
    ]
    is_look = words[0] == "inspect"
    status, said = run(words if is_look else words + outputs)
    if "this is a fault" in said or status not in (0, 1, 2):
        raise Found(said[:300])
    if status == 2:
        if said.count("wetcomb: ") != 1:
            raise Found(f"not one line: {said[:300]}")
        return "refused"
    if is_look:
        return "looked at"
    table = Path("out.csv").read_bytes()
    status, said = run(
        ["rebuild", "in.txt", "--comb", "my.comb.toml", "--unchecked", "-o", "again.csv", "--force"]
    )
    if status == 2 or Path("again.csv").read_bytes() != table:
        raise Found(f"another table from the comb that was saved: {said[:300]}")
    return "done"


def look_at_chunks(raw: bytes, rng: random.Random) -> str:
    """Run the saved comb over the text in one chunk and in many; return the outcome in a word."""
    comb = load_comb(Path("my.comb.toml"))
    try:
        text = raw.decode()
    except UnicodeDecodeError:
        return "no chunks"
    tables = []
    for size in (len(text), rng.randrange(1, 20)):
        blocks = [Decoded.of(text[k : k + size]) for k in range(0, len(text), size)]
        try:
            batches = list(run_blocks(comb.steps, blocks, Report(), part=comb.part))
            tables.append([row for b in batches if b.table is not None for row in b.table.rows()])
        except WetCombError as error:
            tables.append(str(error))
    if tables[0] != tables[1]:
        raise Found(f"chunks of {size} give another table: {tables[0]!r} and {tables[1]!r}"[:600])
    return "chunked"


def fuzz(seed: int, seconds: float) -> int:
    """Run rounds until the time is over; return the exit status."""
    rng, end, counts, found = random.Random(seed), time.monotonic() + seconds, Counter[str](), 0
    with tempfile.TemporaryDirectory() as folder:
        os.chdir(folder)
        while time.monotonic() < end and found < 20:
            raw, words = make_text(rng), make_command(rng)
            Path("in.txt").write_bytes(raw)
            try:
                outcome = look(words)
                counts[outcome] += 1
                if outcome == "done":
                    counts[look_at_chunks(raw, rng)] += 1
            except Found as error:
                found += 1
                print(f"{error}\n  text {raw!r}\n  words {words}\n", flush=True)
            except Exception as error:  # the shell is to catch all of them
                found += 1
                print(
                    f"{type(error).__name__}: {error}\n  text {raw!r}\n  words {words}\n",
                    flush=True,
                )
        os.chdir(Path(__file__).parent)
    print(f"seed {seed}: {sum(counts.values()):,} outcomes: {dict(counts)}; {found} found")
    return int(found > 0)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--seconds", type=float, default=60)
    parser.add_argument("--seed", type=int, default=1)
    given = parser.parse_args()
    sys.exit(fuzz(given.seed, given.seconds))
