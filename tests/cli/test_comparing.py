"""Held against something: compare, check, --why, --against, and the file that is replaced."""

from __future__ import annotations

import csv
import io
import random
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import wetcomb as package
from program import wetcomb
from wetcomb.combs.compare import compare
from wetcomb.combs.memory import make_table
from wetcomb.combs.sides import Side
from wetcomb.steps.split.options import Split

DEMO = Path(package.__file__).parent / "demo"
HEAD = ["No", "Boat", "Cargo", "Toll"]
ROWS = [[f"LK-{k:02d}", f"Boat {k % 7}", ("coal", "slate", "hay")[k % 3], f"{k}.50"] for k in range(30)]  # fmt: skip


def write(path: Path, rows: list[list[str]], names: list[str] | None = None) -> None:
    text = io.StringIO(newline="")
    csv.writer(text, lineterminator="\n").writerows([names or HEAD, *rows])
    path.write_text(text.getvalue(), encoding="utf-8")


def change(**cells: str) -> Callable[[list[list[str]]], list[list[str]]]:
    """Return what changes cells of the fifth record."""

    def edit(rows: list[list[str]]) -> list[list[str]]:
        rows[4] = [cells.get(name, value) for name, value in zip(HEAD, rows[4], strict=True)]
        return rows

    return edit


#: What was done to a table, the words it is compared with, what the first screen says, the exit status.
SEEDED: list[tuple[Callable[[list[list[str]]], list[list[str]]], list[str] | None, str, list[str], int]] = [
    (lambda rows: rows, None, "", ["verdict alike", "30 are the same, of 30 and 30"], 0),
    (lambda rows: [[a, c, b, d] for a, b, c, d in rows], ["No", "Boat", "Cargo", "Toll"], "", ["'Boat' and 'Cargo' have each other's values"], 1),
    (lambda rows: [[a, c, b, d] for a, b, c, d in rows], ["No", "Cargo", "Boat", "Toll"], "", ["they stand in another order", "30 are the same"], 1),
    (lambda rows: rows, ["No", "Vessel", "Cargo", "Toll"], "", ["'Boat' is called 'Vessel'", "30 are the same"], 1),
    (change(Toll="03 Jun 2031"), None, "--by No", ["1 record with other cells: Toll 1", "line 6 (LK-04): Toll 4.50 is now 03 Jun 2031"], 1),
    (change(Cargo="peat"), None, "", ["1 record with other cells: Cargo 1", "Cargo slate is now peat"], 1),
    (change(Toll="45.0"), None, "--by No", ["Toll 4.50 is now 45.0"], 1),
    (lambda rows: rows[:20], None, "", ["10 records that only a.csv has", "line 22: LK-20"], 1),
    (lambda rows: [*rows, rows[3]], None, "", ["1 record that only b.csv has", "line 32: LK-03"], 1),
    (change(Boat="Boat  4"), None, "", ["1 record with other spacing only", "Boat Boat 4 is now Boat  4"], 1),
    (change(Boat="Boat  4"), None, "--ignore-spacing", ["verdict alike"], 0),
    (change(Boat="BOAT 4"), None, "--ignore-case", ["verdict alike"], 0),
    (lambda rows: [rows[9], *rows[:9], *rows[10:]], None, "", ["1 record stands elsewhere"], 1),
    (lambda rows: [rows[9], *rows[:9], *rows[10:]], None, "--by No", ["verdict alike", "their order does not count"], 0),
    (lambda rows: [[*row, "x"] for row in rows], [*HEAD, "More"], "", ["'More' only in b.csv", "30 are the same"], 1),
]  # fmt: skip


@pytest.mark.parametrize(("edit", "names", "words", "said", "status"), SEEDED)
def test_what_compare_says(
    edit: Callable[[list[list[str]]], list[list[str]]],
    names: list[str] | None,
    words: str,
    said: list[str],
    status: int,
    tmp_path: Path,
) -> None:
    write(tmp_path / "a.csv", ROWS)
    write(tmp_path / "b.csv", edit([list(row) for row in ROWS]), names)
    done = wetcomb(tmp_path, "compare", "a.csv", "b.csv", *words.split())
    for part in said:
        assert part in done.stdout.decode()
    assert (done.returncode, done.stderr) == (status, b"")


