"""Labelled fields: every way a label and its value stand together, blocks, what no label claims."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from laws import blocks_of, check, run_comb
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
    "over a page": ("No: 1\n\fBoat: T\n", {}, [["1", "T", None]]),
}  # fmt: skip


@pytest.mark.parametrize(("text", "options", "rows"), WAYS.values(), ids=WAYS)
@pytest.mark.parametrize("size", [1, 3, 7, 1000])
def test_ways_that_labels_and_values_stand_together(
    text: str, options: dict[str, object], rows: Rows, size: int
) -> None:
    assert pull(text, size, **options)[0] == rows


PIECES = ["No: 1\n", "No: 2\n", "Boat: T\n", "Boat:\n", "T\n", "Note: a; No: 3\n", "\n", "---\n", "x y\n", "  z\n", "Colour: r\n", "\f", "é: ü\r\n", 'Note: "a b"\n']  # fmt: skip


@settings(max_examples=150, deadline=None)
@given(
    st.lists(st.sampled_from(PIECES), max_size=20).map("".join),
    st.integers(1, 30),
    st.sampled_from([{}, {"multiline": "Note"}, {"blocks": "blank-line"}, {"blocks": "rule"}, {"unclaimed": "column"}, {"again": "join"}, {"until": "*=x"}]),
)  # fmt: skip
def test_chunks_never_matter(text: str, size: int, options: dict[str, object]) -> None:
    try:
        whole = pull(text, **options)[0]
    except InputError:
        return
    assert pull(text, size, **options)[0] == whole


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
