"""The parts of a text, and what an inspection says of them."""

from __future__ import annotations

import pytest

from wetcomb import InputError
from wetcomb.core.decoded import Sample
from wetcomb.core.inspection import Inspection
from wetcomb.drafts.inspect import inspect_text
from wetcomb.drafts.parts import find_parts
from wetcomb.views.blocks import Fact, Grid, TextLines
from wetcomb.views.evidence import build_evidence

TABLE = "boat;lock;toll\nTansy;Orrin;4,50\nHeron;Lamb;3,00\n"
COLUMNS = "Boat        Lock    Toll\nTansy       Orrin   4,50\nTwo Sisters Lamb    3,00\n"
LABELS = "Permit no: 17\nBoat: Tansy\nFrom: 2 June\n"
LIST = "- close the gate\n- ring the bell\n- wait\n"
PROSE = "The keeper, who is away until Monday, asks all boats to wait, and not to moor here.\n"

PARTS = [
    (TABLE, [("table", "1-3")]),
    (PROSE + "\n" + TABLE, [("prose", "1-1"), ("table", "3-5")]),
    (TABLE + "\n\n" + TABLE, [("table", "1-8")]),
    (TABLE + "\n" + COLUMNS, [("table", "1-3"), ("table", "5-7")]),
    (TABLE + "\nAll tolls in euros.\n", [("table", "1-3"), ("note", "5-5")]),
    (PROSE + TABLE, [("prose", "1-1"), ("table", "2-4")]),
    (LABELS + "\n" + PROSE, [("label block", "1-3"), ("prose", "5-5")]),
    (LIST + "\n" + COLUMNS, [("list", "1-3"), ("table", "5-7")]),
    (PROSE + PROSE + PROSE, [("prose", "1-3")]),
    ("Boat | Toll\n-----|-----\nTansy | 4\nHeron | 3\n", [("table", "1-4")]),
    ("\r\n\r\na\tb\r\n1\t2\r\n", [("table", "3-4")]),
]  # fmt: skip


@pytest.mark.parametrize(("text", "wanted"), PARTS, ids=[str(wanted) for _, wanted in PARTS])
def test_parts_are_told_apart(text: str, wanted: list[tuple[str, str]]) -> None:
    assert [(part.kind, part.lines) for part in find_parts(text.encode())] == wanted
    sampled = find_parts(text.encode(), is_whole=False)
    assert sampled[-1].lines.endswith("-"), "the last part of a sample goes on"


def look(text: str, **given: object) -> Inspection:
    return inspect_text(Sample(text.encode()), given)


def test_a_look_at_two_tables_has_both_with_their_lines() -> None:
    seen = look(PROSE + "\n" + TABLE + "\n" + COLUMNS)
    assert [table.part for table in seen.tables] == [2, 3]
    first, second = seen.tables
    assert (first.where, first.options) == (("--lines 3-5",), ("-d semicolon", "--heading first"))
    assert second.where == ("--lines 7-9",)
    assert [line.number for line in first.lines] == [3, 4, 5]
    assert first.lines[1].teeth == (5, 11)
    assert [column.name for column in second.columns] == ["Boat", "Lock", "Toll"]


def test_odd_records_and_signs_are_told_with_their_lines() -> None:
    rows = "".join(f"Boat {k};{k};{k},50\n" for k in range(12))
    text = f"boat;tons;toll\n{rows}Tansy;4\nHeron;x;1,00\nWren\u200b;3;2,00;late\n\x07;1;1,00\n"
    (table,) = look(text).tables
    assert [(odd.line, odd.why) for odd in table.odd] == [
        (14, "short"),
        (15, "tons: 'x' is no digits"),
        (16, "long"),
    ]
    assert table.n_odd == 3 and table.n_records == 16
    assert dict(table.counts) == {3: 15, 2: 1, 4: 1}
    signs = {sign.name: (sign.number, sign.line) for sign in look(text).signs}
    assert signs == {"zero-width character": (1, 16), "control character": (1, 17)}


def test_what_is_stated_is_kept() -> None:
    (table,) = look(TABLE, delimiter="comma", heading="none").tables
    assert table.ways[0].name == "comma"
    assert "-d comma" in table.options
    (cut,) = look(COLUMNS, edges=(12, 20)).tables
    assert "--edges 12,20" in cut.options


@pytest.mark.parametrize("text", ["", "\n\n \n"])
def test_nothing_is_nothing_to_look_at(text: str) -> None:
    with pytest.raises(InputError, match="nothing to look at"):
        look(text)


def test_the_page_shows_what_was_found() -> None:
    rows = "".join(f"Boat {k};{k};{k},50\n" for k in range(12))
    seen = look(f"{PROSE}\nboat;tons;toll\n{rows}Tansy;4\n")
    blocks = build_evidence(seen, "paste.txt (utf-8)", "paste.txt", 80, ["wetcomb rebuild x"])
    facts = {
        block.label: "".join(part.text for part in block.parts)
        for block in blocks
        if isinstance(block, Fact) and block.label
    }
    assert facts["text"].startswith("paste.txt (utf-8): 16 lines, line ends LF")
    assert facts["cut"].startswith("Semicolon: 3 fields in 13 of 14 records")
    assert facts["to go on"] == "wetcomb rebuild x"
    assert "━" in facts["fields"]
    parts, columns, odd, *_ = [block for block in blocks if isinstance(block, Grid)]
    assert [row[1] for row in parts.rows] == ["prose", "table"]
    assert [row[1] for row in columns.rows] == ["boat", "tons", "toll"]
    assert odd.rows == [["16", "short", "Tansy;4"]]
    (lines,) = [block for block in blocks if isinstance(block, TextLines)]
    drawn = ["".join(part.text for part in line) for line in lines.lines]
    assert drawn[0].split()[:4] == ["0", ".", "10", "."]
    assert all(len(line) <= 80 for line in drawn)
    assert drawn[2].index("╿") == drawn[1].index(";")