@settings(max_examples=80, deadline=None)
@given(
    old=st.lists(st.tuples(st.sampled_from("abc"), st.sampled_from("xy")), max_size=8),
    new=st.lists(st.tuples(st.sampled_from("abc"), st.sampled_from("xy")), max_size=8),
)
def test_counts_are_those_of_multisets(
    old: list[tuple[str, str]], new: list[tuple[str, str]]
) -> None:
    def side(name: str, rows: list[tuple[str, str]]) -> Side:
        text = "".join(f"{a},{b}\n" for a, b in [("p", "q"), *rows])
        cut = Split(delimiter=("comma",), heading="first", fields=0)
        parts = [make_table([cut], text)] if rows else [make_table([cut], "p,q\n")]
        return Side(name, lambda: parts)

    differences = []
    found = compare(side("old", old), side("new", new), take=differences.append)
    mine, other = Counter(old), Counter(new)
    assert found.same == (mine & other).total()
    paired = found.changed + found.spacing
    assert found.gone + paired == (mine - other).total()
    assert found.added + paired == (other - mine).total()
    assert found.is_alike == (old == new)
    assert sum(one.what == "gone" for one in differences) == found.gone


REFUSED = [
    ("compare a.csv gone.csv", "gone.csv: no such file"),
    ("compare a.csv a.csv --by Nr", "--by: a.csv has no column 'Nr'; nearest: 'No'"),
    ("compare a.csv b.csv --by Boat", "records of a.csv have the key of another, the first on lines"),
    ("compare a.csv other.csv", "have no column in common"),
    ("compare a.csv a.xlsx", "a.xlsx: csv, tsv and jsonl can be held against each other, and this is xlsx"),
    ("compare a.csv empty.csv", "empty.csv: this is empty"),
    ("compare a.csv zip.csv", "zip.csv: this is a zipped file"),
    ("compare a.csv b.csv -o a.csv", "this is the input"),
    ("check a.csv", "check holds a text against a comb; name it"),
    ("check a.csv --comb gone.toml", "gone.toml: cannot read this comb"),
    ("rebuild a.csv --against b.csv", "--against needs -o FILE"),
    ("rebuild a.csv -o x.csv --against gone.csv", "there is no such file"),
    ("rebuild a.csv -o x.csv --by No", "give one of them"),
    ("rebuild a.csv -o x.csv --why 99", "--why 99: a.csv has 31 lines"),
    ("rebuild a.csv -o x.csv --why 0", "'0' is no number of a line"),
    ("rebuild a.csv b.csv -o x.csv --why 2", "hand in one input at a time"),
]  # fmt: skip


@pytest.mark.parametrize(("typed", "said"), REFUSED)
def test_refused_in_one_line(typed: str, said: str, tmp_path: Path) -> None:
    write(tmp_path / "a.csv", ROWS)
    write(tmp_path / "b.csv", ROWS[5:])
    write(tmp_path / "other.csv", [["1", "2"]], ["x", "y"])
    (tmp_path / "empty.csv").write_bytes(b"")
    (tmp_path / "a.xlsx").write_bytes(b"PK\x03\x04")
    (tmp_path / "zip.csv").write_bytes(b"PK\x03\x04 and so on")
    done = wetcomb(tmp_path, *typed.split())
    assert done.returncode == 2 and said in done.stderr.decode()
    assert done.stderr.count(b"\n") == 1 and not (tmp_path / "x.csv").exists()


