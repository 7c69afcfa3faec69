"""Files for other programs, packed texts, many texts at once: the real program, and what it leaves behind."""

from __future__ import annotations

import bz2
import csv
import doctest
import gzip
import io
import json
import lzma
import sqlite3
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

import wetcomb as package
from program import wetcomb
from tables import values
from wetcomb import Clean, Comb, Glue, Split, UsageError
from wetcomb.core.errors import InputError

DEMO = Path(package.__file__).parent / "demo"
DOCS = Path(__file__).parents[2] / "docs"
LIST = "boat;toll;passed\nTansy;1.204,50;02.06.2031\nWren;n/a;03.06.2031\n"


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "list.txt").write_text(LIST, encoding="utf-8")
    return tmp_path


def read_csv(path: Path) -> list[list[str]]:
    return list(csv.reader(io.StringIO(path.read_bytes().decode(), newline="")))


#: Texts, what is typed behind `split -d semicolon`, and what the one line says.
REFUSED = [
    (LIST, "+ clean --number toll=1.234,56 -o t.parquet", "column 'toll', record 2: 'n/a' is no number"),
    ("a;b\nx;12E07\n", "+ clean --number b=12 -o t.sqlite", "a database would take it for a number"),
    ("a;b\nx;1234567890123456.78\n", "+ clean --number b=12.5 -o t.xlsx", "more digits than the 15"),
    ("a;b\nx;1234567890123456.78\n", "+ clean --number b=12.5 -o t.sqlite", "more digits than the 15"),
    (f"a;b\nx;{'9' * 39}\n", "+ clean --number b=12.5 -o t.parquet", "takes 39 digits, and 38 are the most"),
    ("a;b\nx;2 May 1896\n", "+ clean --date 'b=2 May 1896' -o t.xlsx", "the first day that a spreadsheet knows, 1 March 1900"),
    (f"a;b\nx;{'y' * 32768}\n", "-o t.xlsx", "longer than the 32,767 characters"),
    (";".join(["x"] * 16385) + "\n" + ";" * 16384 + "y\n", "--heading none -o t.xlsx", "16,384 columns at most"),
    (";".join(["x"] * 2001) + "\n" + ";" * 2000 + "y\n", "--heading none -o t.sqlite", "2,000 columns at most"),
    ("a;A\nx;1\n", "-o t.sqlite", "cannot hold columns called 'a' and 'A'"),
    ("a;b\nx;1\n", "-o sqlite_x.sqlite", "reserved"),
    ("a;b\nx;1\n", "-o t.jsonl --write-mark", "about csv and tsv, and jsonl is written"),
    ("a;b\nx;1\n", "-o t.csv --keep-old", "give --force too"),
    ("a;b\nx;1\n", "-o t/ --sheet s.html", "--sheet goes with one table"),
    ("a;b\nx;1\n", "+ glue --columns a --with x -o t.csv", "one column alone"),
    ("a;b\nx;1\n", "+ glue --columns a,c -o t.csv", "there is no column 'c'"),
    ("a;b\nx;1\n", "+ glue --columns a,b --as c + split --column c -d x -o t.csv", "glue comes last"),
    ("a;b\nx;1\n", "+ glue --one-line -o t.csv", "--one-line takes one column"),
    ("a;b\nx, y;1\nz;2\n", "+ glue --each-a-line -o t.txt", "1 value holds ', ', at which they would be cut again (column 'a': 'x, y')"),
    ("a;b\nx, y;1\nz;2\n", "+ glue --each-a-line -o t.txt", "put '; ' between them, which stands in none"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "typed", "said"), REFUSED)
def test_refused_before_anything_is_written(
    text: str, typed: str, said: str, tmp_path: Path
) -> None:
    import shlex

    (tmp_path / "in.txt").write_text(text, encoding="utf-8")
    done = wetcomb(tmp_path, "split", "in.txt", "-d", "semicolon", *shlex.split(typed))
    assert done.returncode == 2
    assert said in done.stderr.decode() and done.stderr.count(b"\n") == 1
    assert {path.name for path in tmp_path.iterdir()} == {"in.txt"}


