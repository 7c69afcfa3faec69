"""Doubts: each is raised by a text that calls for it, and none by a sound table."""

from __future__ import annotations

from itertools import chain

import pytest

from wetcomb import UsageError, draft
from wetcomb.core.doubts import DOUBTS, find_verdict
from wetcomb.drafts.doubts.find import raise_doubts
from wetcomb.drafts.first_draft import draft_once

BOATS = ["Tansy", "Heron", "Wren", "Rook", "Coot", "Teal", "Plover", "Dunlin", "Avocet"]
LOCKS = ["Orrin Basin", "Lamb Lock", "Mill Reach", "Weir Gate", "Sallow Bridge"]
ROWS = [
    [f"LK-{k:03}", boat, LOCKS[k % 5], f"{7 * k + 3}.{k}0", f"2031-06-{k + 1:02}"]
    for k, boat in enumerate(BOATS)
]
NAMES = ["No", "Boat", "Lock", "Toll", "Day"]


def _lines(rows: list[list[str]], mark: str) -> str:
    return "".join(mark.join(row) + "\n" for row in rows)


def _columns(rows: list[list[str]], gap: int = 2) -> str:
    widths = [max(map(len, column)) + gap for column in zip(*rows, strict=True)]
    padded = ["".join(v.ljust(w) for v, w in zip(row, widths, strict=True)) for row in rows]
    return "".join(line.rstrip() + "\n" for line in padded)


ALL = [NAMES, *ROWS]

#: Tables that are sound, in many forms.
TABLES = {
    "semicolons": _lines(ALL, ";"),
    "commas": _lines(ALL, ","),
    "tabs": _lines(ALL, "\t"),
    "pipes with blanks": _lines(ALL, " | "),
    "a frame of pipes": "".join(f"| {' | '.join(row)} |\n" for row in ALL),
    "a rule under the heading": _lines([NAMES, ["---"] * 5, *ROWS], " | "),
    "columns": _columns(ALL),
    "wide columns": _columns(ALL, 6),
    "columns with a rule": _columns([NAMES, ["----", "------", "-------------", "-----", "----------"], *ROWS]),
    "columns with blank cells": _columns([NAMES, *([*r[:3], "" if k % 3 else r[3], r[4]] for k, r in enumerate(ROWS))]),
    "quotes": "".join(";".join(f'"{v}"' for v in row) + "\n" for row in ALL),
    "quoted commas": _lines([NAMES, *([r[0], r[1], f'"{r[2]}, {r[1]}"', *r[3:]] for r in ROWS)], ","),
    "a long delimiter": _lines(ALL, " // "),
    "two columns": _lines([row[:2] for row in ALL], ";"),
    "without a heading": _lines([[r[0], r[4], r[3]] for r in ROWS], ";"),
    "missing words": _lines([NAMES, *([*r[:3], "n/a" if k % 4 == 1 else r[3], r[4]] for k, r in enumerate(ROWS))], ";"),
    "money": _lines([NAMES, *([*r[:3], f"{r[3]} EUR", r[4]] for r in ROWS)], ";"),
    "a title above": "Passages in June\n\n" + _columns(ALL),
    "a sentence below": _columns(ALL) + "\nThe lock at Lamb is closed on Sundays.\n",
    "a count below": _columns(ALL) + "\n9 records in all\n",
    "a cell a line": "".join(f"{v}\n" for v in chain(*[row[:3] for row in ALL])),
}  # fmt: skip

