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
        (["--rename", "No=Nr", "+", "clean", "--sort", "No"], "", "'No' is called 'Nr' since an earlier step", 2),
        (["--number", "Tol=1,5"], "", "--number: there is no column 'Tol'; nearest: 'Toll'", 2),
        (["--date", "Day=06/02/2031"], "", "can be read in two ways", 2),
        (["--fix", "9:Day=x"], "", "--fix 9:Day: no record stands there", 2),
    ],
)  # fmt: skip
def test_clean_is_told(
    tmp_path: Path, words: list[str], table: str, said: str, status: int
) -> None:
    (tmp_path / "bill.txt").write_text(BILL)
    done = wetcomb(tmp_path, "clean", "bill.txt", *READ, *words, "--account", "full")
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
    words = ["rebuild", "bill.txt", "--comb", "c.toml", "--format", "csv"]
    other = wetcomb(tmp_path, *words)
    assert b"Heron" in other.stdout and b"they belong to another text" in other.stderr
    assert b"no record stands" not in other.stderr and b"stale" not in other.stderr
    (tmp_path / "c.toml").write_text(comb.replace("fix_source", "#"))  # whose they are is forgotten
    stale = wetcomb(tmp_path, *words)
    assert b"Heron" in stale.stdout and b"stale" in stale.stderr
    (tmp_path / "b.txt").write_text(BILL)
    two = wetcomb(tmp_path, *mended[:1], "b.txt", *mended[1:], "--format", "csv")
    assert two.returncode == 2 and b"mend several texts one at a time" in two.stderr
    late = wetcomb(
        tmp_path, *chain, "--strip", "Boat=*", "+", "split", "--column", "Day", "-d", "."
    )
    assert late.returncode == 2 and b"clean comes last" in late.stderr


def test_inspect_proposes_what_is_certain_and_tells_what_is_not(tmp_path: Path) -> None:
    rows = [("01.02.2031", "4,50 EUR", "1.204"), ("03.04.2031", "13,20 EUR", "3.100")]
    text = "Day;Toll;Tons\n" + "".join(";".join(row) + "\n" for row in rows * 3)
    (tmp_path / "in.txt").write_text(text)
    said = " ".join(wetcomb(tmp_path, "inspect", "in.txt", "--evidence").stdout.decode().split())
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


MUST = ["--must", "records=3", "--must", "unique No"]


@pytest.mark.parametrize(
    ("words", "status", "said"),
    [
        (["rebuild", "bill.txt", *MUST], 1, "must unique No: 1 record does not, first in line 4"),
        (["split", "bill.txt", "-d", "semicolon", "--must", "filled Boat"], 0, "it holds that: filled Boat"),
        (["wash", "bill.txt", "+", "split", "-d", "semicolon", "--must", "fields=5"], 1, "must fields=5: there are 4"),
        (["wash", "bill.txt", *MUST], 2, "--must is about a table, and wash makes text"),
        (["rebuild", "bill.txt", "--must", "well"], 2, "it takes records=26"),
    ],
)  # fmt: skip
def test_what_must_hold_can_be_said_with_any_table(
    tmp_path: Path, words: list[str], status: int, said: str
) -> None:
    (tmp_path / "bill.txt").write_text(BILL.replace("*Tansy", '" Tansy"'))
    done = wetcomb(tmp_path, *words, "--format", "csv", "--save-comb", "c.toml")
    assert done.returncode == status and said in " ".join(done.stderr.decode().split())
    if status < 2:
        assert b'" Tansy"' in done.stdout or b", Tansy" in done.stdout  # it changes nothing
        kept = (tmp_path / "c.toml").read_text()
        assert "records=3" not in kept and (
            said.split()[1].rstrip(":") in kept or "that" in said
        ), kept
        again = wetcomb(tmp_path, "rebuild", "bill.txt", "--comb", "c.toml", "--must", "records=3", "--save-comb", "d.toml")  # fmt: skip
        assert again.returncode == status, again.stderr.decode()
        assert (tmp_path / "d.toml").read_text() == kept


REACHES = """\
Reach;Lock;Day;Toll
North;Halden Top;2031-06-02;4,00 EUR
;;2031-06-03;1,75 EUR
;Weir;2031-06-02;3,25 USD
;;2031-06-07;3,25 EUR
South;Orrin;2031-06-01;2,00 EUR
;;2031-06-05;2,00 EUR
"""


def test_a_draft_carries_what_a_finer_column_proves(tmp_path: Path) -> None:
    (tmp_path / "in.txt").write_text(REACHES)
    drafted = wetcomb(tmp_path, "draft", "in.txt").stdout.decode()
    assert 'carry = ["Reach", "Lock"]' in drafted
    assert "# Lock is printed only where it changes: Day rises until it is printed again" in drafted
    (tmp_path / "in.txt").write_text(REACHES.replace("2031-06-07", "2031-06-01"))
    assert "carry" not in wetcomb(tmp_path, "draft", "in.txt").stdout.decode()
    bills = REACHES.replace("2031-06", "01.02").replace("USD", "EUR")
    (tmp_path / "in.txt").write_text(bills)
    drafted = wetcomb(tmp_path, "draft", "in.txt").stdout.decode()
    assert "# Not done, but certain: clean --number 'Toll=1,75 EUR'" in drafted


def test_several_currencies_are_a_doubt(tmp_path: Path) -> None:
    (tmp_path / "in.txt").write_text(REACHES)
    words = ["--number", "Toll=4,50 EUR", "--currency", "column", "--only", "Toll,Toll-unit"]
    done = wetcomb(tmp_path, "clean", "in.txt", *READ, *words, "--strict")
    assert done.returncode == 1 and b"units-mixed: Toll: EUR 5, USD 1" in done.stderr
    assert b"3.25,USD" in done.stdout


def test_records_that_did_not_convert_are_sorted_first_or_apart(tmp_path: Path) -> None:
    (tmp_path / "in.txt").write_text("a;b\n9;x\nz;y\n10;z\n")
    words = ["clean", "in.txt", *READ[:2], "--number", "a=1", "--sort", "a", "-o", "t.csv"]
    assert b"--sort a: 1 value is no number and stands first" in wetcomb(tmp_path, *words).stderr
    assert (tmp_path / "t.csv").read_text() == "a,b\nz,y\n9,x\n10,z\n"
    assert wetcomb(tmp_path, *words, "--snags", "apart", "--force").returncode == 0
    assert (tmp_path / "t.csv").read_text() == "a,b\n9,x\n10,z\n"
    assert "z,y" in (tmp_path / "t.snags.csv").read_text()
