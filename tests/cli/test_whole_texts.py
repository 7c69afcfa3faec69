"""The search of a whole text as it is used: told, doubted, kept in a comb, and what it leaves alone."""

from __future__ import annotations

from pathlib import Path

import pytest

from program import wetcomb

BULLETS = "".join(f"• LK-{412 + 3 * k}; {boat}; {k + 2}.50\n" for k, boat in enumerate(["Tansy", "Heron Wake", "Old Regret", "Wren", "Plover", "Coot"]))  # fmt: skip
MAIL = "See below.\n\nOn 3 June 2031, R. Pell wrote:\n| Hello,\n|\n| No; Boat\n| 1; Tansy\n|\n| R. P.\n"
FRAMED = "From: R. Pell\n| No | Boat |\n| 1 | Tansy |\n"
TREE = " Orrin\n   a/1\n   b/2\n Wick\n   c/3\n"


def test_what_is_found_is_told_and_kept(tmp_path: Path) -> None:
    (tmp_path / "in.txt").write_text(BULLETS, encoding="utf-8")
    done = wetcomb(tmp_path, "rebuild", "in.txt", "-o", "t.csv", "--save-comb", "c.toml")
    said = " ".join(done.stderr.decode().split())
    assert done.returncode == 0 and "The • before each record is taken off" in said, said
    table = (tmp_path / "t.csv").read_bytes()
    assert table.startswith(b"field-1,field-2,field-3\nLK-412,Tansy,2.50\n")
    again = wetcomb(tmp_path, "rebuild", "in.txt", "--comb", "c.toml", "--format", "csv")
    assert again.stdout == table and 'strip = ["1=\\u2022"]' in (tmp_path / "c.toml").read_text(encoding="utf-8").replace("•", "\\u2022")  # fmt: skip
    looked = " ".join(wetcomb(tmp_path, "inspect", "in.txt").stdout.decode().split())
    assert "wetcomb split in.txt" in looked and "+ clean --strip" in looked


def test_the_same_text_gives_the_same_comb(tmp_path: Path) -> None:
    (tmp_path / "in.txt").write_text(BULLETS, encoding="utf-8")
    first, second = (wetcomb(tmp_path, "draft", "in.txt").stdout for _ in range(2))
    assert first == second and b"clean" in first


@pytest.mark.parametrize(
    ("text", "words", "out"),
    [
        (MAIL, ["wash", "in.txt"], MAIL.replace("| ", "").replace("\n|", "\n")),
        (FRAMED, ["wash", "in.txt"], FRAMED),
        ("a\n# b\n#c\n", ["wash", "in.txt", "--reply-mark", "#"], "a\nb\nc\n"),
        (TREE, ["split", "in.txt", "-d", "/", "--heading", "none", "--group", r"regex:^ (?P<lock>\S.*)$", "--format", "csv"],
         "lock,field-1,field-2\nOrrin,a,1\nOrrin,b,2\nWick,c,3\n"),
    ],
)  # fmt: skip
def test_steps_that_the_search_needs(tmp_path: Path, text: str, words: list[str], out: str) -> None:
    (tmp_path / "in.txt").write_text(text, encoding="utf-8")
    done = wetcomb(tmp_path, *words)
    assert done.stdout.decode() == out, done.stderr.decode()


def test_what_was_carried_without_proof_is_doubted(tmp_path: Path) -> None:
    rows = [("Top", "Tansy"), ("", "Wren"), ("", "Coot"), ("Weir", "Teal"), ("", "Rook"), ("", "Lark"), ("Mill", "Gull"), ("", "Ruff")]  # fmt: skip
    text = "Lock;Boat;Toll\n" + "".join(
        f"{a};{b};{(5 * k) % 7}.50\n" for k, (a, b) in enumerate(rows)
    )
    (tmp_path / "in.txt").write_text(text)
    done = wetcomb(tmp_path, "rebuild", "in.txt", "--format", "csv", "--strict")
    assert done.returncode == 1 and b"first-blank" in done.stderr