def test_differences_as_a_table(tmp_path: Path) -> None:
    write(tmp_path / "a.csv", ROWS)
    write(tmp_path / "b.csv", [*change(Toll="9", Cargo="peat")([list(r) for r in ROWS])[1:], ["LK-99", "Boat", "hay", "1"]])  # fmt: skip
    wetcomb(tmp_path, "compare", "a.csv", "b.csv", "--by", "No", "-o", "d.csv")
    text = (tmp_path / "d.csv").read_text(encoding="utf-8")
    rows = list(csv.reader(io.StringIO(text, newline="")))
    assert rows[0] == ["what", "old_line", "new_line", "key", "column", "old", "new"]
    assert sorted(row[:3] + row[4:] for row in rows[1:]) == [
        ["changed", "6", "5", "Cargo", "slate", "peat"],
        ["changed", "6", "5", "Toll", "4.50", "9"],
        ["gone", "2", "", "", "", ""],
        ["new", "", "31", "", "", ""],
    ]


def test_the_file_that_is_replaced_and_the_one_that_is_wanted(tmp_path: Path) -> None:
    write(tmp_path / "a.csv", ROWS)
    write(tmp_path / "b.csv", change(Toll="9")([list(row) for row in ROWS])[1:])
    words = ("rebuild", "a.csv", "-o", "c.csv", "--force")
    assert b"replaces" not in wetcomb(tmp_path, *words).stderr
    assert b"replaces c.csv, which says the same" in wetcomb(tmp_path, *words).stderr
    (tmp_path / "c.csv").write_bytes((tmp_path / "b.csv").read_bytes())
    said = wetcomb(tmp_path, *words, "--by", "No").stderr.decode()
    assert "replaces c.csv: records 1 new, 1 changed, 28 the same" in said
    assert "changed, line 5, now 6 (LK-04): Toll 9 is now 4.50" in said
    (tmp_path / "c.csv").write_text("x,y\n1,2\n", encoding="utf-8")
    assert b"which cannot be held against it" in wetcomb(tmp_path, *words).stderr
    done = wetcomb(tmp_path, *words, "--against", "b.csv", "--by", "No")
    assert done.returncode == 1 and b"not alike: b.csv and c.csv" in done.stderr
    assert wetcomb(tmp_path, *words, "--against", "a.csv").returncode == 0


def write_register(path: Path, seed: int, edit: Callable[[list[list[str]]], object] | None = None) -> None:  # fmt: skip
    """Write a month of an invented register, with page heads and a total."""
    chance = random.Random(seed)
    rows = [
        [
            f"2031-{seed % 12 + 1:02d}-{k // 2 + 1:02d}", f"{chance.choice(['Tansy', 'Old Regret', 'Plover'])} {chance.choice('ABCDEF')}",
            chance.choice(["coal", "slate", "hay", "lime"]), f"{chance.randrange(40, 300) / 10:.1f}", f"{chance.randrange(150, 990) / 100:.2f}",
        ]
        for k in range(chance.randrange(34, 60))
    ]  # fmt: skip
    head = "Day;Boat;Cargo;Tons;Toll"
    if edit is not None:
        head = edit(rows) or head  # type: ignore[assignment]
    path.write_text("".join(f"{line}\n" for line in [head, *map(";".join, rows)]), encoding="utf-8")


def _swap(rows: list[list[str]]) -> None:
    for row in rows:
        row[2], row[3] = row[3], row[2]


def _set(place: int, column: int, value: str) -> Callable[[list[list[str]]], None]:
    return lambda rows: rows[place].__setitem__(column, value)


def _times_ten(rows: list[list[str]]) -> None:
    for row in rows:
        row[4] = f"{float(row[4]) * 10:.2f}"


