"""Bad input: one clear line, exit status 2, nothing written, no traceback."""

from __future__ import annotations

import resource
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from program import wetcomb

FILES = {
    "ok.txt": b"a,b\n1,2\n3,4\n",
    "next.txt": b"a,c\n1,2\n",
    "empty.txt": b"",
    "blank.txt": b"\n  \n\r\n",
    "page.pdf": b"%PDF-1.7\n...",
    "letter.docx": b"PK\x03\x04....",
    "noise.bin": bytes(range(1, 32)) * 40,
    "there.csv": b"old\n",
    "wrong.comb.toml": b'wetcomb = 1\n[[step]]\ndo = "split"\ndelimitr = ","\n',
    "other.comb.toml": b'wetcomb = 1\n[[step]]\ndo = "split"\ndelimiter = ","\nheader = "first"\n',
}

#: What is typed, and what the one line says.
REFUSED = [
    ("rebuild empty.txt", "empty.txt: this is empty"),
    ("rebuild blank.txt", "blank.txt: this holds nothing but blank lines"),
    (
        "split blank.txt -d comma --heading none --fields 2",
        "blank.txt: this holds nothing but blank",
    ),
    ("rebuild page.pdf", "page.pdf: this is a PDF, no text; copy its text out of a viewer"),
    ("rebuild letter.docx", "letter.docx: this is a zipped file"),
    ("rebuild noise.bin", "noise.bin: this is no text"),
    ("rebuild .", ".: this is a folder; name a file in it"),
    ("rebuild ok.tx", "ok.tx: no such file; nearest: 'ok.txt'"),
    ("rebuild ok.txt ok.txt", "input 'ok.txt' is named twice"),
    ("rebuild ok.txt next.txt", "next.txt: its columns (a, c) are not those of ok.txt (a, b)"),
    ("rebuild ok.txt -o nowhere/x.csv", "nowhere/x.csv: the folder 'nowhere' does not exist"),
    ("rebuild ok.txt -o there.csv", "there.csv: this file is there already; --force replaces it"),
    ("rebuild ok.txt -o ok.txt --force", "ok.txt: this is the input; the source is never written"),
    ("rebuild ok.txt -o .", ".: this is a folder; name a file in it"),
    ("rebuild ok.txt -o x.odd", "x.odd: no format has this ending; end it in one of .csv .tsv"),
    ("rebuild ok.txt -o x.csv --snags x.csv", "x.csv: two outputs cannot go to one file"),
    (
        "rebuild ok.txt -o /dev/full",
        "/dev/full: cannot be written: No space left on device; nothing",
    ),
    ("rebuild ok.txt --format xml", "--format: unknown value 'xml'; nearest: 'xlsx'"),
    ("rebuild ok.txt --encoding klingon", "unknown encoding 'klingon'; try utf-8"),
    ("rebuild ok.txt --encoding rot13", "'rot13' is no encoding of text"),
    (
        "rebuild ok.txt --comb wrong.comb.toml",
        "wrong.comb.toml:4: unknown option 'delimitr' of split; nearest: 'delimiter'",
    ),
    ("rebuild ok.txt --comb none.toml", "none.toml: cannot read this comb: No such file"),
    (
        "rebuild ok.txt --comb other.comb.toml -d comma",
        "--delimiter and --comb contradict each other",
    ),
    ("rebuild ok.txt --quote none --quote single", "--quote none stands alone"),
    (
        "rebuild ok.txt --quote ab",
        "'ab' is no quote mark; give double, single, both, curly, none or one char",
    ),
    ("rebuild ok.txt --quote x", "'x' is no quote mark"),
    ('split ok.txt -d ,"', "delimiter ',\"' holds a quote mark; give --quote none"),
    ("split ok.txt -d newline", "-d newline: records end there already"),
    ("split ok.txt -d space -d gap", "space and gap contradict each other"),
    ("split ok.txt -d none -d comma", "-d none stands alone"),
    ("split ok.txt -d ->", "-d needs a value; write a value that begins with a dash as -d='->'"),
    ("split ok.txt --take 0", "--take counts columns from 1"),
    ("split ok.txt --take 3", "ok.txt: --take asks for column 3, but records have 2 fields"),
    ("split ok.txt --take -3", "ok.txt: --take asks for column -3, but records have 2 fields"),
    ("split ok.txt --take 1,-2", "--take names column 1 twice"),
    (
        "split ok.txt --take one",
        "ok.txt: --take one: there is no such column; there are: a, b",
    ),
    ("split ok.txt --names a,a", "--names gives 'a' twice"),
    ("split ok.txt --names a,b,c", "--names gives 3 names for 2 columns"),
    ("split ok.txt --quote-lines -1", "--quote-lines -1: it must be from 0 to 100000"),
    ("split ok.txt --heading frist", "--heading: unknown value 'frist'; nearest: 'first'"),
    ("split ok.txt --haeding none", "split: unknown option '--haeding'; nearest: '--heading'"),
    ("split ok.txt --head none", "split: unknown option '--head'; nearest: '--heading'"),
    ("--vers", "unknown option '--vers'; nearest: '--version'"),
    ("splti ok.txt", "unknown command 'splti'; nearest: 'split'"),
    ("demo there.csv", "there.csv"),
]


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    for name, content in FILES.items():
        (tmp_path / name).write_bytes(content)
    return tmp_path


