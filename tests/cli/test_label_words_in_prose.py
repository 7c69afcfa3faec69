"""Label words in prose, and values that look like labels: none may come out wrong without a word."""

from __future__ import annotations

from pathlib import Path

import pytest

from program import wetcomb

HOLDERS = ("Ruth Pell", "Tom Ashby", "Edda Lorn", "A. Dunmore", "C. Birk")
FORM = "Permit no: MP-{n}\nHolder: {who}\nBerth: {berth}\n"
ROW = "MP-{n},{who},{berth}"
HEADING = "Permit no,Holder,Berth"


def fill(text: str, between: str = "\n") -> str:
    return between.join(
        text.format(n=200 + 7 * k, who=who, berth=f"{'AB'[k % 2]}{k + 3}", k=k)
        for k, who in enumerate(HOLDERS)
    )


def table(more_names: str = "", more: str = "") -> str:
    return f"{HEADING}{more_names}\n" + fill(f"{ROW}{more}\n", "")


FORMS, FORMS_TABLE = fill(FORM), table()

#: A text, and the table it holds; None where the tool must at least say that it is not sure.
TEXTS: dict[str, tuple[str, str | None]] = {
    "in sentences above": ("Dear all,\nthe Berth: rules are new. See Holder: below.\n\n" + FORMS, FORMS_TABLE),
    "at a line's start above": ("Berth: numbers have changed since last year, as you know.\n\n" + FORMS, FORMS_TABLE),
    "in the closing": (FORMS + "\nYours\nHolder: of this office\n", None),
    "in a quoted text": (FORMS + "\n> Berth: as assigned on the day\n> Holder: keeps the key\n", FORMS_TABLE),
    "at the start of a value": (fill(FORM + "Note: Berth: shared with {who}\n"), table(",Note", ",Berth: shared with {who}")),
    "in a value": (fill(FORM + "Remark: see rule: 7 of {k}\n"), table(",Remark", ",see rule: 7 of {k}")),
    "a time": (fill(FORM + "Since: 0{k}:30\n"), table(",Since", ",0{k}:30")),
    "an address": (fill(FORM + "Page: https://halden.example/p/{n}\n"), table(",Page", ",https://halden.example/p/{n}")),
    "another sign": (fill(FORM + "Rate: a=1{k}; b=2\n"), table(",Rate", ",a=1{k}; b=2")),
    "in a line that goes on": (fill(FORM + "Remarks: keep clear, and\n  tell the Berth: warden {k}\n"), table(",Remarks", ',"keep clear, and tell the Berth: warden {k}"')),
    "at the start of a line that goes on": (fill(FORM + "Remarks: keep clear of\n  Berth: nine, and of {k}\n"), table(",Remarks", ',"keep clear of Berth: nine, and of {k}"')),
    "speakers": ("Tom: are you there?\nRuth: yes, at the gate.\nTom: the chain is off!\nTom: hello?\nRuth: coming.\n", None),
    "a glossary": ("Berth: a place to lie\nLock: a chamber with gates\nPound: water between locks\nSill: what the gate shuts on\n", None),
    "minutes": ("09:00 Opening: the chair welcomes all\n09:10 Report: tolls are up\n09:40 Report: dredging is late\n10:00 Close: next in May\n", None),
    "a list of notes": ("Note: mind the gap\nNote: the gate is shut\nNote: bring a rope\n", None),
    "what to do": ("Take: two ropes\nThen: tie them\nTake: a hook\nThen: hang it\nAt last: pull\n", None),
    "cut off": (FORMS + "\nPermit no: MP-999\nHol", None),
    "glued": (fill("Permit no: MP-{n}\nHolder: {who}Berth: {berth}\n"), None),
    "in prose alone": ("We find that Berth: is odd and Holder: is too.\nNobody knows why Holder: is there. It is late.\nThe Berth: again, then.\n", None),
    "two kinds of forms": (FORMS + "".join(f"\nLock: {lock}\nTolls: {k}\nBoats: {k + 3}\n" for k, lock in enumerate(("Orrin", "Lamb", "Top"))), None),
}  # fmt: skip


@pytest.mark.parametrize(("text", "expected"), TEXTS.values(), ids=TEXTS)
def test_a_label_word_where_it_is_none(tmp_path: Path, text: str, expected: str | None) -> None:
    (tmp_path / "in.txt").write_text(text, encoding="utf-8")
    done = wetcomb(tmp_path, "rebuild", "in.txt", "--format", "csv", "--strict")
    if expected is not None:
        assert done.stdout.decode() == expected, done.stderr.decode()
    else:
        assert done.returncode == 1, done.stderr.decode()
