"""The real program on a real scheduler and its workers: equal bytes, workers killed, runs taken up again."""

from __future__ import annotations

import json
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from pages import run_page
from wetcomb import load_comb

pytestmark = pytest.mark.skipif(sys.platform != "linux", reason="processes are looked up in /proc")

COMB = 'wetcomb = 1\n[[step]]\ndo = "split"\ndelimiter = ["comma"]\nquote = ["double"]\nheading = "first"\n[fits]\ncolumns = ["no", "boat", "notice"]\n'
ROWS = ("1,Tansy,dry\n", '2,"Teal, grey","at\nthe\nlock"\n', '3,"says ""no""",x\n')
SCRIPT = Path(__file__).parent.parent / "cluster_script.py"


def lay_out(folder: Path, rows: int) -> list[str]:
    """Write a long text, some short ones and one that does not fit; return them as they are typed."""
    (folder / "c.toml").write_text(COMB)
    some = "".join(ROWS) * 10 + "4,a,b,c\n"
    (folder / "long.txt").write_text("no,boat,notice\n" + some * (rows // 31))
    (folder / "mails").mkdir()
    for k in range(6):
        (folder / f"mails/m{k}.txt").write_text("no,boat,notice\n" + ROWS[k % 3] * (k + 1))
    (folder / "mails/odd.txt").write_text("Lock;Level\n1;2\n")
    return ["mails/*.txt", "long.txt"]


def start(folder: Path, *words: str) -> subprocess.Popen[bytes]:
    call = [sys.executable, "-m", "wetcomb", "rebuild", *words, "--comb", "c.toml"]
    return subprocess.Popen(call, cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, start_new_session=True)  # fmt: skip


def run(folder: Path, *words: str) -> tuple[int, str]:
    process = start(folder, *words)
    said = process.communicate(timeout=120)[1].decode()
    return process.returncode, said


def read_parts(folder: Path) -> dict[str, bytes]:
    return {path.name: path.read_bytes() for path in sorted(folder.glob("*.*"))}


def wait_for(folder: Path, process: subprocess.Popen[bytes], number: int) -> None:
    """Wait until some parts are there."""
    while len([*folder.glob("part-*")]) < number and process.poll() is None:
        time.sleep(0.002)


def test_any_number_of_workers_makes_the_same(tmp_path: Path) -> None:
    """One, two and three of them, one of which dies; and a second run takes up all that is there."""
    texts = [str(tmp_path / text) for text in lay_out(tmp_path, 150_000)]
    call = [sys.executable, str(SCRIPT), str(tmp_path), *texts]
    done = subprocess.run(call, capture_output=True, check=False, timeout=120)
    assert done.returncode == 0, done.stderr.decode()
    said = json.loads(done.stdout)
    first = said["told"][0]
    assert [one for one in said["told"] if one != first] == [] and len(said["told"]) == 5
    assert [*first["aside"]] == [str(tmp_path / "mails/odd.txt")]
    assert len(first["parts"]) == said["kept"] == 4
    made = [read_parts(tmp_path / f"out{k}") for k in range(4)]
    assert made.count(made[0]) == 4


@pytest.mark.parametrize("how", [signal.SIGINT, signal.SIGKILL])
def test_a_run_that_was_stopped_is_taken_up_again(tmp_path: Path, how: signal.Signals) -> None:
    texts = lay_out(tmp_path, 250_000)
    paths = [tmp_path / text for text in texts]
    load_comb(tmp_path / "c.toml").run_many(
        paths, tmp_path / "whole", part_size=1, no_source_file=True
    )
    words = [*texts, "--part-size", "1", "--cluster", "local:2", "-o", "out/", "--no-source-file"]
    process = start(tmp_path, *words)
    wait_for(tmp_path / "out", process, 2)
    process.send_signal(how)
    said = process.communicate(timeout=60)[1].decode()
    there, whole = read_parts(tmp_path / "out"), read_parts(tmp_path / "whole")
    whole.pop("_set-aside.txt")
    assert there and all(whole[name] == part for name, part in there.items())
    if how == signal.SIGINT:
        assert process.returncode == 130 and "The same command goes on from there" in said, said
    status, said = run(tmp_path, *words)
    assert status == 1 and "were there already" in said, said
    there = read_parts(tmp_path / "out")
    assert there.pop("_set-aside.txt").splitlines()[1] == b"mails/odd.txt"
    assert there == whole


def test_the_page_about_many_texts_holds(tmp_path: Path) -> None:
    assert run_page("many.md", tmp_path) > 8
