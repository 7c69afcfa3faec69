"""Options from files, records that go apart, pieces as they come, help by topic, options that did nothing."""

from __future__ import annotations

from pathlib import Path

import pytest

from program import wetcomb
from wetcomb import Comb, Split, draft
from wetcomb.core.doubts import DOUBTS
from wetcomb.core.snags import SNAGS

TABLE = "No;Boat;Toll\n1;Tansy;4\n2;Heron\n3;Wren;6;late\n4;Rook;7\n"


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "in.txt").write_text(TABLE)
    return tmp_path


def test_options_stand_in_a_file_as_no_shell_would_leave_them(folder: Path) -> None:
    (folder / "arrows.txt").write_text("x -> $y!->'q'\n")
    (folder / "marks.txt").write_text(
        "# how the list is cut\n-d  -> \n-d ->\n\n--quote none\n--heading none\n"
    )
    done = wetcomb(folder, "split", "arrows.txt", "--options", "marks.txt", "--quiet")
    assert done.stdout == b"field-1,field-2,field-3\nx,$y!,'q'\n", done.stderr
    (folder / "wrong.txt").write_text("-d ,\n--haeding none\n")
    odd = wetcomb(folder, "rebuild", "in.txt", "--options=wrong.txt")
    assert (odd.returncode, odd.stdout) == (2, b"")
    assert odd.stderr == b"wetcomb: wrong.txt:2: unknown option '--haeding'; nearest: '--heading'\n"
    for words in (["--options"], ["--options", "none.txt"]):
        assert wetcomb(folder, "split", "in.txt", *words).returncode == 2


def test_records_that_do_not_fit_go_apart(folder: Path) -> None:
    words = ("split", "in.txt", "-d", "semicolon", "--heading", "first", "-o", "out.csv")
    done = wetcomb(folder, *words, "--snags", "apart")
    assert done.returncode == 0, done.stderr
    assert (folder / "out.csv").read_text() == "No,Boat,Toll\n1,Tansy,4\n4,Rook,7\n"
    assert (folder / "out.snags.csv").read_text() == (
        "No,Boat,Toll,source_first,source_last,snag,rest\n2,Heron,,3,3,short,\n3,Wren,6,4,4,long,late\n"
    )
    again = wetcomb(folder, *words, "--force", "--snags", "apart", "--processes", "2")
    assert again.returncode == 0
    refused = wetcomb(folder, "split", "in.txt", "-d", ";", "--snags", "apart")
    assert refused.returncode == 2
    assert b"--snags apart needs -o FILE" in refused.stderr


def test_a_stream_gives_the_same_bytes_and_says_when_it_ends_early(folder: Path) -> None:
    words = ("split", "in.txt", "-d", "semicolon", "--heading", "first", "--quiet")
    whole, streamed = wetcomb(folder, *words), wetcomb(folder, *words, "--stream")
    assert streamed.stdout == whole.stdout != b""
    (folder / "words.txt").write_text("Heron waits\n" * 9)
    odd = wetcomb(folder, "split", "words.txt", "--edges", "3", "--heading", "none", "--stream")
    assert odd.stdout.startswith(b"field-1,field-2,rest\nHer,on waits,\n")
    assert odd.returncode == 2
    assert b"what stands on standard output is not all of the table" in odd.stderr
    assert wetcomb(folder, *words, "--stream", "-o", "x.csv").returncode == 2


def test_help_is_made_of_the_tables(folder: Path) -> None:
    for topic, names in (
        ("snags", [kind.name for kind in SNAGS]),
        ("doubts", [kind.name for kind in DOUBTS]),
        ("shapes", ["{digits}", "{date}"]),
        ("patterns", ["--drop-lines", "the whole line"]),
        ("lines", ["--lines 4-88", "blank-line"]),
    ):
        shown = wetcomb(folder, "help", topic).stdout.decode()
        assert all(name in shown for name in names), topic
    assert b"unknown topic 'snag'; nearest: 'snags'" in wetcomb(folder, "help", "snag").stderr


@pytest.mark.parametrize(
    "words",
    [
        "split in.txt -d ; --heading first --totals X{number}",
        "split in.txt -d ; --heading first --group X{any}as",
        "split in.txt -d ; --heading first --missing none",
        "split in.txt -d ; --heading first --drop-pieces foo",
        "split in.txt -d ; --heading first --protect ()",
        "split in.txt -d ; --heading first --before foo",
        "split in.txt -d ; --heading first --boundary a|9",
        "wash in.txt --drop-lines foo + split -d ; --heading first",
        "wash in.txt --page-head foo + split -d ; --heading first",
        "wash in.txt --page-foot foo + split -d ; --heading first",
        "unwrap in.txt --starts foo + split -d ; --heading first",
    ],
)
def test_an_option_that_did_nothing_says_so(folder: Path, words: str) -> None:
    given = [word.replace("X{any}as", "X {any as x}") for word in words.split()]
    done = wetcomb(folder, *given, "-o", "out.csv", "--snags", "snags.csv")
    assert done.returncode == 0, done.stderr
    notes = [line for line in done.stderr.decode().splitlines() if line.startswith("     note ")]
    assert len(notes) == 1, done.stderr
    assert "nothing in the text matches it" in notes[0] or "no line goes on" in notes[0]


def test_nothing_is_refused_in_the_name_of_what_nobody_gave() -> None:
    outline = "1 First\ntext a\n\n2 Second\ntext b\n"
    assert draft(outline, records_at="heading:1").run(outline).n_records == 2
    cells = "a\n1\n2\n3\nb\n4\n5\n6\n"
    assert draft(cells, delimiter="newline", per_record=4).run(cells).n_records == 2
    assert draft(cells, per_record=4, cell_shapes="any").run(cells).n_records == 2


def test_a_grand_total_behind_the_last_of_its_kind_sums_up_all() -> None:
    text = "Boat;Toll\nTansy;4\nWren;2\nTotal;6\nHeron;3\nTotal;3\nTotal;9\nTotal;8\nRook;1\nTotal;10\n"
    split = Split(delimiter=";", heading="first", fields=0, totals="regex:Total;(?P<Toll>\\d+)")
    comb = Comb((split,))
    assert comb.run(text).n_records == 4
    from wetcomb.combs.engine import run_blocks
    from wetcomb.core.decoded import Decoded
    from wetcomb.core.report import Report

    report = Report()
    list(run_blocks(comb.steps, [Decoded.of(text)], report))
    assert report.totals == (4, 1)  # the last is carried forward: of all so far
    (doubt,) = report.list_doubts(())
    assert (doubt.name, doubt.said) == ("total-off", "Toll printed 8, the records give 9")
