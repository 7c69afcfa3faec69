"""What comes out: tables, listings, combs, the account, exit statuses."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from program import wetcomb
from wetcomb import Split, draft
from wetcomb.cli.main import main

TEXT = b'no,boat,notice\n1,Tansy,"wet, cold"\n\n2,Sallow\n3,Plover,dry,late,"x"\n4,Zo\xc3\xab,"says ""no"""\n'


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "in.txt").write_bytes(TEXT)
    return tmp_path


@pytest.mark.parametrize(
    ("form", "wanted"),
    [
        ("csv", 'no,boat,notice,rest\n1,Tansy,"wet, cold",\n2,Sallow,,\n3,Plover,dry,"late,""x"""\n4,Zoë,"says ""no""",\n'),
        ("tsv", 'no\tboat\tnotice\trest\n1\tTansy\twet, cold\t\n2\tSallow\t\t\n3\tPlover\tdry\t"late,""x"""\n4\tZoë\t"says ""no"""\t\n'),
        ("md", '| no | boat | notice | rest |\n| --- | --- | --- | --- |\n| 1 | Tansy | wet, cold |  |\n| 2 | Sallow |  |  |\n| 3 | Plover | dry | late,"x" |\n| 4 | Zoë | says "no" |  |\n'),
    ],
)  # fmt: skip
def test_formats_by_ending_and_by_name(folder: Path, form: str, wanted: str) -> None:
    assert wetcomb(folder, "rebuild", "in.txt", "-o", f"out.{form}").returncode == 0
    assert (folder / f"out.{form}").read_text(encoding="utf-8") == wanted
    piped = wetcomb(folder, "rebuild", "-", "--format", form, "--quiet", given=TEXT)
    assert (piped.stdout.decode(), piped.stderr) == (wanted, b"")


def test_json_tells_missing_from_empty(folder: Path) -> None:
    done = wetcomb(
        folder, "split", "in.txt", "-d", "comma", "--heading", "first", "--format", "jsonl"
    )
    rows = [json.loads(line) for line in done.stdout.splitlines()]
    assert rows[1] == {"no": "2", "boat": "Sallow", "notice": None, "rest": None}
    assert rows[3] == {"no": "4", "boat": "Zoë", "notice": 'says "no"', "rest": None}


def test_the_ledger_file_adds_up(folder: Path) -> None:
    words = ["--take", "3,1", "--missing", "dry", "--ledger", "ledger.jsonl", "-o", "out.csv"]
    (folder / "in.txt").write_bytes(b"\xef\xbb\xbf" + TEXT)
    done = wetcomb(folder, "rebuild", "in.txt", *words, "--account", "full")
    assert done.returncode == 0, done.stderr
    account = done.stderr.decode()
    rows = [json.loads(line) for line in (folder / "ledger.jsonl").read_text().splitlines()]
    counts: dict[str, int] = {}
    for row in rows:
        counts[row["reason"]] = counts.get(row["reason"], 0) + int(row["characters"])
        assert row["reason"] == "byte-order-mark" or len(row["text"]) == int(row["characters"])
    said = account.split("left out: ")[-1].split(";")[0].split("\n")[0]
    assert sorted(int(word.rsplit(" ", 1)[1]) for word in said.split(", ")) == sorted(
        counts.values()
    )
    assert counts["not-taken"] == len("boatTansySallowPloverZoë")
    assert counts["missing-word"] == 3
    assert {
        (row["source_first"], row["text"]) for row in rows if row["reason"] == "blank-line"
    } == {("3", "\n")}


def test_snags_are_a_table_and_count_for_the_status(folder: Path) -> None:
    done = wetcomb(
        folder, "rebuild", "in.txt", "--snags", "snags.jsonl", "--strict", "-o", "out.csv"
    )
    assert done.returncode == 1
    rows = [
        json.loads(line)
        for line in (folder / "snags.jsonl").read_text(encoding="utf-8").splitlines()
    ]
    assert [(row["source_first"], row["snag"], row["text"]) for row in rows] == [
        ("4", "short", "2,Sallow"),
        ("5", "long", '3,Plover,dry,late,"x"'),
    ]
    assert (folder / "out.csv").exists()


def test_several_sources_make_one_table(folder: Path) -> None:
    (folder / "more.txt").write_bytes(b"no,boat,notice\n5,Brindle,new\n")
    done = wetcomb(folder, "rebuild", "in.txt", "more.txt", "-o", "out.csv", "--ledger", "l.csv")
    assert done.returncode == 0, done.stderr
    lines = (folder / "out.csv").read_text(encoding="utf-8").splitlines()
    assert lines[0] == "no,boat,notice,source_file,rest"
    assert lines[-1] == "5,Brindle,new,more.txt,"
    assert "more.txt,1,1,2,heading-again,split,no" in (folder / "l.csv").read_text(encoding="utf-8")