#: Texts that are no tables.
PROSE = [
    "The keeper was late again.\nNobody minded, the water was low.\n",
    "Dear Ruth,\n\nthe gate at Mill Reach sticks again, and the chain is gone.\nPlease send someone.\n\nTom\n",
    "Boats waited at Lamb Lock, at the Weir Gate, and in the basin.\nBy noon there were nine; by two, twelve.\nThe keeper, alone that day, let them through one by one.\n",
    "First the paddles are raised, slowly.\nThen the gates, which are heavy, are pushed.\nAt last the boat goes in, and all is done again.\n",
    "What is a toll?\nA toll is what a boat pays.\nWho takes it?\nThe keeper does.\n",
    "It rained on the 3rd, the 4th and the 9th.\nOn the 12th it did not, but there was wind.\nOn the 20th the reach was closed, for two days.\n",
    "Halden is a small place. It has a lock, a shop and a chapel.\nThe canal came in 1804; the shop, in 1811.\n",
    "Minutes of the meeting\n\nMrs Pell opened the meeting and read the letter from the council.\nMr Ashby said that the wharf was not safe, and that somebody would fall in.\nIt was agreed to put up a rail.\n",
    "- mend the gate\n- call Tom about the chain\n- find out who owns the red barge, and why it is there\n",
    "The boat Tansy, loaded with hay, and the boat Wren, loaded with lime, met in the narrow part below the bridge. Neither would go back.\nIn the end the Wren did, because her horse was willing.\n",
    "Notice\nThe towpath is closed between the bridge and the basin.\nWalkers take the lane.\n",
    "If the water is low, take half a load.\nIf it is very low, wait.\nIf there is none, go home.\n",
    "Tom: are you there?\nRuth: yes, at the lower gate.\nTom: the chain has come off again!\nRuth: I will be with you in ten minutes, wait for me.\n",
    "From: Tom Ashby\nTo: Ruth Pell\nSubject: the chain\n\nIt came off again, at eight in the evening.\nI put it back.\n",
    "A lock has two gates, an upper and a lower one, and between them the chamber.\nThe chamber is filled through paddles in the upper gate, and emptied through paddles in the lower.\n",
    "We went by boat to Orrin, and from there on foot; the way is easy.\nThe children liked the swans best, and the ice.\n",
    "I paid 4.50 at Halden, 3.00 at Lamb and nothing at the Weir Gate.\nThat makes 7.50 in all, which is too much for a morning.\n",
    "Swans\n\nThey nest below the weir, on the left bank.\nPass slowly; keep dogs aboard.\n",
    "Item one was the rail. It was put off.\nItem two was the shop. It was put off too.\nItem three, the swans, took an hour.\n",
    "Once there was a keeper who kept the lock so well that no boat ever waited.\nThen came the railway.\n",
]  # fmt: skip


def test_verdicts_on_sound_tables_and_on_prose() -> None:
    doubted = [name for name, text in TABLES.items() if draft(text).doubts]
    sure = [text for text in PROSE if find_verdict(draft(text).doubts) == "table"]
    assert len(TABLES) >= len(PROSE) == 20
    assert (doubted, sure) == ([], [])


def _with(place: int, row: list[str]) -> list[list[str]]:
    return [*ALL[:place], row, *ALL[place:]]


#: For each kind a text that calls for it.
CALLED_FOR = {
    "no-table": PROSE[0],
    "hardly-cut": "Tansy coal\nWren slate\nCoot lime\n",
    "several-tables": _lines(ALL, ";") + "\n\n" + _lines([["Keeper", "Since"], *([f"Ann{k}", f"{1990 + k}"] for k in range(8))], "|"),
    "few-records": "^".join(chain(*[[*row, "@"] for row in ALL])) + "\n",
    "mail-text": "From: Tom\nTo: Ruth\nDate: 2031-06-02\n" + _lines(ROWS[:3], ": "),
    "labels": "".join(f"Boat: {r[1]}\nLock: {r[2]}Toll: {r[3]}\n\n" for r in ROWS),
    "quotes-left": _lines([NAMES, ["1", '"Tansy', *ROWS[0][2:]], *ROWS, ["2", 'Coot"', *ROWS[1][2:]]], ";"),
    "heading-joined": "            June          July\nNo      Tolls  Boats  Tolls  Boats\n"
    + "".join(f"LK-{k:03}  {k * 3 + 10:5}  {k + 10:5}  {k * 2 + 10:5}  {k + 20:5}\n" for k in range(9)),
    "heading-short": _lines([NAMES[:4], *ROWS], ";"),
    "heading-torn": _lines([["No", "> Boat", "==", "Toll", "Day"], *ROWS], ";"),
    "heading-inside": _lines(_with(5, ["No", "Boat", "Quay", "Toll", "Day"]), ";"),
    "first-blank": _lines([NAMES, *([r[0] if k % 3 == 0 else "", *r[1:]] for k, r in enumerate(ROWS))], ";"),
    "thin-records": _columns([NAMES, *ROWS[:3], ["late", "", "", "", ""], *ROWS[3:6], ["repaired", "", "", "", ""], *ROWS[6:]]),
    "total-inside": _lines([*ALL, ["Total", "", "", "281.70", ""]], ";"),
    "total-off": _columns(ALL) + "\n10 records in all\n",
    "odd-signs": _lines(ALL, ";").replace("Heron", "Her\u200bon"),
    "foreign-value": _lines([NAMES, *ROWS[:4], ["LK-9", "Smew", "Orrin", "see the note", "2031-07-01"], *ROWS[4:]], ";"),
    "marks-kept": _lines([NAMES, *([f"* {r[0]}", *r[1:]] for r in ROWS)], ";"),
    "mark-inside": _lines([["No", "Where", "Toll"], *([r[0], f"{r[1]} | {r[2]}", r[3]] for r in ROWS)], ";"),
    "glued-values": "".join(f"{7 * k + 11}{boat.lower()};{LOCKS[k % 5]}\n" for k, boat in enumerate(BOATS)),
    "cut-inside": _lines([[f"LK-{k:03}", "Anna", name.capitalize(), f"{k}.50"] for k, name in enumerate(BOATS)], " "),
    "missing-bare": "".join(";".join(f'"{v}"' for v in row) + "\n" for row in ALL).replace('"24.30"', "none").replace('"31.40"', "none"),
    "records-equal": _lines([*ALL, ROWS[2]], ";"),
    "outside-alike": "Please find the list below.\n\n" + _lines([[*r, "paid at once"] for r in ROWS], "|") + "and in coin\n\nThank you.\n",
}  # fmt: skip


