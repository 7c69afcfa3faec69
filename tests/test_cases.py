"""The real program over every folder of `cases/`, and over the demo."""

from __future__ import annotations

import tomllib
from pathlib import Path

import pytest

from program import wetcomb

CASES = sorted(path.parent for path in (Path(__file__).parent / "cases").glob("*/case.toml"))


@pytest.mark.parametrize("case", CASES, ids=lambda path: path.name)
def test_case(case: Path, tmp_path: Path) -> None:
    settings = tomllib.loads((case / "case.toml").read_text(encoding="utf-8"))
    (tmp_path / "input.txt").write_bytes((case / "input.txt").read_bytes())
    command, *words = settings["words"]
    done = wetcomb(
        tmp_path,
        command,
        "input.txt",
        *words,
        "-o",
        "out.csv",
        "--save-comb",
        "c.comb.toml",
        "--account",
        "full",
    )
    account = done.stderr.decode()
    assert done.returncode == settings.get("status", 0), account
    assert (tmp_path / "out.csv").read_bytes() == (case / "expected.csv").read_bytes()
    for said in settings["account"]:
        assert said in account
    again = [word for word in words if word in ("--missing-as", "--snag-column", "--with-source")]
    if not again:  # the comb that was saved gives the same table
        done = wetcomb(tmp_path, "rebuild", "input.txt", "--comb", "c.comb.toml", "-o", "again.csv")
        assert done.returncode == 0, done.stderr
        assert (tmp_path / "again.csv").read_bytes() == (tmp_path / "out.csv").read_bytes()


def test_demo(tmp_path: Path) -> None:
    first = wetcomb(tmp_path, "demo")
    assert first.returncode == 0, first.stderr
    shown = first.stdout.decode()
    assert "38 of 40 records are those of the true table" in shown
    assert "3 records of 40 do not fit" in first.stderr.decode()
    there = {path.name for path in (tmp_path / "wetcomb-demo").iterdir()}
    assert there == {"notices.txt", "notices.csv", "register.txt", "permits.txt", "tolls.txt"}
    commands = [line.strip() for line in shown.splitlines() if " wetcomb " in line]
    assert len(commands) == 3
    for line in commands:  # what it says to go on with works
        words = line[line.index("wetcomb ") :].split()[1:]
        assert wetcomb(tmp_path, *words).returncode == 0, line
    assert wetcomb(tmp_path, "demo").returncode == 0
    assert (tmp_path / "wetcomb-demo-2" / "notices.csv").exists()
    refused = wetcomb(tmp_path, "demo", "wetcomb-demo")
    assert refused.returncode == 2
    assert b"the demo replaces nothing" in refused.stderr
