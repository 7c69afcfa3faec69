"""clean as it is used: on the demo, in a chain, by a comb, with what must hold."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

import wetcomb as package
from program import wetcomb

DEMO = Path(package.__file__).parent / "demo"

#: What finishes each text of the demo, and the typed table; the others are printed as they should be.
TYPED = {
    "register": ('date = ["Day=13 Jun 2031"]\nnumber = ["Tons,Toll=1234.5"]\n', "register.typed.true.csv"),
    "permits": ('date = ["From,To=2031-07-13"]\nnumber = ["Fee=12.5 marks"]\n', "permits.typed.true.csv"),
    "notices": (
        'fix = ["38:Notice=Paddle gear under repair"]\ndate = ["Issued=2031-03-13"]\nnumber = ["Days=1"]\nas_text = ["No"]\n',
        "notices.true.csv",
    ),
    "tolls": ('date = ["Date=2031-06-13"]\nnumber = ["Passages=1", "Toll=12.5"]\n', "tolls.true.csv"),
}  # fmt: skip


@pytest.mark.parametrize("name", TYPED)
def test_the_demo_is_finished_by_one_comb(tmp_path: Path, name: str) -> None:
    shutil.copy(DEMO / f"{name}.txt", tmp_path)
    options, table = TYPED[name]
    drafted = wetcomb(tmp_path, "draft", f"{name}.txt")
    text = drafted.stdout.decode()
    before, mark, behind = text.partition("[fits]")
    if name == "notices":  # one of them holds a comma that no mark protects
        before += '[[step]]\ndo = "realign"\nabsorb = ["Notice"]\nshape = ["Days=digits"]\n\n'
    comb = f'{before}[[step]]\ndo = "clean"\n{options}\n{mark}{behind}'
    (tmp_path / "c.toml").write_text(comb, encoding="utf-8")
    words = ["rebuild", f"{name}.txt", "--comb", "c.toml", "-o", "t.csv"]
    done = wetcomb(tmp_path, *words)
    assert done.returncode == 0, done.stderr.decode()
    assert (tmp_path / "t.csv").read_bytes() == (DEMO / table).read_bytes()
    again = wetcomb(tmp_path, *words, "--force", "--save-comb", "d.toml")
    assert again.returncode == 0 and 'do = "clean"' in (tmp_path / "d.toml").read_text()


BILL = "No;Day;Boat;Toll\n01;01.02.31;*Tansy;1.204,50\n02;31.02.31;Wren;2,00\n02;31.02.31; Wren ;2,00\n"
READ = ["--read", "semicolon", "--format", "csv"]


@pytest.mark.parametrize(
    ("words", "table", "said", "status"),
    [
        (["--number", "Toll=1.234,5", "--drop-repeats", "--strip", "Boat=*"],
         "No,Day,Boat,Toll\n01,01.02.31,Tansy,1204.50\n02,31.02.31,Wren,2.00\n",
         "Toll: 2 numbers, sum 1206.50, from 2.00 to 1204.50", 0),
        (["--date", "Day=31.12.24", "--only", "No,Day"],
         "No,Day\n01,2031-02-01\n02,31.02.31\n02,31.02.31\n",
         "2 no-date: a value that is no date", 0),
        (["--must", "unique No", "--must", "records=3", "--only", "No"], "No\n01\n02\n02\n",
         "must unique No: 1 record does not, first in line 4", 1),
        (["--must", "sum Toll=3", "--only", "Toll"], 'Toll\n"1.204,50"\n"2,00"\n"2,00"\n',
         "it is 0; 3 values are no numbers (--number)", 1),
        (["--fix", "3:Day=2031-02-28", "--only", "Day"], "Day\n01.02.31\n2031-02-28\n31.02.31\n",
         "8 in another form (now 10)", 0),
        (["--number", "Tol=1,5"], "", "--number: there is no column 'Tol'; nearest: 'Toll'", 2),
        (["--date", "Day=06/02/2031"], "", "can be read in two ways", 2),
        (["--fix", "9:Day=x"], "", "--fix 9:Day: no record stands there", 2),
    ],
)  # fmt: skip
def test_clean_is_told(
    tmp_path: Path, words: list[str], table: str, said: str, status: int
) -> None:
    (tmp_path / "bill.txt").write_text(BILL)
    done = wetcomb(tmp_path, "clean", "bill.txt", *READ, *words)
    told = " ".join(done.stderr.decode().split())
    assert done.returncode == status and said in told, told
    assert done.stdout.decode() == table


def test_what_was_mended_is_remembered_and_clean_comes_last(tmp_path: Path) -> None:
    (tmp_path / "bill.txt").write_text(BILL)
    chain = ["split", "bill.txt", "-d", "semicolon", "--heading", "first", "+", "clean"]
    mended = [*chain, "--fix", "2:Boat=Tansy II", "--must", "records=3", "--must", "fields=4"]
    done = wetcomb(tmp_path, *mended, "-o", "t.csv", "--save-comb", "c.toml")
    comb = (tmp_path / "c.toml").read_text()
    assert done.returncode == 0 and '"2:Boat=Tansy II (was *Tansy)"' in comb, comb
    assert 'must = ["fields=4"]' in comb
    (tmp_path / "bill.txt").write_text(BILL.replace("*Tansy", "Heron"))
    stale = wetcomb(tmp_path, "rebuild", "bill.txt", "--comb", "c.toml", "--format", "csv")
    assert b"Heron" in stale.stdout and b"stale" in stale.stderr
    late = wetcomb(
        tmp_path, *chain, "--strip", "Boat=*", "+", "split", "--column", "Day", "-d", "."
    )
    assert late.returncode == 2 and b"clean comes last" in late.stderr


def test_inspect_proposes_what_is_certain_and_tells_what_is_not(tmp_path: Path) -> None:
    rows = [("01.02.2031", "4,50 EUR", "1.204"), ("03.04.2031", "13,20 EUR", "3.100")]
    text = "Day;Toll;Tons\n" + "".join(";".join(row) + "\n" for row in rows * 3)
    (tmp_path / "in.txt").write_text(text)
    said = " ".join(wetcomb(tmp_path, "inspect", "in.txt").stdout.decode().split())
    assert "to clean + clean --number 'Toll=13,20 EUR'" in said
    assert "undecided Day: '01.02.2031' and all others can be read in two ways" in said
    assert "Tons: '1.204' and all others can be read in two ways" in said


def test_the_lines_of_records_stay_true_behind_clean(tmp_path: Path) -> None:
    (tmp_path / "in.txt").write_text("a;b\nx;2\n\ny;10\nx;2\n")
    words = ["--sort=-b", "--number", "b=1.5", "--drop-repeats", "--with-source"]
    done = wetcomb(tmp_path, "clean", "in.txt", *READ, *words, "--ledger", "l.csv")
    assert done.stdout == b"a,b,source_first,source_last\ny,10,4,4\nx,2,2,2\n", done.stderr
    listed = (tmp_path / "l.csv").read_text().splitlines()
    assert "in.txt,5,5,1,repeat,clean,x" in listed and "in.txt,5,5,1,repeat,clean,2" in listed


def test_a_number_that_an_earlier_step_cut_is_read_as_it_stands(tmp_path: Path) -> None:
    (tmp_path / "in.txt").write_text("No;Load\n1;12,5t\n2;3t\n")
    chain = ["split", "in.txt", "-d", "semicolon", "--heading", "first", "+", "split"]
    chain += ["--column", "Load", "--boundary", "9|a", "--names", "tons,unit", "+", "clean"]
    done = wetcomb(tmp_path, *chain, "--number", "tons=1,5", "--without", "unit", "--format", "csv")
    assert done.stdout == b"No,tons\n1,12.5\n2,3\n", done.stderr


@pytest.mark.parametrize(
    ("text", "chain", "table"),
    [
        ("No: 1\nx (a 2) nil (b 3)\n", "pull in.txt --label No --each ({word_as_w}_{digits_as_d}) --unclaimed column + clean --missing nil --letters w=upper --number No=1",
         "No,w,d,unclaimed\n1,A,2,x nil\n1,B,3,x nil\n"),
        ("a;b\nx-y;1\n", "split in.txt -d semicolon --heading first + split --column a -d - --names p,q --keep-original + clean --take-out a=- --letters p=upper",
         "a,p,q,b\nxy,X,y,1\n"),
        ("No: 1 2\n(a 2) (b 3)\n", "pull in.txt --label No --each ({word_as_w}_{digits_as_d}) + split --column No -d space --names p,q",
         "p,q,w,d\n1,2,a,2\n1,2,b,3\n"),
        ("a;b\nx,y;1\n", "split in.txt -d semicolon --heading first + split --column a -d comma --each-a-record + clean --fix 2:b=7",
         "a,b\nx,7\ny,1\n"),
    ],
)  # fmt: skip
def test_values_that_several_cells_tell(tmp_path: Path, text: str, chain: str, table: str) -> None:
    (tmp_path / "in.txt").write_text(text)
    words = [word.replace("_", " ") for word in chain.split()]
    done = wetcomb(tmp_path, *words, "--format", "csv")
    assert done.stdout.decode() == table, done.stderr.decode()