def test_csv_for_whoever_opens_it(folder: Path) -> None:
    (folder / "odd.txt").write_text("a;b\n=1+2;-3.5\n+49 123;@x\n'x;-\n", encoding="utf-8")
    words = "split odd.txt -d semicolon --heading first -o o.csv --write-delimiter semicolon --write-line-ends crlf --write-mark --guard-formulas"
    done = wetcomb(folder, *words.split())
    assert b"every character is accounted for" in done.stderr and b"3 put in" not in done.stderr
    assert (folder / "o.csv").read_bytes() == (
        b"\xef\xbb\xbfa;b\r\n'=1+2;-3.5\r\n'+49 123;'@x\r\n'x;'-\r\n"
    )


def test_a_database_keeps_its_other_tables(folder: Path) -> None:
    base = sqlite3.connect(folder / "list.sqlite")
    base.executescript(
        "CREATE TABLE other (x); INSERT INTO other VALUES (7); CREATE TABLE list (y)"
    )
    base.close()
    words = ("split", "list.txt", "-d", "semicolon", "-o", "list.sqlite", "--quiet")
    assert wetcomb(folder, *words).returncode == 2
    assert wetcomb(folder, *words, "--force", "--keep-old").returncode == 0
    base = sqlite3.connect(folder / "list.sqlite")
    assert base.execute("SELECT x FROM other").fetchall() == [(7,)]
    assert base.execute("SELECT boat, toll FROM list").fetchall() == [("Tansy", "1.204,50"), ("Wren", "n/a")]  # fmt: skip
    base.close()
    old = sqlite3.connect(folder / "list.sqlite.old-1")
    assert old.execute("SELECT * FROM list").fetchall() == []
    old.close()
    (folder / "list.sqlite").write_bytes(b"no database at all, but long enough for one" * 9)
    done = wetcomb(folder, *words, "--force", "--keep-old")
    assert done.returncode == 2 and b"is no database" in done.stderr
    assert not (folder / "list.sqlite.old-2").exists()


def test_what_is_replaced_is_kept(folder: Path) -> None:
    words = ("split", "list.txt", "-d", "semicolon", "--quiet", "-o", "t.csv", "--force", "--keep-old")  # fmt: skip
    for text in ("one", "two", ""):
        if text:
            (folder / "t.csv").write_text(text, encoding="utf-8")
        assert wetcomb(folder, *words).returncode == 0
    kept = [(folder / f"t.csv.old-{k}").read_text(encoding="utf-8") for k in (1, 2, 3)]
    assert kept[:2] == ["one", "two"] and kept[2].startswith("boat,toll")


@pytest.mark.parametrize("pack", [gzip.compress, bz2.compress, lzma.compress])
def test_packed_texts(pack: object, folder: Path) -> None:
    packed = pack(LIST.encode() * 50)  # type: ignore[operator]
    (folder / "p.txt.gz").write_bytes(packed)
    words = ("split", "p.txt.gz", "-d", "semicolon", "--heading", "none", "--quiet")
    done = wetcomb(folder, *words)
    assert done.returncode == 0 and done.stdout.count(b"Tansy") == 50
    assert wetcomb(folder, "split", "-", *words[2:], given=packed).stdout == done.stdout
    for odd, said in ((packed[:-9], b"ends early"), (packed[:20] + b"\0" * 40, b"")):
        (folder / "p.txt.gz").write_bytes(odd)
        done = wetcomb(folder, *words)
        assert done.returncode == 2 and said in done.stderr and b"p.txt.gz" in done.stderr


def test_what_unpacks_without_end_is_refused(folder: Path) -> None:
    piece = gzip.compress(bytes(64 << 20))
    (folder / "p.gz").write_bytes(piece * 6)
    done = wetcomb(folder, "split", "p.gz", "-d", "semicolon")
    assert done.returncode == 2 and b"200 times its size" in done.stderr


def test_json_lines_are_read(folder: Path) -> None:
    lines = ['{"a": "x,\\"y", "n": 1.50}', "", '{"n": null, "b": [1, {"c": true}]}']
    (folder / "in.jsonl").write_text("\n".join(lines), encoding="utf-8")
    wetcomb(folder, "clean", "in.jsonl", "--read", "jsonl", "-o", "t.csv")
    assert read_csv(folder / "t.csv") == [
        ["a", "n", "b"], ['x,"y', "1.50", ""], ["", "", '[1, {"c": true}]'],
    ]  # fmt: skip
    for odd, said in (("[1]", ":2: this line of JSON is no object"), ('{"a": 1', ":2:8: this is no line"), ('{"a": 1, "a": 2}', ":2: the key 'a' stands twice")):  # fmt: skip
        (folder / "in.jsonl").write_text('{"a": "1"}\n' + odd, encoding="utf-8")
        done = wetcomb(folder, "clean", "in.jsonl", "--read", "jsonl", "-o", "u.csv")
        assert done.returncode == 2 and said in done.stderr.decode()