def test_a_comb_keeps_its_comments_and_looks_before_it_runs(folder: Path) -> None:
    assert wetcomb(folder, "draft", "in.txt", "-o", "my.comb.toml").returncode == 0
    comb = folder / "my.comb.toml"
    text = comb.read_text(encoding="utf-8").replace("[fits]", "# by hand\n[fits]\nmax_snags = 1")
    comb.write_text(text, encoding="utf-8")
    words = ["--comb", "my.comb.toml", "--save-comb", "new.comb.toml", "-o", "out.csv"]
    assert wetcomb(folder, "rebuild", "in.txt", *words).returncode == 1  # two snags, one allowed
    assert (folder / "new.comb.toml").read_text(encoding="utf-8") == text
    (folder / "next.txt").write_bytes(b"no,barge,notice\n1,Tansy,x\n")
    done = wetcomb(folder, "rebuild", "next.txt", "--comb", "my.comb.toml", "-o", "next.csv")
    assert done.returncode == 1
    assert (
        b"its heading is not the comb's (missing: boat; new: barge); nothing was written"
        in done.stderr
    )
    assert not (folder / "next.csv").exists()
    done = wetcomb(
        folder, "rebuild", "next.txt", "--comb", "my.comb.toml", "--unchecked", "-o", "next.csv"
    )
    assert done.returncode == 0
    assert (folder / "next.csv").read_bytes() == b"no,barge,notice\n1,Tansy,x\n"


def test_a_comb_states_the_encoding(folder: Path) -> None:
    (folder / "old.txt").write_bytes("no;boat\n1;Zo\u00eb\n2;Bj\u00f6rn\n".encode("cp1252"))
    done = wetcomb(folder, "draft", "old.txt", "--encoding", "cp1252", "-o", "my.comb.toml")
    assert done.returncode == 0, done.stderr
    (folder / "next.txt").write_bytes("no;boat\n3;\u20ac\n".encode("cp1252"))
    done = wetcomb(folder, "rebuild", "next.txt", "--comb", "my.comb.toml", "--quiet")
    assert done.stdout.decode() == "no,boat\n3,€\n"


def test_force_replaces_and_keeps_the_mode(folder: Path) -> None:
    target = folder / "out.csv"
    target.write_text("old")
    target.chmod(0o640)
    assert wetcomb(folder, "rebuild", "in.txt", "-o", "out.csv", "--force").returncode == 0
    assert target.read_text(encoding="utf-8").startswith("no,boat")
    assert target.stat().st_mode & 0o777 == 0o640


def test_a_closed_pipe_is_no_fault(folder: Path) -> None:
    (folder / "long.txt").write_text("a,b\n" + "".join(f"{k},{k % 7}\n" for k in range(200_000)))
    done = wetcomb(folder, "rebuild", "long.txt", "--quiet")
    assert done.stdout.count(b"\n") == 200_001
    shell = f"'{__import__('sys').executable}' -m wetcomb rebuild long.txt --quiet | head -1"
    import subprocess

    piped = subprocess.run(shell, shell=True, cwd=folder, capture_output=True, check=False)
    assert (piped.stdout, piped.stderr) == (b"a,b\n", b"")
    shell = shell.removesuffix("| head -1") + ">&-"
    shut = subprocess.run(shell, shell=True, cwd=folder, capture_output=True, check=False)
    assert shut.returncode == 2
    assert shut.stderr == b"wetcomb: standard output is closed; name a file (-o FILE)\n"


def test_what_is_stated_is_never_overruled() -> None:
    text = "a,b;c,d\n1,2;3,4\n5,6;7,8\n"
    assert draft(text, delimiter=";").steps[0].delimiter == (";",)
    assert draft(text, delimiter="comma").steps[0].delimiter == ("comma",)
    assert draft(text, heading="none", quote="single").steps[0].quote_pairs == (("'", "'"),)


def test_one_definition_serves_help_comb_and_call(capsys: pytest.CaptureFixture[str]) -> None:
    with pytest.raises(SystemExit):
        main(["split", "--help"])
    shown = capsys.readouterr().out
    for name in Split.__struct_fields__:
        assert f"--{name.replace('_', '-')}" in shown
    for group in ("what to cut on", "heading", "pieces", "output", "snags and the ledger"):
        assert f"{group}:" in shown
