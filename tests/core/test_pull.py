"""Labelled fields: every way a label and its value stand together, blocks, what no label claims."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from laws import blocks_of, check, run_comb
from plain_pull import pull_plainly
from wetcomb import Comb, Pull, UsageError
from wetcomb.core.errors import InputError
from wetcomb.core.report import Report

Rows = list[list[str | None]]


def pull(text: str, size: int = 1 << 20, **options: object) -> tuple[Rows, Report]:
    report = Report()
    step = Pull(**{"label": ("No", "Boat", "Note"), **options})
    pieces = list(run_comb(Comb((step,)), blocks_of(text, size), report))
    check(pieces, report, glue=str(options.get("glue", " ")))
    rows = [row for piece in pieces if piece.table is not None for row in piece.table.rows()]
    return rows, report


#: Ways that a label and its value stand together; options; the rows.
WAYS: dict[str, tuple[str, dict[str, object], Rows]] = {
    "colon": ("No: 1\nBoat : Tansy\n", {}, [["1", "Tansy", None]]),
    "equals": ("No=1\nBoat = Tansy\n", {}, [["1", "Tansy", None]]),
    "wide colon": ("No：1\nBoat：Tansy\n", {}, [["1", "Tansy", None]]),
    "leader of dots": ("No ...... 1\nBoat . . . . Tansy\n", {}, [["1", "Tansy", None]]),
    "tab and gap": ("No\t1\nBoat   Tansy\n", {}, [["1", "Tansy", None]]),
    "bar": ("| No | 1\n".removeprefix("| ") + "Boat | Tansy\n", {}, [["1", "Tansy", None]]),
    "own mark": ("No -> 1\nBoat->Tansy: red\n", {"label_mark": "->"}, [["1", "Tansy: red", None]]),
    "value below": ("No\n1\nBoat:\n  Tansy\nNote:\n", {}, [["1", "Tansy", ""]]),
    "three dashes below": ("No\n---\nBoat:\n----\nNote: x\n", {}, [["---", "", "x"]]),
    "in a head of a mail": ("From: a@b\nTo: c\nDate: 3 June\n\nNo: 1\nDate: 4\n", {"label": ("No", "Date", "mail.date as sent"), "blocks": "file"}, [["1", "4", "3 June"]]),
    "spacing is no mark where another is": ("No: 1 Boat  x  Note: y\n", {}, [["1 Boat  x", None, "y"]]),
    "no value below, but a label": ("No: 1\nBoat:\nNote: x\n", {}, [["1", "", "x"]]),
    "several on a line": ("No: 1  Boat: Tansy; Note: a, b\n", {}, [["1", "Tansy", "a, b"]]),
    "capitals and spacing": ("NO: 1\nboat: Tansy\n", {}, [["1", "Tansy", None]]),
    "other order, one missing": ("No: 1\nNote: a\nBoat: T\nNo: 2\nBoat: W\n", {}, [["1", "T", "a"], ["2", "W", None]]),
    "first mark only": ("No: 1\nNote: at 8:55 = late\n", {}, [["1", None, "at 8:55 = late"]]),
    "no mark, no label": ("No: 1\nBoat Tansy is late\n", {}, [["1", None, None]]),
    "not inside a word": ("No: 1 xBoat: y\n", {}, [["1 xBoat: y", None, None]]),
    "label in prose": ("No: 1\nThe Boat: a tale\nBoat: T\n", {}, [["1", "T", None]]),
    "anywhere": ("No: 1\nthe Boat: T\n", {"labels_anywhere": True}, [["1", "T", None]]),
    "over lines": ("No: 1\nNote: a\n  b\n\tc \n\nd\n", {"multiline": "Note"}, [["1", None, "a b c"]]),
    "glue": ("No: 1\nNote: a\nb\n", {"multiline": "Note", "glue": "/"}, [["1", None, "a/b"]]),
    "up to what looks like a label": ("No: 1\nNote: a\nb\nColour: red\n", {"multiline": "Note"}, [["1", None, "a b"]]),
    "until a text": ("No: 1\nNote: a\n\nb\nSigned X\n", {"until": "Note=Signed"}, [["1", None, "a b"]]),
    "until, for all": ("No: 1\nNote: a\nb\nEND\nc\n", {"until": "*=END"}, [["1", None, "a b"]]),
    "renamed": ("Number: 1\nBoat: T\n", {"label": ("No|Number as id", "Boat")}, [["1", "T"]]),
    "unclaimed": ("x\nNo: 1\ny\nz\n", {"unclaimed": "column"}, [["1", None, None, "y z"]]),
    "join again": ("No: 1\nNote: a\nNote: b\n", {"again": "join"}, [["1", None, "a b"]]),
    "last again": ("No: 1\nNote: a\nNote: b\n", {"again": "last"}, [["1", None, "b"]]),
    "by blank lines": ("Boat: T\nNo: 1\n\n\nNo: 2\n\nx\n", {"blocks": "blank-line"}, [["1", "T", None], ["2", None, None]]),
    "by rules": ("Boat: T\nNo: 1\n-----\nNo: 2\n* * *\n", {"blocks": "rule"}, [["1", "T", None], ["2", None, None]]),
    "by a pattern": ("== 1\nNo: 1\n== 2\nNo: 2\n", {"blocks": "== {digits}"}, [["1", None, None], ["2", None, None]]),
    "a file": ("Boat: T\nNo: 1\n", {"blocks": "file"}, [["1", "T", None]]),
    "the second of several": ("No: 1\nNote: a\nNote: b\n", {"label": ("No", "Note", "Note#2 as more")}, [["1", "a", "b"]]),
    "only the second": ("No: 1\nNote: a\nNote: b\nNote: c\n", {"label": ("No", "Note#2")}, [["1", "b"]]),
    "again as rows": ("No: 1\nBoat: T\nNote: a\nBoat: W\nNo: 2\n", {"again": "rows"}, [["1", "T", "a"], ["1", "W", None], ["2", None, None]]),
    "numbers that rise": ("list\n1. Boat: T\n9 Note: x\n2. Note: y\n   Boat: W\n", {"label": ("Boat", "Note"), "blocks": "rising"}, [["T", None], ["W", "y"]]),
    "what a first line names": ("== {1}\nNo: 1\nx ==\n== {2}\nNo: 2\n".replace("{", "").replace("}", ""), {"blocks": "== {digits as at}"}, [["1", "1", None, None], ["2", "2", None, None]]),
    "mails": ("From: a@b\nTo: c\nDate: 3 June\n  2031\n\nNo: 1\n\n--- Forwarded ---\nFrom: x\nTo: y\nDate: z\nSubject: q\n\nBoat: W\nFrom: b@b\nTo: c\nDate: 4 June\n\nNo: 2\n", {"label": ("No", "Boat", "mail.date"), "blocks": "mail"}, [["1", "W", "3 June 2031"], ["2", None, "4 June"]]),
    "a label of a mail first": ("From: a@b\nTo: c\nDate: 3\n\nNo: 1\n\nFrom: b@b\nTo: c\nDate: 4\n\nNo: 2\n", {"label": ("mail.date as sent", "No")}, [["3", "1"], ["4", "2"]]),
    "a label behind a gap that nobody asked for": ("No: 1  Berth: A1\nNote: a: b  c\n", {}, [["1", None, "a: b  c"]]),
    "until a text in the line": ("No: 1 END x\nNote: a\nb END\n", {"until": "*=END"}, [["1", None, "a b"]]),
    "a label that ends in a point": ("No. .... 1\nBoat.: T\n", {"label": ("No.", "Boat.")}, [["1", "T"]]),
    "letters that have no size": ("STRASSE: a\n", {"label": ("Straße",)}, [["a"]]),
    "between": ("No: 1\nsee (ref A 1) and (ref\nB 2) too\n", {"label": ("No",), "between": (("(ref", ")", "ref"),), "again": "join"}, [["1", "A 1 B 2"]]),
    "between, and nothing": ("No: 1\nsee <>\n", {"label": ("No",), "between": (("<", ">", "ref"),)}, [["1", ""]]),
    "between, begun at the end": ("No: 1\nsee (\nNo: 2\n", {"label": ("No",), "between": (("(", ")", "ref"),)}, [["1", ""], ["2", None]]),
    "above": ("A. Lorn\nHalden\nDear keeper,\nNo: 1\n", {"label": ("No",), "above": "Dear {word} as sender", "blocks": "file"}, [["1", "A. Lorn Halden"]]),
    "left of": ("No: 1\n27.00 marks paid today\nNo: 2\n", {"label": ("No",), "left_of": "marks paid as fee"}, [["1", "27.00"], ["2", None]]),
    "lines by a pattern": ("Coal 3.50\nas agreed\nOld rope 1.20 per ton\n", {"label": (), "pattern": "{words as goods} {number as price} {text:per ton?}"}, [["Coal", "3.50"], ["Old rope", "1.20"]]),
    "one of a list": ("the tug Tansy\na tugboat Wren\na narrow  boat Heron\n", {"label": (), "pattern": "{tug|narrow boat as kind} {word as boat}"}, [["tug", "Tansy"], ["narrow  boat", "Heron"]]),
    "each": ("No: 1\nTansy (12 t), Wren (9 t)\nNo: 2\nNote: x\n", {"label": ("No", "Note"), "each": "{word as boat} ({digits as tons} t)"}, [["1", None, "Tansy", "12"], ["1", None, "Wren", "9"], ["2", "x", None, None]]),
    "a pattern cuts no word": ("x12 12y 12\n", {"label": (), "pattern": "{digits as n}"}, [["12"]]),
    "a value over a page": ("No: 1\nNote: a\n\n\fb\n\n\fNo: 2\nNote: a\n\n\fB\n", {"multiline": "Note"}, [["1", None, "a b"], ["2", None, "a"]]),
    "over a page": ("No: 1\n\fBoat: T\n", {}, [["1", "T", None]]),
}  # fmt: skip


@pytest.mark.parametrize(("text", "options", "rows"), WAYS.values(), ids=WAYS)
@pytest.mark.parametrize("size", [1, 3, 7, 1000])
def test_ways_that_labels_and_values_stand_together(
    text: str, options: dict[str, object], rows: Rows, size: int
) -> None:
    assert pull(text, size, **options)[0] == rows


PIECES = ["No: 1\n", "No: 2\n", "Boat: T\n", "Boat:\n", "T\n", "Note: a; No: 3\n", "\n", "---\n", "x y\n", "  z\n", "Colour: r\n", "\f", "é: ü\r\n", 'Note: "a b"\n', "From: a@b\nTo: c\n", "Subject: No: 1\n", "1. ", "2) x\n", "Boat  T  No  2\n"]  # fmt: skip


@settings(max_examples=150, deadline=None)
@given(
    st.lists(st.sampled_from(PIECES), max_size=20).map("".join),
    st.integers(1, 30),
    st.sampled_from([{}, {"multiline": "Note"}, {"blocks": "rising"}, {"blocks": "mail"}, {"again": "rows"}, {"each": "{word as w} {word as v}"}, {"label": ("mail.from as f", "No")}, {"blocks": "x {any as r}", "unclaimed": "column"}, {"blocks": "blank-line"}, {"blocks": "rule"}, {"unclaimed": "column"}, {"again": "join"}, {"until": "*=x"}]),
)  # fmt: skip
def test_chunks_never_matter(text: str, size: int, options: dict[str, object]) -> None:
    try:
        whole = pull(text, **options)[0]
    except InputError:
        return
    assert pull(text, size, **options)[0] == whole


LINES = ["No: 1", "no : 2", "No:", "  No: 3", "Boat: T", "Boat:", "boat:W", "Note: a", "Note:", "x", "  y z", "", "Colour: r", "colour: s", "Hull no: 7", "A long way to say it: b", "a:b", "1: c"]  # fmt: skip


@settings(max_examples=400, deadline=None)
@given(
    lines=st.lists(st.sampled_from(LINES), max_size=25),
    multiline=st.sampled_from([(), ("Note",), ("Boat", "Note")]),
)
def test_values_are_those_of_a_plain_reading(lines: list[str], multiline: tuple[str, ...]) -> None:
    text = "\n".join(["No: 0", *lines, ""])
    rows, _ = pull(text, 64, multiline=multiline, again="first")
    assert rows == pull_plainly(text, ("No", "Boat", "Note"), multiline)


def test_a_label_that_stands_again_is_a_snag() -> None:
    rows, report = pull("No: 1\nBoat: T\nBoat: W\nNo: 2\n")
    assert rows == [["1", "T", None], ["2", None, None]]
    assert report.snags == {"label-again": 1} and report.rests == 1
    _, report = pull("No: 1\nBoat: T\nBoat: W\n", again="first")
    assert report.ledger.dropped["label-again"] == 1 and not report.snags


@pytest.mark.parametrize(
    ("options", "said"),
    [
        ({"label": ()}, "no label is given"),
        ({"label": ("a", "A")}, "--label gives 'a' twice"),
        ({"label": ("a as x", "b as x")}, "two columns are called 'x'"),
        ({"label": ("a| as x",)}, "a label is empty"),
        ({"multiline": "Colour"}, "--multiline: there is no label 'Colour'; there are: No, Boat, Note"),
        ({"until": "Note"}, "--until takes a column and a text"),
        ({"blocks": "{nope}"}, "unknown shape"),
    ],
)  # fmt: skip
def test_options_that_mean_nothing(options: dict[str, object], said: str) -> None:
    with pytest.raises(UsageError, match=said):
        pull("No: 1\n", **options)


def test_a_label_that_stands_nowhere() -> None:
    with pytest.raises(
        InputError, match="no line begins with 'Nr' and a mark behind it; nearest: 'No'"
    ):
        pull("No: 1\nBoat: T\n", label=("Nr",))
    _, report = pull("No: 1\nBoat: T\n")
    assert "--label Note: it stands nowhere as a label" in report.notes


#: Words and marks that anchors of the next test are made for.
AROUND = ["No: 1\n", "Tansy (12 t)\n", "see (ref A\n", "B) now\n", "3.50 marks paid\n", "x\n", "\n", "Dear keeper,\n", "a barge, a tug (9 t) ", "---\n", "2. y\n"]  # fmt: skip
ANCHORS: list[dict[str, object]] = [
    {"label": ("No",), "between": (("(", ")", "ref"),), "again": "join"},
    {"label": ("No",), "above": "Dear {word} as sender", "blocks": "rule"},
    {"label": (), "left_of": ("marks paid as fee", "now as when"), "blocks": "blank-line"},
    {"label": ("No",), "each": "{word as boat} ({digits as tons} t)", "unclaimed": "column"},
    {"label": (), "pattern": ("{barge|tug as kind}", "({digits as tons} t)"), "blocks": "file", "again": "last"},
    {"label": ("No",), "pattern": "{word as w} {digits as n?}", "again": "rows"},
    {"label": (), "pattern": "{digits as n}", "blocks": "rising"},
]  # fmt: skip


@settings(max_examples=200, deadline=None)
@given(
    text=st.lists(st.sampled_from(AROUND), max_size=15).map("".join),
    options=st.sampled_from(ANCHORS),
    size=st.integers(1, 40),
)
def test_anchors_lose_nothing_whatever_the_chunks(
    text: str, options: dict[str, object], size: int
) -> None:
    try:
        whole, report = pull(text, **options)
    except InputError:
        return
    parted, again = pull(text, size, **options)
    assert parted == whole
    assert again.snags == report.snags and again.notes == report.notes
