"""Doubts as they are told: verdict, exit status, the table of snags, one line for the quiet."""

from __future__ import annotations

import csv
import json
import shlex
from pathlib import Path

import pytest

from program import wetcomb

TEXTS = {
    "sound.txt": "boat;toll\nTansy;4,50\nHeron;3,00\nWren;1,50\nRook;2,00\n",
    "torn.txt": "boat;toll\nTan\u200bsy;4,50\nHeron;3,00\nWren;1,50\nRook;2,00\n",
    "prose.txt": "The keeper was late again.\nNobody minded, the water was low.\n",
}


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    for name, text in TEXTS.items():
        (tmp_path / name).write_text(text, encoding="utf-8")
    return tmp_path


@pytest.mark.parametrize(
    ("words", "status", "verdict"),
    [
        (["rebuild", "sound.txt", "--strict"], 0, "table"),
        (["rebuild", "torn.txt", "-d", "semicolon"], 0, "doubtful"),
        (["rebuild", "torn.txt"], 0, "table"),  # it is washed
        (["rebuild", "torn.txt", "-d", "semicolon", "--strict"], 1, "doubtful"),
        (["rebuild", "prose.txt"], 1, "no table"),
        (["split", "prose.txt"], 1, "no table"),
        (["split", "torn.txt", "--heading", "first"], 0, "doubtful"),
        (["split", "prose.txt", "-d", "none", "--heading", "none"], 0, "table"),
    ],
)
def test_the_verdict_is_told_first(
    folder: Path, words: list[str], status: int, verdict: str
) -> None:
    done = wetcomb(folder, *words, "-o", "out.csv", "--force", "--snags", "snags.csv")
    said = done.stderr.decode()
    assert done.returncode == status, said
    assert said.splitlines()[0].strip() == f"verdict {verdict}"
    assert ("every record fits" in said) == (verdict == "table")
    assert ("does not prove that it stands in the right place" in said) == (verdict != "table")
    assert (folder / "out.csv").exists()
    rows = list(csv.DictReader((folder / "snags.csv").read_text(encoding="utf-8").splitlines()))
    assert bool(rows) == (verdict != "table")
    assert all(row["doubt"] and not row["snag"] and row["to_settle"] for row in rows)
    quiet = wetcomb(folder, *words, "-o", "out.csv", "--force", "--quiet")
    told = quiet.stderr.decode()
    assert quiet.returncode == status
    assert told.startswith(f"wetcomb: {verdict}: ") if verdict != "table" else told == ""


def test_a_command_that_is_offered_settles_the_doubt(folder: Path) -> None:
    done = wetcomb(folder, "rebuild", "torn.txt", "-d", "semicolon", "-o", "out.csv")
    (offered,) = [
        line.strip().removeprefix("to settle: wetcomb ")
        for line in done.stderr.decode().splitlines()
        if "to settle: wetcomb" in line
    ]
    again = wetcomb(folder, *offered.split(), "--force")
    assert again.returncode == 0
    assert again.stderr.decode().splitlines()[0].strip() == "verdict table"
    assert (folder / "out.csv").read_text(encoding="utf-8") == TEXTS["sound.txt"].replace(
        "4,50", '"4,50"'
    ).replace("3,00", '"3,00"').replace("1,50", '"1,50"').replace("2,00", '"2,00"').replace(
        ";", ","
    )


def test_a_comb_tells_what_the_text_of_the_month_says_against_it(folder: Path) -> None:
    saved = wetcomb(folder, "rebuild", "sound.txt", "-o", "a.csv", "--save-comb", "x.comb.toml")
    assert saved.returncode == 0
    done = wetcomb(folder, "rebuild", "torn.txt", "--comb", "x.comb.toml", "-o", "b.csv")
    assert (done.returncode, "odd-signs" in done.stderr.decode()) == (0, True)
    comb = folder / "x.comb.toml"
    comb.write_text(comb.read_text().replace("[fits]", "[fits]\nmax_snags = 0"))
    limited = wetcomb(folder, "rebuild", "torn.txt", "--comb", "x.comb.toml", "-o", "c.csv")
    assert limited.returncode == 1


def test_inspect_says_what_rebuild_would(folder: Path) -> None:
    for name, verdict in (
        ("sound.txt", "table"),
        ("torn.txt", "doubtful"),
        ("prose.txt", "no table"),
    ):
        given = ["-d", "semicolon"] if name == "torn.txt" else []  # else it is washed
        page = wetcomb(folder, "inspect", name, *given)
        assert page.stdout.decode().splitlines()[0].strip() == f"verdict {verdict}"
        seen = json.loads(wetcomb(folder, "inspect", name, "--json", *given).stdout)
        assert seen["verdict"] == verdict


LOOKED_AT = {
    "one table among others": "The tolls:\n\n" + TEXTS["sound.txt"] + "\nAll in euros.\n",
    "two lines apart": TEXTS["sound.txt"] + "\nkeeper;hut\nEdda;4\n",
    "pages": "".join(
        f"Halden Canal\n\nBoat    Tons\nTansy{page}  {page}4\nHeron{page}  {page}9\n\n- {page} -\n\f"
        for page in range(1, 5)
    ),
    "two tables": TEXTS["sound.txt"]
    + "\nBoat   Hold  Age\nTansy  14    3\nHeron  15    8\nWren   9     4\n",
}


@pytest.mark.parametrize("text", LOOKED_AT.values(), ids=LOOKED_AT)
def test_what_inspect_says_to_type_makes_what_rebuild_makes(tmp_path: Path, text: str) -> None:
    (tmp_path / "in.txt").write_text(text, encoding="utf-8")
    seen = json.loads(wetcomb(tmp_path, "inspect", "in.txt", "--json").stdout)
    shown = wetcomb(tmp_path, "inspect", "in.txt", "--evidence").stdout.decode().splitlines()
    said = [
        line.partition("wetcomb ")[2] for line in shown if "wetcomb " in line and " -o " in line
    ]
    assert len(said) == 2
    tables = []
    for command in said:
        done = wetcomb(tmp_path, *shlex.split(command), "--force")
        assert done.returncode == 0, done.stderr
        written = (tmp_path / command.split()[-1]).read_text(encoding="utf-8")
        tables.append([*csv.reader(written.splitlines())])
    if len(seen["tables"]) == 1:
        assert tables[0] == tables[1]
        seen["tables"] *= 2
    for made, looked_at in zip(tables, seen["tables"], strict=True):
        assert made[0] == [column["name"] for column in looked_at["columns"]]
        assert len(made) == looked_at["n_records"] + 1
