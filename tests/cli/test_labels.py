"""Labelled fields as they are used: rebuilt without an option, pulled by name, kept in a comb."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

import wetcomb as package
from program import wetcomb

DEMO = Path(package.__file__).parent / "demo"
CARDS = "".join(
    f"Card: {no}\nReader: {who}\nSince: {no % 28 + 1}.03.2031\n\n"
    for no, who in ((11, "Ruth Pell"), (12, "Tom Ashby"), (17, "Edda Lorn"))
)
BELOW = CARDS.replace(": ", "\n")
CARD_TABLE = (
    "Card,Reader,Since\n11,Ruth Pell,12.03.2031\n12,Tom Ashby,13.03.2031\n17,Edda Lorn,18.03.2031\n"
)
PAGES = "\f".join(
    f"Read{chr(0x200B) * (no == 2)}ing room   page {no}\n\n{card}\n"
    for no, card in enumerate(CARDS.split("\n\n")[:3], 1)
)


def test_the_permits_are_rebuilt_without_an_option(tmp_path: Path) -> None:
    shutil.copy(DEMO / "permits.txt", tmp_path)
    done = wetcomb(
        tmp_path, "rebuild", "permits.txt", "-o", "p.csv", "--save-comb", "p.toml", "--strict"
    )
    said = done.stderr.decode()
    assert done.returncode == 0 and "verdict table" in said, said
    assert (tmp_path / "p.csv").read_bytes() == (DEMO / "permits.true.csv").read_bytes()
    assert "Remarks: in 2 of 8 blocks; the first without it begins in line 10" in said
    again = wetcomb(tmp_path, "rebuild", "permits.txt", "--comb", "p.toml", "--format", "csv")
    assert again.stdout == (DEMO / "permits.true.csv").read_bytes()
    shown = wetcomb(tmp_path, "inspect", "permits.txt", "--evidence").stdout.decode()
    (command,) = [line.strip() for line in shown.splitlines() if "wetcomb pull" in line]
    assert "--label 'Permit no'" in command and "--multiline Remarks" in command


MANY = "".join(
    f"BEGIN:CARD\n-[ {no} ]------\nNo | {no}\nEvent: {no + 3} Station: {no * 7 % 5}\nChecked: by the office\n"
    for no in range(1, 10)
)
MANY_BELOW = "".join(f"No\n{no}\nEvent\n{no + 3}\nStation\n{no * 7 % 5}\n\n" for no in range(1, 10))
MANY_TABLE = "No,Event,Station\n" + "".join(f"{no},{no + 3},{no * 7 % 5}\n" for no in range(1, 10))


@pytest.mark.parametrize(
    ("text", "table"),
    [
        (MANY.replace("BEGIN:CARD\n", "").replace(" |", ":"), MANY_TABLE),
        (MANY.replace(" |", ":"), MANY_TABLE.replace("\n", ",by the office\n").replace("by the office", "Checked", 1)),
        (MANY_BELOW, MANY_TABLE),
        (MANY_BELOW.replace("No\n", "No:\n").replace("Event\n", "Event:\n").replace("Station\n", "Station:\n"), MANY_TABLE),
        (MANY_BELOW.replace("No\n", "No.\n"), MANY_TABLE.replace("No", "No.")),
        (PAGES, CARD_TABLE),
        (CARDS, CARD_TABLE),
        (BELOW, CARD_TABLE),
        (CARDS.replace(": ", " ..... "), CARD_TABLE),
        (CARDS.replace("\n\n", "\n-----\n"), CARD_TABLE),
        (CARDS.replace("\nReader", "; Reader").replace("\nSince", "; Since"), CARD_TABLE),
        (CARDS.replace("Card", "Ca\u200brd"), CARD_TABLE),
        ("Dear Ann,\nplease enter these.\n\n" + CARDS + "Yours\nTom\n", CARD_TABLE),
        (CARDS.replace("Reader: Tom Ashby\nSince: 13.03.2031", "Since: 13.03.2031\nReader: Tom Ashby"), CARD_TABLE),
    ],
)  # fmt: skip
def test_blocks_of_labels_are_found(tmp_path: Path, text: str, table: str) -> None:
    (tmp_path / "in.txt").write_text(text, encoding="utf-8")
    done = wetcomb(tmp_path, "rebuild", "in.txt", "--format", "csv", "--strict")
    assert (done.stdout.decode(), done.returncode) == (table, 0), done.stderr.decode()
    pulled = wetcomb(tmp_path, "wash", "in.txt", "+", "pull", "--format", "csv")
    assert pulled.stdout.decode() == table


#: Texts that hold what looks like a label, and are no blocks of labels.
NO_LABELS = {
    "speakers": "Tom: are you there?\nRuth: yes, at the lower gate.\nTom: the chain has come off!\nRuth: I will be with you.\n",
    "a table whose first column recurs": "Lock   Tons  Toll\nOrrin  12    3.50\nLamb   9     4.20\nOrrin  11    1.20\nLamb   7     2.20\n",
    "times": "16:40 Tansy goes up\n16:45 Heron goes down\n17:02 Wren waits\n",
    "a heading on every page": "Tolls\n\nBoat;Toll\nTansy;1\nWren;2\n\fTolls\n\nBoat;Toll\nRook;3\nCoot;4\n",
    "addresses of pages": "see https://a.example/x\nsee https://b.example/y\nsee https://c.example/z\n",
}


@pytest.mark.parametrize("text", NO_LABELS.values(), ids=NO_LABELS)
def test_what_looks_like_labels_and_is_none(tmp_path: Path, text: str) -> None:
    (tmp_path / "in.txt").write_text(text, encoding="utf-8")
    done = wetcomb(tmp_path, "rebuild", "in.txt", "--format", "csv")
    assert "recur in" not in done.stderr.decode()


def test_a_label_within_a_line_that_never_changes_is_no_column(tmp_path: Path) -> None:
    text = "".join(f"Gate: G{k}\nWhy: shut - Cause: frost\nState: closed\n\n" for k in range(12))
    (tmp_path / "in.txt").write_text(text)
    done = wetcomb(tmp_path, "rebuild", "in.txt", "--format", "csv", "--strict")
    assert b"Cause" not in done.stdout.split(b"\n")[0] or done.returncode == 1, done.stderr


def test_labels_that_are_not_certain_are_doubted(tmp_path: Path) -> None:
    glued = CARDS.replace("\nSince", "Since")
    more = CARDS.replace("\n\n", "\nseen by the keeper on {}\nat noon, with {}\n\n")
    below = BELOW.replace("Card", "Card:").replace("Reader", "Reader:").replace("Since", "Since:")
    once = below.replace("\n\n", "\nRemark:\nlate\n\n", 1)
    quoted = "On Monday Ruth wrote:\n" + "".join(f"> {line}\n" for line in once.splitlines())
    for text in (glued, more.format(*range(6)), once, quoted):
        (tmp_path / "in.txt").write_text(text)
        done = wetcomb(tmp_path, "rebuild", "in.txt", "--format", "csv", "--strict")
        assert done.returncode == 1, done.stderr.decode()


def test_a_value_of_each_block_that_no_label_claims_is_doubted(tmp_path: Path) -> None:
    names = ("Event", "Lock", "Tons", "Toll", "Gate", "Wind", "Rain")
    text = "".join(
        f"{no}/31\n\n" + "".join(f"{name}: {no + len(name)}\n" for name in names) + "\n"
        for no in range(1, 13)
    )
    (tmp_path / "in.txt").write_text(text)
    done = wetcomb(tmp_path, "rebuild", "in.txt", "--format", "csv", "--strict")
    assert done.returncode == 1 and "no label claims them, first '2/31'" in done.stderr.decode()


def test_labels_that_nothing_tells(tmp_path: Path) -> None:
    (tmp_path / "in.txt").write_text("a\nb\n")
    done = wetcomb(tmp_path, "pull", "in.txt")
    assert (done.returncode, done.stderr) == (
        2, b"wetcomb: in.txt: no label recurs in this text; name the labels (--label)\n"
    )  # fmt: skip


@pytest.mark.parametrize(
    ("text", "words", "said"),
    [
        ("No: 1\nIssue date: a\nExpiry date: b\n", "--label No --label date --labels-anywhere", "longer ones are unique: --label 'Issue date' and --label 'Expiry date'"),
        ("No: 1\nDate: a\nDate: b\n", "--label No --label Date", "--label 'Date#2 as NAME' takes the second"),
        ("No: 1\nx: y\nDate: a\nBoat: T\nDate: b\nBoat: W\n", "--label No --label Date --label Boat", "2 labels stand again in a block: it would part in line 5, if it is two"),
        ("No: 1\nBoat: T\n" * 3, "--label No --blocks {any}", "every line begins a block"),
        ("No: 1\nNo: 2\nNote: late\nNo: 3\n", "--label No --label Note --label-counts", "1 of 3; values end at: line end 1"),
        ("No: 1\nNo: 2\nNote: late\nNo: 3\n", "--label No --label Note --label-counts", "not in blocks that begin in lines 1, 4"),
        ("No: 17\nNo: 2\nNo: 2\n", "--label No --label-counts", "shortest 1 (2), longest 2 (17), rarest 17, once"),
        ("No: 1\nNote: a (b\n", "--label No --between ( ) x", "a text that begins a value, and none that ends it"),
        ("No: 1; Berth: A\nNote: JoeNo: 2\n", "--label No --label Note", "1 record of 1 does not fit"),
    ],
)  # fmt: skip
def test_what_people_check_by_hand_is_told(
    tmp_path: Path, text: str, words: str, said: str
) -> None:
    (tmp_path / "in.txt").write_text(text)
    done = wetcomb(tmp_path, "pull", "in.txt", *words.split(), "--format", "csv")
    assert said in " ".join(done.stderr.decode().split()), done.stderr.decode()


@pytest.mark.parametrize(
    ("words", "table"),
    [
        ("--column Note --label Boat --label Berth", 'No,Boat,Berth,Toll\n1,Tansy,"A10, C",2\n2,,B4,3\n3,,,4\n4,Wren,,5\n'),
        ("--column Note --label Boat --unclaimed column", 'No,Boat,unclaimed,Toll\n1,Tansy,,2\n2,,,3\n3,,,4\n4,Wren,seen,5\n'.replace("Tansy,,2", '"Tansy; Berth: A10, C",,2').replace("2,,,3", "2,,,3")),
        ("--column Note --label Boat --each B{digits} --blocks line", None),
    ],
)  # fmt: skip
def test_labels_in_a_column_of_a_table(tmp_path: Path, words: str, table: str | None) -> None:
    text = 'No;Note;Toll\n1;"Boat: Tansy; Berth: A10, C";2\n2;Berth: B4;3\n3;;4\n4;"Boat: Wren\nseen";5\n'
    (tmp_path / "in.csv").write_text(text)
    done = wetcomb(
        tmp_path, "pull", "in.csv", "--read", "semicolon", *words.split(), "--format", "csv"
    )
    assert done.returncode == (0 if table else 2), done.stderr.decode()
    assert table is None or done.stdout.decode() == table


def test_labels_stated_for_a_rebuild(tmp_path: Path) -> None:
    shutil.copy(DEMO / "permits.txt", tmp_path)
    words = ["--label", "Fee", "--label", "Permit no as no", "--label", "Remarks as r"]
    done = wetcomb(tmp_path, "rebuild", "permits.txt", *words, "--format", "csv", "--strict")
    rows = done.stdout.decode().splitlines()
    assert rows[0] == "Fee,no,r" and len(rows) == 9 and done.returncode == 0, done.stderr.decode()
    assert rows[3] == '19.00 marks,MP-0210,"keep the water point clear, and mind the swans"'
    both = wetcomb(tmp_path, "rebuild", "permits.txt", *words, "-d", "comma")
    assert both.returncode == 2 and b"--delimiter contradicts it" in both.stderr


def test_several_processes_say_what_one_says(tmp_path: Path) -> None:
    names = ("Tansy", "Wren: late", "Old Regret", "")
    blocks = [
        f"No: {no}\nBoat: {names[no % 4]}\n" + f"Note: seen {no}\n  twice\n" * (no % 5 == 0) + "\n"
        for no in range(60_000)
    ]
    (tmp_path / "in.txt").write_text("list\n\n" + "".join(blocks) * 5)
    words = ["pull", "in.txt", "--label", "No", "--label", "Boat", "--label", "Note"]
    words += ["--multiline", "Note", "--label-counts", "--force", "--no-color", "-o", "t.csv"]
    told = []
    for number in ("1", "3"):
        done = wetcomb(tmp_path, *words, "--processes", number, "--snags", "s.csv")
        assert done.returncode == 0, done.stderr.decode()
        tables = (tmp_path / "t.csv").read_bytes(), (tmp_path / "s.csv").read_bytes()
        told.append((done.stderr, *tables))
        (tmp_path / "t.csv").unlink()  # what is replaced would be told
    assert told[0] == told[1]
    assert told[0][1].count(b"\n") == 300_001 and b"in 60,000 of 300,000 blocks" in told[0][0]


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--between", "a", "b"], b"wetcomb: --between needs 3 values: START END NAME\n"),
        (["--column", "a"], b"wetcomb: --column needs the labels that stand in its values: --label\n"),
        (["--each", "{digits}"], b"wetcomb: pattern '{digits}' names no field; write {words as goods}\n"),
        (["--blocks", "first-label", "--each", "{digits as n}"], b"wetcomb: --blocks first-label needs a --label; or say --blocks line or another\n"),
    ],
)  # fmt: skip
def test_options_of_pull_that_mean_nothing(tmp_path: Path, words: list[str], said: bytes) -> None:
    (tmp_path / "in.txt").write_text("a\nb\n")
    done = wetcomb(tmp_path, "pull", "in.txt", *words)
    assert (done.returncode, done.stderr) == (2, said)