#: What was done to another month, what check says, whether it fits.
MONTHS: list[tuple[Callable[[list[list[str]]], object], str, int]] = [
    (_swap, "Cargo and Tons seem to have changed places", 1),
    (_set(9, 3, "03 Jun 2031"), "Tons: 1 value is no number, first '03 Jun 2031' in line 11", 1),
    (_set(9, 2, "peat"), "Cargo: new: 'peat', first in line 11; so far coal, hay, lime, slate", 1),
    (lambda rows: rows.__delitem__(slice(12, None)), "records: 12, usually", 1),
    (lambda rows: "Day;Boat;Cargo;Weight;Toll", "heading: its heading is not the comb's (missing: Tons; new: Weight)", 1),
    (_times_ten, "Toll: its mean is", 1),
    (_set(9, 4, "450.00"), "Toll: '450.00' in line 11 is far above", 1),
    (lambda rows: rows.append(list(rows[-1])), "repeats: 1 record is equal to one before", 1),
    (lambda rows: rows.insert(0, rows.pop()), "Day: it rises no more", 1),
    (lambda rows: [row.__setitem__(3, "") for row in rows[::2]] and None, "Tons: 5", 1),
    (lambda rows: [row.pop() for row in rows[::3]] and None, "snags: ", 1),
    (_set(9, 1, "Plover  Q"), "verdict fits", 0),
]  # fmt: skip


@pytest.fixture(scope="module")
def accepted(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a folder with a comb that has accepted three months."""
    folder = tmp_path_factory.mktemp("months")
    for seed in (1, 2, 3):
        write_register(folder / f"{seed}.txt", seed)
    wetcomb(folder, "draft", "1.txt", "-o", "r.toml")
    first = wetcomb(folder, "check", "1.txt", "--comb", "r.toml").stdout
    assert b"keeps no run yet" in first
    for seed in (1, 2, 3):
        done = wetcomb(folder, "check", f"{seed}.txt", "--comb", "r.toml", "--accept")
        assert done.returncode == 0 and f"run {seed} of r.toml".encode() in done.stdout
    return folder


@pytest.mark.parametrize(("edit", "said", "status"), MONTHS)
def test_what_check_says(
    edit: Callable[[list[list[str]]], object],
    said: str,
    status: int,
    accepted: Path,
    tmp_path: Path,
) -> None:
    write_register(tmp_path / "next.txt", 5, edit)
    done = wetcomb(tmp_path, "check", "next.txt", "--comb", str(accepted / "r.toml"))
    assert said in done.stdout.decode()
    assert done.returncode == status and [path.name for path in tmp_path.iterdir()] == ["next.txt"]


def test_check_does_not_complain_of_honest_months(accepted: Path, tmp_path: Path) -> None:
    from wetcomb.jobs.check import check_text

    complaints = []
    for seed in range(10, 50):
        write_register(tmp_path / "next.txt", seed)
        checked = check_text(str(tmp_path / "next.txt"), accepted / "r.toml")
        complaints += [(seed, one.said) for one in checked.departures]
    assert len(complaints) <= 2, complaints


#: A line, how it is asked for, and what is said of its record.
WHYS = [
    ("register.txt", "5", "", ["it was cut into 03 Jun 2031 | Mother Carey | Orrin | 1.50", "next best costs", "Toll: missing is now '1.50'"]),
    ("register.txt", "3", "", ["it names the columns: Day, Boat"]),
    ("register.txt", "1", "", ["outside the part"]),
    ("tolls.txt", "14", "", ["lines 13 to 15 are one record", "toll agreed with the keeper, see letter of 3 June"]),
    ("tolls.txt", "6", "", ["it is no record: lines that name what follows (--group)"]),
    ("tolls.txt", "20", "", ["left out 'The company is not bound by errors in this report.': lines at a page's foot"]),
    ("notices.txt", "33", "", ["snag long", "no column could take"]),
    ("notices.true.csv", "3", "clean --read comma --date Issued=2031-05-13 --fix '3:Days=7' --rename Days=For", ["the column Days is called For", "For: '0' is now '7'"]),
    ("notices.true.csv", "4", "clean --read comma --carry Place --number Days=1,5", ["a record: No '003'"]),
]  # fmt: skip


@pytest.mark.parametrize(("text", "line", "typed", "said"), WHYS)
def test_why(text: str, line: str, typed: str, said: list[str], tmp_path: Path) -> None:
    import shlex

    command, *words = shlex.split(typed or "rebuild")
    done = wetcomb(tmp_path, command, str(DEMO / text), *words, "-o", "t.csv", "--why", line, columns=240)  # fmt: skip
    for part in said:
        assert part in done.stderr.decode()