@pytest.mark.parametrize(("typed", "said"), REFUSED, ids=[typed for typed, _ in REFUSED])
def test_refused_in_one_line(folder: Path, typed: str, said: str) -> None:
    done = wetcomb(folder, *typed.split())
    lines = done.stderr.decode().splitlines()
    assert (done.returncode, done.stdout, len(lines)) == (2, b"", 1), done.stderr
    assert lines[0].startswith(f"wetcomb: {said}")
    assert {path.name: path.read_bytes() for path in folder.iterdir()} == FILES


def test_all_faults_of_a_comb_are_told_at_once(folder: Path) -> None:
    (folder / "bad.comb.toml").write_text('wetcomb = 2\n[source]\nencodign = "x"\n')
    done = wetcomb(folder, "rebuild", "ok.txt", "--comb", "bad.comb.toml")
    assert done.returncode == 2
    assert [line.split(": ")[1] for line in done.stderr.decode().splitlines()] == [
        "bad.comb.toml:1",
        "bad.comb.toml:1",
        "bad.comb.toml:3",
    ]


def test_a_disk_that_fills_up_leaves_nothing(folder: Path) -> None:
    (folder / "long.txt").write_text("a,b\n" + "1,22222222\n" * 50_000)
    done = wetcomb(
        folder,
        "split",
        "long.txt",
        "-d",
        "comma",
        "--heading",
        "first",
        "-o",
        "out.csv",
        preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_FSIZE, (100_000, 100_000)),
    )
    assert done.returncode == 2
    assert (
        done.stderr
        == f"wetcomb: {folder}/out.csv: cannot be written: File too large; nothing was written\n".encode()
    )
    assert not [path for path in folder.iterdir() if "out.csv" in path.name]


def test_stopped_half_way_leaves_nothing(folder: Path) -> None:
    (folder / "long.txt").write_text("a,b\n" + '1,"x ""y"" z"\n' * 4_000_000)
    words = ["split", "long.txt", "-d", "comma", "--heading", "first", "-o", "out.csv"]
    running = subprocess.Popen(
        [sys.executable, "-m", "wetcomb", *words], cwd=folder, stderr=subprocess.PIPE
    )
    while not any(path.name.startswith(".out.csv") for path in folder.iterdir()):
        assert running.poll() is None
        time.sleep(0.01)
    running.send_signal(signal.SIGTERM)
    _, said = running.communicate(timeout=60)
    assert (running.returncode, said) == (130, b"wetcomb: stopped; nothing was written\n")
    assert not [path for path in folder.iterdir() if "out.csv" in path.name]


def test_a_record_without_end_is_refused_in_bounded_memory(folder: Path) -> None:
    with (folder / "endless.txt").open("wb") as file:
        file.write(b"a,b\n1,")
        file.truncate(70 << 20)  # NUL bytes, and no line end in 70 MiB
    done = wetcomb(
        folder, "split", "endless.txt", "-d", "comma", "--heading", "first", "--encoding", "utf-8"
    )
    assert done.returncode == 2
    assert done.stderr.startswith(b"wetcomb: endless.txt:2: a record is longer than 64 MiB")


@pytest.mark.parametrize(
    ("memory", "status", "told"),
    [
        ("1", 2, "blocks.txt:1: a set of stacked blocks is longer than 1 MiB"),
        ("3", 0, ""),
        ("0", 2, "--memory 0: it must be from 1 to 512"),
    ],
)
def test_what_must_be_seen_whole_is_held_as_far_as_memory_allows(
    folder: Path, memory: str, status: int, told: str
) -> None:
    block = "\n".join(f"row{n:06}  {n % 7}" for n in range(120_000))
    (folder / "blocks.txt").write_text(f"Row        in\n{block}\n\nRow       out\n{block}\n")
    words = "split blocks.txt --stacked --edges 11 --heading 1 -o out.csv --quiet --memory"
    done = wetcomb(folder, *words.split(), memory)
    assert (done.returncode, told in done.stderr.decode()) == (status, True), done.stderr
    assert (folder / "out.csv").exists() is (status == 0)


STOPPED_WHERE_NOTHING_IS_RAISED = """
import sys, time
from wetcomb.cli import main
class Gone:
    def __del__(self):
        raise KeyboardInterrupt
sys.unraisablehook = main._stop_again
try:
    Gone()
    time.sleep(20)
except KeyboardInterrupt:
    print("stopped")
"""


def test_a_stop_that_python_ignores_comes_again() -> None:
    done = subprocess.run(
        [sys.executable, "-c", STOPPED_WHERE_NOTHING_IS_RAISED], capture_output=True, check=False
    )
    assert (done.stdout, done.stderr) == (b"stopped\n", b"")
