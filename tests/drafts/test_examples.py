"""Rules by example: tasks of every kind, what is asked, what is refused, and what never happens."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path

import numpy as np
import pytest
from benchmarks.tasks import KINDS, Task, make_tasks
from hypothesis import given, settings
from hypothesis import strategies as st

import wetcomb as package
from pages import run_page
from program import wetcomb
from wetcomb import UsageError, WetCombError, draft
from wetcomb.combs.comb import Comb
from wetcomb.drafts.examples.example import Example, read_example, read_examples

TASKS = {task.kind: task for task in make_tasks(len(KINDS), 2031)}
KEEPERS = """\
No;Keeper;Berth
1;Ada Marsh;Orrin (Top)
2;Bram Oake;Halden (Low Lock)
3;Jan van Dyke;Sallow
4;Zoë Ferris;Mere (East)
5;Mary-Ann Lind;Orrin (Quay)
"""


def _try(task: Task, rows: Sequence[int]) -> tuple[list[list[str]], Comb]:
    examples = [Example(tuple(task.rows[row]), (), task.lines[row]) for row in rows]
    comb = draft(task.text, examples=examples, with_commands=False)
    return [[value or "" for value in row] for row in comb.run(task.text).rows()], comb


@pytest.mark.parametrize("kind", KINDS)
def test_tasks_of_every_kind(kind: str) -> None:
    task = TASKS[kind]
    found, comb = _try(task, [0])
    assert task.rows[0] in found
    asked = [doubt.lines[0][0] for doubt in comb.doubts if doubt.name == "example-open"]
    assert found == task.rows or comb.doubts, "wrong, and sure of it"
    assert asked or not task.is_open, "two rules fit, and nobody is asked"
    wrong = next((row for row, cells in enumerate(task.rows) if cells not in found), 0)
    second = task.lines.index(asked[0]) if asked else wrong
    if second:
        found, comb = _try(task, [0, second])
    assert found == task.rows
    assert not second or all(doubt.name != "example-open" for doubt in comb.doubts)


#: Examples of the keepers, what they make of the third and the last record, and what is asked.
GIVEN = {
    "as it is cut": (["1 | Ada Marsh | Orrin (Top)"], ["3", "Jan van Dyke", "Sallow"], ["5", "Mary-Ann Lind", "Orrin (Quay)"]),
    "some of its columns": (["Ada Marsh | 1"], ["Jan van Dyke", "3"], ["Mary-Ann Lind", "5"]),
    "a column, the others stay": (["Keeper=A. Marsh"], ["3", "J. Dyke", "Sallow"], ["5", "M. Lind", "Orrin (Quay)"]),
    "a new column": (["Keeper=Ada | Clerk=Marsh"], ["3", "Jan", "van Dyke", "Sallow"], ["5", "Mary-Ann", "Lind", "Orrin (Quay)"]),
    "the other order": (["@2 = Marsh, Ada", "@4 = van Dyke, Jan"], ["van Dyke, Jan"], ["Lind, Mary-Ann"]),
    "a record that lacks a piece": (["Orrin | Top", "@4 = Sallow | "], ["Sallow", ""], ["Orrin", "Quay"]),
    "a cell left open": (["1 | ? | Top"], ["3", "Jan van Dyke", ""], ["5", "Mary-Ann Lind", "Quay"]),
    "open in one of two examples": (["1 | Ada | Marsh", "@4 = 3 | Jan van | ?"], ["3", "Jan van", "Dyke"], ["5", "Mary-Ann", "Lind"]),
    "lacking in the first": (["Jan van Dyke | Sallow | ", "@2 = Ada Marsh | Orrin | Top"], ["Jan van Dyke", "Sallow", ""], ["Mary-Ann Lind", "Orrin", "Quay"]),
    "columns put together": (["Ada Marsh, 1"], ["Jan van Dyke, 3"], ["Mary-Ann Lind, 5"]),
    "capitals": (["MARSH | 1", "@4 = VAN DYKE | 3"], ["VAN DYKE", "3"], ["LIND", "5"]),
    "words put in, said twice": (["berth 1 | Ada Marsh", "berth 2 | Bram Oake"], ["berth 3", "Jan van Dyke"], ["berth 5", "Mary-Ann Lind"]),
}  # fmt: skip


@pytest.mark.parametrize("case", GIVEN)
def test_what_examples_make(case: str) -> None:
    examples, third, last = GIVEN[case]
    rows = draft(KEEPERS, examples=examples).run(KEEPERS).rows()
    assert [[value or "" for value in rows[place]] for place in (2, -1)] == [third, last]
    assert len(rows) == 5


REFUSED = [
    (["Adda | Marsh"], "cell 1, 'Adda', does not stand in any record; the nearest there is 'Ada'"),
    (["@3 = Ada | Marsh"], "cell 1, 'Ada', does not stand in the record of line 3"),
    (["@1 = Ada | Marsh"], "line 1"),
    (["@99 = Ada | Marsh"], "line 99 belongs to no record; rules are learnt from the lines up to 6"),
    (["Ada | Marsh", "Bram"], "contradict each other: 2 cells and 1"),
    (["@2 = Ada | Marsh", "@2 = Marsh | Ada"], "contradict each other: both are of line 2"),
    (["Keeper=Ada", "Ada"], "one names its columns, the other does not"),
    (["Ada | Marsh", "Oake | Bram"], "no rule was found that gives both"),
    (["Ada | Marsh", "@4 = Jan | Dyke van"], "no rule was found"),
    (["? | ?"], "no cell says what is wanted"),
    ([""], "no cell says what is wanted"),
    (["Keeper=Ada | Keeper=Bram"], "the column 'Keeper' stands there twice"),
    (["Ada Marsh | Ada"], "do not come from one record together"),
    (["Ada Oake"], "does not stand in any record"),
    (["@2 = Ada Oake"], "cell 1, 'Ada Oake', does not stand in the record of line 2"),
    (["Ada Marsh the keeper"], "does not stand in any record; the nearest there is 'Ada Marsh'"),
    (["Ada Marsh | 17"], "cell 2, '17', does not stand in any record"),
    (["2031-06-02 | Ada"], "cell 1, '2031-06-02'"),
    (["Clerk=Nobody"], "Clerk, 'Nobody', does not stand in any record"),
    (["@4 = Jan | Marsh"], "cell 2, 'Marsh'"),
]  # fmt: skip


@pytest.mark.parametrize(("examples", "said"), REFUSED)
def test_what_is_refused(examples: list[str], said: str) -> None:
    with pytest.raises(UsageError) as error:
        draft(KEEPERS, examples=examples)
    assert said in str(error.value)


words = st.lists(st.sampled_from(["Ada", "van", "12", "3.5", "t", "é", "x-y", "漢字", "()", "A1"]), min_size=1, max_size=4)  # fmt: skip


@settings(max_examples=40, deadline=None)
@given(st.lists(words, min_size=3, max_size=8), st.sampled_from([" ", ", ", "; ", " ("]), st.data())
def test_no_rule_contradicts_its_example(rows: list[list[str]], mark: str, data: st.DataObject) -> None:  # fmt: skip
    text = "".join(mark.join(row) + "\n" for row in rows)
    row = data.draw(st.integers(0, len(rows) - 1))
    cells = data.draw(st.lists(st.sampled_from(rows[row]), min_size=1, max_size=3, unique=True))
    try:
        comb = draft(text, examples=[Example(tuple(cells), (), row + 1)], with_commands=False)
    except WetCombError:
        return
    table = comb.run(text)
    firsts, lasts = table.line_numbers(np.arange(table.n_records))
    there = np.flatnonzero((firsts <= row + 1) & (lasts >= row + 1))
    assert cells in [table.rows()[place] for place in there.tolist()]


def test_days_that_may_be_months() -> None:
    for first, wanted, third in (("02.06.2031", "2031-06-02", "2031-04-03"), ("02/06/31", "2031-02-06", "2031-03-04")):  # fmt: skip
        days = [first, first.replace("2", "5", 1), first.replace("02", "03", 1).replace("06", "04")]
        text = "No;Day\n" + "".join(f"{k};{day}\n" for k, day in enumerate(days, 1))
        rows = draft(text, examples=[f"1 | {wanted}"]).run(text).rows()
        assert (rows[0][1], rows[2][1]) == (wanted, third)


def test_examples_as_they_are_written() -> None:
    cases = {
        "@4 = Ada |  | ?": Example(("Ada", "", None), (), 4),
        r"\? | a\=b | \@ x": Example(("?", "a=b", "@ x")),
        "Toll=3.50 | Boat=Tansy": Example(("3.50", "Tansy"), ("Toll", "Boat")),
        "a|b": Example(("a|b",)),
        "x=1 | y": Example(("x=1", "y")),
    }
    for text, wanted in cases.items():
        found = read_example(text)
        assert (found.cells, found.names, found.line) == (wanted.cells, wanted.names, wanted.line)
    assert read_example("a; b", ";").cells == ("a", "b")
    files = {
        "w.csv": "@,Keeper,Toll\n2,Ada,?\n",
        "w.jsonl": '{"@": 2, "Keeper": "Ada", "Toll": null}\n',
        "w.txt": "\n@2 = Keeper=Ada | Toll=?\n",
    }
    for name, raw in files.items():
        (found,) = read_examples(name, raw)
        assert (found.cells, found.names, found.line) == (("Ada", None), ("Keeper", "Toll"), 2)
    for name, raw, said in (
        ("w.txt", "\n", "there is no example in it"),
        ("w.jsonl", '{"a": [1]}\n', "line 1"),
        ("w.jsonl", '{"@": "x", "a": 1}\n', "'@' takes the number of a source line"),
        ("w.csv", "@,a\nx,1\n", "record 1: '@' takes the number"),
    ):
        with pytest.raises(UsageError, match=said):
            read_examples(name, raw)


def test_examples_on_the_command_line(tmp_path: Path) -> None:
    def run_(*words: object) -> subprocess.CompletedProcess[bytes]:
        return wetcomb(tmp_path, *map(str, words))

    paste, comb, out = tmp_path / "k.txt", tmp_path / "k.comb.toml", tmp_path / "k.csv"
    paste.write_text(KEEPERS, encoding="utf-8")
    wanted = tmp_path / "wanted.csv"
    wanted.write_text("@,Keeper,Clerk\n2,Ada,Marsh\n4,Jan,van Dyke\n", encoding="utf-8")
    run = run_("rebuild", paste, "--examples", wanted, "-o", out)
    assert run.returncode == 0, run.stderr
    assert b"verdict table" in run.stderr
    text = "No,Keeper,Clerk,Berth\n1,Ada,Marsh,Orrin (Top)\n"
    assert out.read_text(encoding="utf-8").startswith(text)
    assert run_("draft", paste, "--examples", wanted, "-o", comb).returncode == 0
    again = run_("rebuild", paste, "--comb", comb)
    assert again.stdout.decode() == out.read_text(encoding="utf-8")
    asked = run_("rebuild", paste, "--example", "1 | Ada | Marsh | ?", "-o", out, "--force")
    assert b"example-open" in asked.stderr
    assert b"--example '@4 = 3 | Jan van | Dyke | Sallow'" in asked.stderr
    assert b"Jan van" in run_("inspect", paste, "--example", "1 | Ada | Marsh | ?").stdout
    cut = run_("split", paste, "-d", "semicolon", "+", "split", "--column", "Keeper", "--example", "Ada Marsh => Ada | Marsh", "--names", "first,last")  # fmt: skip
    assert cut.stdout.startswith(b"No,first,last,Berth\n1,Ada,Marsh,")
    whole = run_("split", paste, "--example", "1 | Ada | Marsh | Orrin (Top)", "--quiet")
    assert whole.stdout.splitlines()[1] == b"1,Ada,Marsh,Orrin (Top)"
    for words, said in (
        (["rebuild", paste, "--comb", comb, "--example", "Ada"], b"--example and --comb contradict"),
        (["rebuild", paste, "--way", "2", "--example", "Ada"], b"--way and --example contradict"),
        (["rebuild", paste, "--example-mark", ";"], b"there is none"),
        (["rebuild", paste, "--examples", tmp_path / "no.csv"], b"No such file"),
        (["split", paste, "-d", ";", "+", "split", "--column", "Keeper", "--example", "Ada"], b"it takes VALUE =>"),
        (["split", paste, "-d", ";", "+", "split", "--column", "Keeper", "--example", "Aba Marsh => Aba"], b"the nearest there is 'Ada Marsh'"),
        (["split", paste, "-d", ";", "+", "split", "--column", "Keeper", "-d", "space", "--example", "Ada Marsh => Ada"], b"--delimiter and --example contradict"),
        (["split", paste, "-d", ";", "+", "split", "--column", "Keeper", "--take", "1", "--names", "a"], b"--take does not go with --column"),
    ):  # fmt: skip
        run = run_(*words)
        assert (run.returncode, said in run.stderr) == (2, True), run.stderr


@pytest.mark.skipif(sys.platform == "win32", reason="the page is for a POSIX shell")
def test_the_page_about_examples_holds(tmp_path: Path) -> None:
    assert run_page("examples.md", tmp_path) > 10


def test_examples_in_python_and_in_combs() -> None:
    table = package.split(KEEPERS, delimiter=";")
    cut = package.split(table, column="Keeper", example="Ada Marsh => Marsh, A.")
    assert [row[1] for row in cut.rows()[:2]] == ["Marsh, A.", "Oake, B."]
    found = package.split(KEEPERS, example="1 | Ada Marsh | Orrin | Top").rows()[1]
    assert found == ["2", "Bram Oake", "Halden", "Low Lock"]
    with pytest.raises(WetCombError, match="an example is still to be worked out"):
        Comb((package.Split(delimiter=";", heading="first", fields=0, example="a"),)).run(KEEPERS)
    rewritten = draft(KEEPERS, examples=["1 | Marsh, Ada | ?"])
    longer = KEEPERS + "6;Cher;Orrin (Top)\n"
    made = rewritten.run(longer)
    assert (made.rows()[-1][1], made.snags.n_records) == ("Cher", 1)
