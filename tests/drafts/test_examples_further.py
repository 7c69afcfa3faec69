"""Examples beside other hints, odd texts, and what stays true of the ledger."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from benchmarks.tasks import make_tasks

from program import wetcomb
from wetcomb import WetCombError, draft, load_comb, parse_comb, render_comb
from wetcomb.combs.part import Part

KEEPERS = (
    "Keepers of the canal, June\n\n"
    "No;Keeper;Berth\n1;Ada Marsh;Orrin (Top)\n2;Bram Oake;Halden (Low Lock)\n"
    "3;Nell Tarn;Mere (East)\n4;Otto Lind;Orrin (Quay)\n5;Ivo Brandt;Mere (Old Quay)\n"
)
ROWS = [
    ["Ada", "Marsh"],
    ["Bram", "Oake"],
    ["Nell", "Tarn"],
    ["Otto", "Lind"],
    ["Ivo", "Brandt"],
]

#: Other things that are said of a text beside the example.
BESIDE = {
    "nothing": {},
    "the delimiter": {"delimiter": ";"},
    "the lines": {"part": Part(lines="3-8"), "first_line": 3},
}


@pytest.mark.parametrize("case", BESIDE)
def test_an_example_beside_other_hints(case: str) -> None:
    said = BESIDE[case]
    text = "".join(KEEPERS.splitlines(keepends=True)[2:]) if "part" in said else KEEPERS
    comb = draft(text, examples=["Ada | Marsh"], **said)
    table = comb.run(text) if "part" not in said else comb.run(KEEPERS)
    assert [row for row in table.rows() if row[0]] == ROWS


def test_other_encodings_and_line_ends(tmp_path: Path) -> None:
    text = KEEPERS.replace("Marsh", "Mårsh")
    forms = {
        "u16.txt": text.encode("utf-16"),
        "mark.txt": text.encode("utf-8-sig"),
        "old.txt": text.replace("\n", "\r\n").encode("cp1252"),
    }
    for name, raw in forms.items():
        (tmp_path / name).write_bytes(raw)
        run = wetcomb(tmp_path, "rebuild", name, "--example", "Keeper=Ada | Clerk=Mårsh", "--quiet")
        assert run.stdout.decode().splitlines()[1] == "1,Ada,Mårsh,Orrin (Top)", name


def test_a_comb_by_example_goes_round_and_runs_on_the_next_text(tmp_path: Path) -> None:
    comb = draft(KEEPERS, examples=["Keeper=Marsh, Ada"])
    assert parse_comb(render_comb(comb)).steps == comb.steps
    (tmp_path / "k.txt").write_text(KEEPERS, encoding="utf-8")
    following = KEEPERS.replace("Ada Marsh", "Eve Stone")
    (tmp_path / "next.txt").write_text(following, encoding="utf-8")
    call = ["draft", "k.txt", "--example", "Keeper=Marsh, Ada", "-o", "k.comb.toml"]
    assert wetcomb(tmp_path, *call).returncode == 0
    assert load_comb(tmp_path / "k.comb.toml").steps == comb.steps
    run = wetcomb(tmp_path, "rebuild", "next.txt", "--comb", "k.comb.toml", "--ledger", "l.csv")
    assert run.stdout.decode().splitlines()[1] == '1,"Stone, Eve",Orrin (Top)'
    assert (tmp_path / "l.csv").read_text(encoding="utf-8").startswith("source,source_first")


def test_inspect_for_programs_shows_what_an_example_gives(tmp_path: Path) -> None:
    (tmp_path / "k.txt").write_text(KEEPERS, encoding="utf-8")
    run = wetcomb(tmp_path, "inspect", "k.txt", "--example", "Ada | Marsh | Orrin | Top", "--json")
    (table,) = json.loads(run.stdout)["tables"]
    assert [column["name"] for column in table["columns"]][2:] == ["Berth-1", "Berth-2"]


def test_the_same_example_gives_the_same_comb() -> None:
    for task in make_tasks(4, 7):
        example = " | ".join(task.rows[0])
        first, again = (draft(task.text, examples=[example], with_commands=False) for _ in "ab")
        assert (first.steps, first.doubts) == (again.steps, again.doubts)


@pytest.mark.parametrize("text", ["", " \n\n", "\n"])
def test_an_example_of_nothing(text: str) -> None:
    with pytest.raises(WetCombError, match="blank lines"):
        draft(text, examples=["Ada"])


def test_a_text_that_is_no_table_is_refused_or_doubted() -> None:
    text = (
        "Dear keeper,\n\nthe gate at Orrin leaks again. Please send Ada Marsh on Monday; she knows\n"
        "the pump. Bring the long rope and two lamps.\n\nYours, Bram Oake\n"
    )
    try:
        comb = draft(text, examples=["Ada | Marsh"])
    except WetCombError as refusal:
        assert "Ada | Marsh" in str(refusal)
    else:
        assert comb.doubts
