"""Labels in single lines, the same in whole arrays, and the heads of mails."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wetcomb.core.text import Text
from wetcomb.match.labels import LabelFinder, is_parting
from wetcomb.match.mail_heads import find_heads, is_inner_head
from wetcomb.steps.pull.line_labels import LabelReader
from wetcomb.steps.pull.lines import read_lines

#: Labels, a line, and for each that is found: which, where it begins, where its value does.
LINES: dict[str, tuple[list[list[str]], str, list[tuple[int, int, int]]]] = {
    "the longest": ([["Permit"], ["Permit no"]], "Permit no: 1", [(1, 0, 11)]),
    "the shorter, a gap behind it": ([["Permit"], ["Permit no"]], "Permit   no", [(1, 0, 11)]),
    "the longer, with more spacing": ([["Permit"], ["Permit no"]], "permit   NO : 1", [(1, 0, 14)]),
    "with a point": ([["No."]], "No. .... 7", [(0, 0, 9)]),
    "with a point and a colon": ([["No."], ["No"]], "No.: 7", [(0, 0, 5)]),
    "two, a gap between": ([["A"], ["B"]], "A: 1  B: 2", [(0, 0, 3), (1, 6, 9)]),
    "behind brackets": ([["A"], ["B"]], "A: 1 (B: 2)", [(0, 0, 3), (1, 6, 9)]),
    "not in a word": ([["A"], ["B"]], "A: 1B: 2", [(0, 0, 3)]),
    "not within quote marks": ([["A"], ["B"]], 'A="x B=1" B=2', [(0, 0, 2), (1, 10, 12)]),
    "a mark of three bytes": ([["A"]], "A…… 2", [(0, 0, 8)]),
    "by itself": ([["A b"]], "  a  B ", [(0, 2, 7)]),
    "no mark": ([["A"]], "A b: 2", []),
}


@pytest.mark.parametrize(("labels", "line", "found"), LINES.values(), ids=LINES)
def test_labels_of_a_line(
    labels: list[list[str]], line: str, found: list[tuple[int, int, int]]
) -> None:
    seen = LabelFinder(labels).find(line.encode())
    assert [(one.label, one.start, one.value) for one in seen] == found


WORDS = ["No", "no", "Boat", "Boat no", "Straße", "Nr.", "№", "x", "1", "a b"]
SIGNS = [":", "=", "|", "\t", "  ", " ", " ... ", "....", "：", "…", " : ", ";", "(", '"', ".", ""]
LABELS = [["No"], ["Boat", "Vessel"], ["Boat no"], ["Straße"], ["Nr."], ["№"]]


@settings(max_examples=400, deadline=None)
@given(
    lines=st.lists(
        st.lists(st.sampled_from(WORDS + SIGNS), max_size=9).map("".join), min_size=1, max_size=8
    ),
    anywhere=st.booleans(),
)
def test_many_lines_at_once_say_what_each_says_alone(lines: list[str], anywhere: bool) -> None:
    finder = LabelFinder(LABELS, anywhere=anywhere)
    text = "\n".join(lines)
    read = read_lines(Text.of(text), is_last=True)
    found = LabelReader(finder).find(read)
    many = list(
        zip(found.lines.tolist(), found.labels.tolist(), found.starts.tolist(), strict=True)
    )
    alone = []
    for number in range(read.n_lines):
        begin, right = int(read.begins[number]), int(read.rights[number])
        alone += [
            (number, one.label, begin + one.start) for one in finder.find(read.raw[begin:right])
        ]
    assert many == alone


#: Texts, and the lines of the heads in them, with whether the mail is within another.
HEADS: dict[str, tuple[str, list[tuple[int, int, bool]]]] = {
    "one": ("From: a\nTo: b\nSubject: c\n\nx", [(0, 3, False)]),
    "by an address": ("From: a@b\nTo: c\nDate: d\n\n", [(0, 3, False)]),
    "neither about nor address": ("From: a\nTo: b\nDate: c\n\n", []),
    "too short": ("From: a\nSubject: c\n\n", []),
    "no blank line behind": ("From: a\nTo: b\nSubject: c\nHello\n", []),
    "folded, of programs": ("Received: by x\n  for y\nX-A-1: z\nFrom: a\nTo: b\nSubject: c\n  d\n\n", [(0, 7, False)]),
    "words before it": ("Boat: T\nFrom: a\nTo: b\nSubject: c\n\n", [(1, 4, False)]),
    "few of many": ("A: 1\nB: 2\nFrom: a\nC: 3\nTo: b\nD: 4\nSubject: c\nE: 5\nF: 6\nG: 7\n\n", []),
    "forwarded": ("hello\n-------- Forwarded message ------\nFrom: a\nTo: b\nSubject: c\n\n", [(2, 5, True)]),
    "begun": ("Begin forwarded message:\n\nVon: a\nAn: b\nBetreff: c\n\n", [(2, 5, True)]),
    "quoted": ("> From: a\n> To: b\n> Subject: c\n>\n> x\n", [(0, 3, True)]),
    "behind a rule": ("-----\nFrom: a\nTo: b\nSubject: c\n\n", [(1, 4, False)]),
}  # fmt: skip


@pytest.mark.parametrize(("text", "heads"), HEADS.values(), ids=HEADS)
def test_heads_of_mails(text: str, heads: list[tuple[int, int, bool]]) -> None:
    lines = [line.encode() for line in text.split("\n")]
    found = [(first, end, is_inner_head(lines, first)) for first, end in find_heads(lines)]
    assert found == heads


@pytest.mark.parametrize(
    ("line", "parts"),
    [("-----", True), ("* * *", True), ("-[ 12 ]------", True), ("--", False), ("- a", False), ("== x ==", False)],
)  # fmt: skip
def test_lines_that_part_blocks(line: str, *, parts: bool) -> None:
    assert is_parting(line.encode()) is parts
