"""Examples beside other hints, odd texts, and what stays true of the ledger."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from benchmarks.tasks import Task, make_tasks

from laws import blocks_of, check, run_comb
from program import wetcomb
from wetcomb import WetCombError, draft, load_comb, parse_comb, render_comb
from wetcomb.combs.part import Part
from wetcomb.core.report import Report
from wetcomb.drafts.examples.example import Example

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


@pytest.mark.parametrize("task", make_tasks(12, 99), ids=lambda task: task.kind)
def test_a_comb_by_example_keeps_the_ledger_wherever_the_text_is_cut(task: Task) -> None:
    comb = draft(task.text, examples=[Example(tuple(task.rows[0]))], with_commands=False)
    made = []
    for size in (1 << 20, 37):
        report = Report()
        batches = [*run_comb(comb, blocks_of(task.text, size), report)]
        check(batches, report, is_together=False, glue="\0")
        tables = [batch.table for batch in batches if batch.table is not None]
        made.append([row for table in tables for row in table.rows()])
    assert made[0] == made[1]
    assert task.rows[0] in [[value or "" for value in row] for row in made[0]]


def test_what_a_rule_leaves_blank_further_down_is_doubted() -> None:
    names = [f"Ada{'bcde'[k % 4]} Mar{'xyzw'[k % 4]}" for k in range(700)]
    text = "No;Name\n" + "".join(
        f"{k};{name}\n" for k, name in enumerate([*names, "Cher", "Bo Li"])
    )
    for example in ("0 | Adab | Marx", "0 | Marx", "Name=Marx"):
        comb = draft(text, examples=[example])
        (doubt,) = (one for one in comb.doubts if one.name == "example-odd")
        assert doubt.lines == ((702, 702),)
    comb = draft(text, examples=["0 | Marx, Adab"])
    table = comb.run(text)
    assert (table.rows()[-2], table.snags.records.tolist()) == (["700", "Cher"], [700])


def test_what_is_told_by_marks_is_not_asked_about() -> None:
    streets = ["12 Mill Lane", "7 Coal Quay", "101 Long Acre", "3 High Row", "9 Lock Row", "14 Weir Road"]  # fmt: skip
    towns = ["Orrin", "Halden", "Sallow Reach", "Mere", "Low Weir", "Orrin"]
    text = "".join(f"{a}, {b}\n" for a, b in zip(streets, towns, strict=True))
    comb = draft(text, examples=["12 Mill Lane | Orrin"])
    assert [row[1] for row in comb.run(text).rows()] == towns
    assert "example-open" not in [doubt.name for doubt in comb.doubts]


def test_what_is_lacking_among_the_first_lines_is_no_doubt_further_down() -> None:
    bare = "".join(f"{k};Ada Marsh;Orrin{' (Top)' * (k % 9 > 0)}\n" for k in range(1, 500))
    comb = draft("No;Keeper;Berth\n" + bare, examples=["1 | Ada Marsh | Orrin | Top"])
    assert all("behind the lines" not in doubt.said for doubt in comb.doubts)


def test_two_columns_that_hold_the_same_are_asked_about() -> None:
    text = "a;b;c\nAda;3;3\nBram;4;7\nCleo;5;9\nDov;6;8\n"
    comb = draft(text, examples=["Ada | 3"])
    (doubt,) = (one for one in comb.doubts if one.name == "example-open")
    assert "Bram | 7" in doubt.said
    settled = draft(text, examples=["Ada | 3", "Bram | 7"])
    assert [row[1] for row in settled.run(text).rows()] == ["3", "7", "9", "8"]
    assert not settled.doubts


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


MAILS = "wim.kettle@halden.example\nedda.penn@orrin-canal.example\nrosa.nye@halden.example\nnils.sallow@orrin-canal.example\ndov.ferris@halden.example\nolga.nye@orrin-canal.example\n"


def test_no_line_is_taken_for_a_part_of_another_record(tmp_path: Path) -> None:
    """Nor is a text empty of which every value is written in another form."""
    names = [["Wim Kettle"], ["Edda Penn"], ["Rosa Nye"], ["Nils Sallow"], ["Dov Ferris"], ["Olga Nye"]]  # fmt: skip
    for number in (6, 4):  # an even number of lines could be pairs
        text = "".join(MAILS.splitlines(keepends=True)[:number])
        assert draft(text, examples=["Wim Kettle"]).run(text).rows() == names[:number]
    (tmp_path / "m.txt").write_text(MAILS)
    run = wetcomb(tmp_path, "rebuild", "m.txt", "--example", "Wim Kettle", "-o", "m.csv")
    assert run.returncode == 0, run.stderr
    assert (tmp_path / "m.csv").read_text().splitlines()[1:] == [name for (name,) in names]