@pytest.mark.parametrize("kind", CALLED_FOR)
def test_a_doubt_is_raised_by_what_calls_for_it(kind: str) -> None:
    _, drafted = draft_once(CALLED_FOR[kind].encode(), {}, None)
    doubts = [raised.doubt for raised in raise_doubts(drafted)]
    assert kind in [doubt.name for doubt in doubts], doubts
    assert all(doubt.said and doubt.kind in DOUBTS for doubt in doubts)


def test_a_command_was_tried_and_settles_what_it_stands_with() -> None:
    text = CALLED_FOR["odd-signs"]
    assert draft(text).doubts == ()  # it is washed
    (doubt,) = draft(text, delimiter="semicolon").doubts
    assert doubt.command == "wetcomb wash {input} + split -d semicolon --heading first"
    (said,) = draft(PROSE[13]).doubts
    assert (said.name, said.command) == ("no-table", "wetcomb rebuild {input} -d colon")
    assert "no-table" not in [d.name for d in draft(PROSE[13], delimiter="colon").doubts]
    heading = draft(CALLED_FOR["heading-joined"], edges="blanks").doubts[0]
    assert (heading.name, heading.command) == (
        "heading-joined",
        "wetcomb rebuild {input} --edges blanks --heading 2",
    )


def test_nothing_that_was_stated_is_a_doubt() -> None:
    assert [d.name for d in draft("a b\nc d\ne f\n").doubts] != []
    assert draft("a b\nc d\ne f\n", delimiter="space", heading="none").doubts == ()
    assert draft(PROSE[0], delimiter="none", heading="none").doubts == ()


def test_a_guess_that_would_stop_a_run_is_dropped_and_told(monkeypatch: pytest.MonkeyPatch) -> None:
    bad = {"wrapped": True, "key": "Quay"}
    monkeypatch.setattr("wetcomb.drafts.first_draft.find_wrapped", lambda *_: (bad, ["Wrapped."]))
    comb = draft(TABLES["semicolons"])
    assert comb.run(TABLES["semicolons"]).rows() == ROWS
    assert any("would stop the run, and was dropped: --key" in note for note in comb.notes)
    with pytest.raises(UsageError, match="--key"):
        draft(TABLES["semicolons"], **bad)


def test_marks_for_the_value_above_are_no_values() -> None:
    text = (
        "Lock   Boat   Toll\nMill   Tansy  4\n″      Heron  5\n″      Wren   6\nWeir   Rook   7\n"
    )
    (doubt,) = draft(text).doubts
    assert (doubt.name, doubt.lines) == ("marks-kept", ((3, 3), (4, 4)))


@pytest.mark.parametrize(("figure", "is_told"), [("9.75", True), ("9.70", False), ("0.00", False)])
def test_a_record_that_others_add_up_to_is_doubted(figure: str, is_told: bool) -> None:
    text = f"Boat;Lock;Toll\nTansy;Orrin;3.50\nWren;Top;4.00\nCoot;Orrin;2.25\nFetched;;{figure}\nRook;Top;1.10\n"
    doubts = [doubt.name for doubt in draft(text).doubts]
    assert ("total-inside" in doubts) is is_told
