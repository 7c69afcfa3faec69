"""Any options on any text: an answer, or one clear refusal; never a fault of the tool's own."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from wetcomb.cli.main import main

_WORDS = (
    """a b A Ab 1 22 , , ; ( ) é 漢 e\u0301 x | " 'q' "q,r" "" a1 B,c (d,e) --- “a,b” \u00a0 12"""
)
PIECES = [
    *_WORDS.split(" "), " ", "  ", "\t", "\n", "\n", "\r\n", "\n\n", "\f", "\r", "----- ---\n",
    "Total 9\n", "boat,toll\n", "Boat  Lock  Toll\n", "1. Halden\n", "1.1 Lock\n", "2031-02-01",
]  # fmt: skip
texts = st.lists(st.sampled_from(PIECES), max_size=50).map("".join)

#: Options with values that mean something, and some that do not.
OPTIONS = {
    "-d": ["comma", "semicolon", "pipe", "tab", "space", "gap", "none", "newline", ", "],
    "--heading": ["first", "none", "2", "3"],
    "--edges": ["2,5", "1", "2/3,4", "rule", "heading", "blanks"],
    "--boundary": ["a|A", "9|a", "*|9", "A|Aa", "_|."],
    "--before": ["{digits}", "Total", "{gap}", "regex:[A-Z]"],
    "--after": ["{digits}", "text:,", "{date}"],
    "--protect": ["()", "[]"],
    "--cuts": ["first:1", "last:2"],
    "--records-at": ["blank-line", ";", "heading", "heading:2"],
    "--per-record": ["2", "3"],
    "--cell-shapes": ["digits,words", "any,any"],
    "--panels": ["2", "3"],
    "--key": ["1", "Boat"],
    "--continues": ["a", ",", "-"],
    "--page-start": ["{digits}", "Total"],
    "--parted-by": ["blank-line", "rule"],
    "--group": ["{words as reach}:", "regex:(?P<g>[a-z]+),(?P<h>[a-z]+)", "Total {digits as t}"],
    "--totals": ["Total {digits as field-1}", "Total {digits}"],
    "--quote": ["curly", "none", "single", "both"],
    "--quote-ends": ["delimiter"],
    "--drop-pieces": ["a", "{digits}"],
    "--take": ["1", "2,1", "-1"],
    "--missing": ["a,1"],
    "--names": ["p,q", "p,q,r", "z"],
    "--fields": ["2", "3"],
    "--lines": ["1-3", "2-"],
    "--from": ["a", "{digits}"],
    "--to": ["b", "Total"],
}
SWITCHES = [
    "--each-a-record",
    "--frame",
    "--touching",
    "--cut-runs-once",
    "--keep-original",
    "--ignore-case",
    "--wrapped",
    "--stacked",
    "--column-by-column",
]

#: Steps that make text of text, to be run before.
BEFORE = [
    ["wash"],
    ["wash", "--drop-lines=Total {digits}", "--page-head=Boat {any}"],
    ["wash", "--keep-lines={any},{any}", "--page-foot={digits}"],
    ["unwrap", "--indent"],
    ["unwrap", "--starts={digits}", "--hyphens=mend"],
    ["unwrap", "--fields=2", "-d=comma", "--glue="],
    ["unwrap", "--blank-lines", "--ends=text:,"],
]

options = st.lists(
    st.sampled_from(list(OPTIONS)).flatmap(
        lambda flag: st.sampled_from(OPTIONS[flag]).map(lambda value: [f"{flag}={value}"])
    )
    | st.sampled_from(SWITCHES).map(lambda switch: [switch]),
    max_size=5,
    unique_by=lambda words: words[0].split("=")[0],
).map(lambda found: [word for words in found for word in words])


@settings(
    max_examples=500, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(
    text=texts,
    command=st.sampled_from(["split", "rebuild", "inspect", "draft", "column", "read", "chain"]),
    before=st.sampled_from(BEFORE),
    first=options,
    second=options,
)
@example(text=" ", command="rebuild", before=["wash"], first=["--records-at=heading"], second=[])
@example(text=",\xa0 \x0c", command="split", before=["wash"], first=[], second=[])
def test_an_answer_or_one_clear_refusal(
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
    text: str,
    command: str,
    before: list[str],
    first: list[str],
    second: list[str],
) -> None:
    source = tmp_path / "paste.txt"
    source.write_bytes(text.encode())
    words = [command, str(source), *first]
    if command == "column":
        words = ["split", str(source), *first, "+", "split", "--column=1", *second]
    elif command == "read":
        words = ["split", str(source), "--read=comma", "--column=1", *first]
    elif command == "chain":
        words = [before[0], str(source), *before[1:], "+", "split", *first]
    listing = tmp_path / "ledger.csv"
    listing.unlink(missing_ok=True)
    if command not in ("inspect", "draft"):
        words += ["--format=csv", "--with-source", f"--ledger={listing}", "--force"]
    status = main(words)
    said = capsys.readouterr()
    assert status in (0, 2) or (status == 1 and "verdict no table" in said.err), words
    assert "fault of wetcomb" not in said.err, (words, said.err)
    assert source.read_bytes() == text.encode()
    if status == 2:
        assert said.out == "" and said.err.startswith("wetcomb: ")
        assert not listing.exists()
    elif listing.exists():
        check_listing(text, listing, said.out)


def check_listing(text: str, listing: Path, table: str) -> None:
    """What is listed as dropped and what is in the table are no more than the text has."""
    with listing.open(newline="", encoding="utf-8") as lines:
        rows = list(csv.DictReader(lines))
    n_glue = sum(row["step"] == "unwrap" for row in rows) + text.count("\n") + text.count("\r")
    assert sum(int(row["characters"]) for row in rows) <= len(text) + n_glue
    assert all(int(row["characters"]) == len(row["text"]) for row in rows)
    records = list(csv.reader(io.StringIO(table, newline="")))
    widths = {len(record) for record in records if record}
    assert len(widths) == 1
    for record in records[1:]:
        first, last = int(record[-2 - has_rest(records)]), int(record[-1 - has_rest(records)])
        assert 1 <= first <= last <= text.count("\n") + text.count("\r") + 1


def has_rest(records: list[list[str]]) -> int:
    return int(records[0][-1].startswith("rest"))