@pytest.mark.parametrize("n_texts", [3, 11])  # one after another, and two at once
def test_many_texts_by_one_comb(n_texts: int, tmp_path: Path) -> None:
    wetcomb(tmp_path, "draft", str(DEMO / "notices.txt"), "-o", "n.toml")
    text = (DEMO / "notices.txt").read_bytes()
    for k in range(n_texts):
        (tmp_path / f"{k}.txt").write_bytes(text)
    (tmp_path / "register.txt").write_bytes((DEMO / "register.txt").read_bytes())
    (tmp_path / "empty.txt").write_bytes(b"")
    names = [f"{k}.txt" for k in range(n_texts)]
    words = ["rebuild", names[0], "register.txt", "gone.txt", "empty.txt", *names[1:], "--comb", "n.toml", "-o", "out/"]  # fmt: skip
    done = wetcomb(tmp_path, *words)
    said = done.stderr.decode()
    assert done.returncode == 1
    assert f"{n_texts} tables of {n_texts + 3} texts written" in said
    assert "register.txt: does not fit: its heading" in said
    assert "gone.txt: no such file" in said and "empty.txt: this is empty" in said
    alone = wetcomb(tmp_path, "rebuild", names[0], "--comb", "n.toml", "--quiet").stdout
    for k in range(n_texts):
        assert (tmp_path / "out" / f"{k}.csv").read_bytes() == alone
    assert len(list((tmp_path / "out").iterdir())) == n_texts
    assert b"is there already" in wetcomb(tmp_path, *words).stderr
    done = wetcomb(tmp_path, *words, "--force", "--format", "jsonl", "--account", "json")
    told = json.loads(done.stderr)
    n_records = len(list(csv.reader(io.StringIO(alone.decode(), newline="")))) - 1
    assert (told["written"], told["texts"][0]["account"]["records"]) == (n_texts, n_records)
    assert [one["name"] for one in told["texts"]] == words[1 : n_texts + 4]
    clash = wetcomb(tmp_path, "rebuild", "0.txt", "out/0.csv", "--comb", "n.toml", "-o", "out/")
    assert clash.returncode == 2 and b"would both be written" in clash.stderr


def test_the_account_for_programs(tmp_path: Path) -> None:
    done = wetcomb(tmp_path, "rebuild", str(DEMO / "tolls.txt"), "-o", "t.csv", "--account", "json")
    told = json.loads(done.stderr)
    assert told["verdict"] == "doubtful" and [one["name"] for one in told["doubts"]] == [
        "total-off"
    ]
    assert told["columns"] == read_csv(tmp_path / "t.csv")[0]
    assert told["records"] == len(read_csv(tmp_path / "t.csv")) - 1
    ledger = told["ledger"]
    assert ledger["in"] == ledger["kept"] + ledger["altered"] + sum(ledger["left_out"].values())
    assert ledger["in"] == len((DEMO / "tolls.txt").read_text(encoding="utf-8"))
    assert told["totals"]["differ"] == 1 and told["written"] == ["t.csv"]


@pytest.mark.parametrize(("form", "module"), [("xlsx", "openpyxl"), ("parquet", "pyarrow")])
def test_one_line_says_what_to_install(form: str, module: str, folder: Path) -> None:
    blocked = f"import sys; sys.modules[{module!r}] = None; from wetcomb.cli.main import main; raise SystemExit(main(sys.argv[1:]))"
    words = [sys.executable, "-c", blocked, "split", "list.txt", "-d", "semicolon", "-o", f"t.{form}"]  # fmt: skip
    done = subprocess.run(words, cwd=folder, capture_output=True, check=False)
    assert done.returncode == 2
    assert done.stderr.decode().strip() == f"wetcomb: {form} needs {module}, which is not installed: pip install 'wetcomb[{form}]'"  # fmt: skip


@st.composite
def plain_tables(draw: st.DrawFn) -> list[list[str]]:
    """Draw tables of filled and empty values, a heading first, of which no record is all empty."""
    width = draw(st.integers(1, 4))
    cell = values.map(lambda value: value or "")
    rows = draw(st.lists(st.lists(cell, min_size=width, max_size=width), max_size=5))
    return [[f"n{k}" for k in range(width)], *(row for row in rows if any(v.strip() for v in row))]


GLUES = (", ", ";", " | ", "\t", "--", " ", "a", "::")


@settings(max_examples=100, deadline=None)
@given(table=plain_tables(), glue=st.sampled_from(GLUES))
@example(table=[["n0", "n1"], ["x=", "y"]], glue="==")
def test_glue_and_split_undo_each_other(table: list[list[str]], glue: str) -> None:
    written = io.StringIO(newline="")
    csv.writer(written, quoting=csv.QUOTE_ALL, lineterminator="\n").writerows(table)
    read = Split(delimiter=("comma",), heading="first", fields=0)
    lines = Comb((read, Glue(each_a_line=True, with_=glue, quote="double"))).run(written.getvalue())
    text = "".join(f"{line}\n" for line in [lines.names[0], *(row[0] for row in lines.rows())])
    cut = "space" if glue == " " else "tab" if glue == "\t" else glue
    back = Comb((Split(delimiter=(cut,), heading="first", fields=0),)).run(text)
    assert back.names == tuple(table[0])
    assert [[value or "" for value in row] for row in back.rows()] == table[1:]


def test_what_glue_makes() -> None:
    text = "boat;lock;toll\nTansy;Orrin;3\nWren;;4\n;;5\n"
    cut = Split(delimiter=("semicolon",), heading="first", fields=0)
    cases: list[tuple[Glue, list[str], list[list[str | None]]]] = [
        (Glue(columns=("boat", "lock"), as_="berth"), ["berth", "toll"], [["Tansy, Orrin", "3"], ["Wren, ", "4"], [", ", "5"]]),
        (Glue(columns=("lock", "boat"), with_=" / ", skip_empty=True), ["lock / boat", "toll"], [["Orrin / Tansy", "3"], ["Wren", "4"], ["", "5"]]),
        (Glue(columns=("boat",), one_line=True, with_="; "), ["boat"], [["Tansy; Wren; "]]),
        (Glue(each_a_line=True, columns=("toll", "boat")), ["toll, boat"], [["3, Tansy"], ["4, Wren"], ["5, "]]),
    ]  # fmt: skip
    for glue, names, rows in cases:
        table = Comb((cut, glue)).run(text)
        assert ([*table.names], table.rows()) == (names, rows)
    table = Comb((cut, Clean(number="toll=1", rename="toll=t"), cases[0][0])).run(text)
    assert table.types == ("", "number")
    with pytest.raises(InputError, match="1 value holds 's'"):
        Comb((cut, Glue(columns=("boat", "lock"), with_="s"))).run(text)


def test_the_page_for_python_holds() -> None:
    page = DOCS / "python.md"
    failed, tried = doctest.testfile(str(page), module_relative=False, optionflags=doctest.ELLIPSIS)
    assert (failed, tried > 20) == (0, True)
    with pytest.raises(UsageError, match="reads text here"):
        package.pull(package.split("a;b\n1;2\n", delimiter=";"), label="a")


@pytest.mark.skipif(sys.platform != "linux", reason="signals as Linux has them")
def test_a_run_over_many_that_is_stopped_leaves_whole_tables(tmp_path: Path) -> None:
    import signal
    import time

    wetcomb(tmp_path, "draft", str(DEMO / "notices.txt"), "-o", "n.toml")
    text = (DEMO / "notices.txt").read_bytes()
    names = [f"{k}.txt" for k in range(400)]
    for name in names:
        (tmp_path / name).write_bytes(text)
    alone = wetcomb(tmp_path, "rebuild", "0.txt", "--comb", "n.toml", "--quiet").stdout
    words = [sys.executable, "-m", "wetcomb", "rebuild", *names, "--comb", "n.toml", "-o", "out/"]
    running = subprocess.Popen(words, cwd=tmp_path, stderr=subprocess.PIPE)
    for _ in range(600):
        if (tmp_path / "out").is_dir() and any((tmp_path / "out").glob("[0-9]*.csv")):
            break
        time.sleep(0.05)
    running.send_signal(signal.SIGINT)
    said = running.communicate(timeout=60)[1].decode()
    assert running.returncode == 130 and "not begun; the tables that are written are whole" in said
    made = [path for path in (tmp_path / "out").iterdir() if not path.name.startswith(".")]
    assert 0 < len(made) < len(names)
    assert all(path.read_bytes() == alone for path in made)
