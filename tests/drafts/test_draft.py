"""Drafts: the right cut, quote mark and heading, whatever looks tempting; and doubt where due."""

from __future__ import annotations

import random

import pytest

from wetcomb import InputError, Split, draft
from wetcomb.drafts.price import price_column, price_text

BOATS = ["Brindle", "Heron Wake", "Mother Carey", "Tansy", "Old Regret", "Two Sisters", "Plover"]
LOCKS = ["Halden Top", "Lamb", "Orrin", "Weir Gate"]


def make_text(delimiter: str, *, heading: bool = True, n_rows: int = 30, quote: str = "") -> str:
    chance = random.Random(len(delimiter) + n_rows)
    rows = [["boat", "lock", "day", "toll", "remark"]] if heading else []
    for number in range(n_rows):
        toll = f"{chance.randrange(1, 40)},{chance.randrange(0, 100):02d}"
        remark = chance.choice(["wet, and cold", "none", "second passage - late", "see 3/4"])
        row = [
            chance.choice(BOATS),
            chance.choice(LOCKS),
            f"2031-06-{number % 28 + 1:02d}",
            toll,
            remark,
        ]
        rows.append(row)
    if quote:
        rows = [
            [f"{quote}{value}{quote}" if delimiter in value else value for value in row]
            for row in rows
        ]
    return "\n".join(delimiter.join(row) for row in rows) + "\n"


@pytest.mark.parametrize("delimiter", [";", "\t", "|", " | ", "~|~", "::", " / ", "·", "->", "#"])
@pytest.mark.parametrize("heading", [True, False])
def test_finds_the_delimiter(delimiter: str, heading: bool) -> None:
    text = make_text(delimiter, heading=heading)
    comb = draft(text)
    table = comb.run(text)
    assert table.rows()[int(not heading)][3].count(",") == 1
    assert table.n_records == 30
    assert len(table.names) == 5
    assert not table.snags.records.size
    assert comb.steps[0].heading == ("first" if heading else "none")
    assert any("Next best" in note for note in comb.notes)


@pytest.mark.parametrize(("quote", "word"), [('"', "double"), ("'", "single")])
def test_finds_the_quote_mark(quote: str, word: str) -> None:
    text = make_text(",", quote=quote)
    split = draft(text).steps[0]
    assert (split.delimiter, split.quote) == (("comma",), (word,))
    assert draft(text).run(text).value(0, 3) is not None


@pytest.mark.parametrize(
    ("text", "delimiter", "heading"),
    [
        ("a,b\n1,2\n", "comma", "first"),
        ("a,b\n", "comma", "first"),
        ("x\n", "none", "first"),
        ("Heron Wake\nTansy\nOld Regret\nPlover\n", "none", "first"),
        ("2031-06-01\n2031-06-02\n2031-06-03\n2031-06-09\n", "none", "none"),
        ("10:30\n10:45\n11:20\n12:00\n", "none", "none"),
        ("no  boat        toll\n1   Heron Wake  3.50\n2   Tansy       4.00\n3   Old Regret  2.25\n", "gap", "first"),
        ("The lock was closed, so we waited.\nIt rained, hailed, and blew.\nNobody came.\nAt six, a boat.\n", "none", "first"),
        ("no,n\n" + "".join(f"{k},{k * 7 % 40}\n" for k in range(40)), "comma", "first"),
        ("id,val\n7,1.5\n8,2.5\n7,1.5\n", "comma", "first"),
        ("7;coal;12\n8;lime;9\n9;hay;4\n", "semicolon", "none"),
        ("code\tshort\nEnglish\ten\nGreek\tel\nDutch\tnl\nWelsh\tcy\nIrish\tga\nCzech\tcs\n", "tab", "first"),
    ],
)  # fmt: skip
def test_small_and_tempting_texts(text: str, delimiter: str, heading: str) -> None:
    split = draft(text).steps[0]
    assert (split.delimiter, split.heading) == ((delimiter,), heading), draft(text).notes


def test_doubt_is_told_in_so_many_words() -> None:
    notes = draft("a-b;c\nd-e;f\n", heading="none").notes
    assert any("this choice is doubtful; say -d to settle it" in note for note in notes), notes
    assert any("this is doubtful" in note for note in draft("one\ntwo\nthree\n").notes)
    assert not any("doubtful" in note for note in draft(make_text(";")).notes)


def test_a_heading_with_fewer_names_is_told() -> None:
    text = "boat;lock\n" + "".join(
        f"{boat};{lock};{k}\n" for k, (boat, lock) in enumerate(zip(BOATS, LOCKS * 2, strict=False))
    )
    comb = draft(text, heading="first")
    assert comb.run(text).names == ("boat", "lock", "field-3")
    assert any("1 fewer names than most records have fields" in note for note in comb.notes)


def test_nothing_to_go_by_is_an_error() -> None:
    with pytest.raises(InputError, match="nothing but blank lines"):
        draft(" \n\n")


def test_running_what_was_drafted_never_guesses() -> None:
    text = make_text(";")
    comb = draft(text)
    assert not comb.steps[0].unsettled()
    assert comb.run(text).rows() == comb.run(text.encode()).rows()
    stated = Split(delimiter=";", heading="first", fields=0)
    assert (
        draft(
            text, **{name: getattr(stated, name) for name in ("delimiter", "heading", "fields")}
        ).steps[0]
        == stated
    )


def test_prices_are_as_the_idea_says() -> None:
    regular, odd = ["10", "20", "30", "47"], ["10", "20", "30", "x;y"]
    assert price_column(regular) < price_column(odd)
    assert price_column(["coal", "lime"] * 20) < price_column([f"coal{k}" for k in range(40)])
    assert price_text("wet; cold") > price_text("wet") + price_text("cold")
    assert price_column(["2031-06-01", "2031-06-02"]) < price_column(["2031-06-01", "June"])


LAYOUTS = {
    "columns of blanks": (
        "Boat        Cargo  Tons\n" + "".join(f"{boat:<12}{cargo:<7}{tons:>4}\n" for boat, cargo, tons in [
            ("Tansy", "coal", "12"), ("Two Sisters", "", "7"), ("Heron Wake", "slate", ""), ("Wren", "hay", "140"),
            ("Old Regret", "", ""), ("Plover", "coal", "9"), ("Sallow", "timber", "31"), ("Brindle", "", "5"),
        ]),
        {"edges": (12, 19), "heading": "first"},
    ),
    "a rule": (
        "Boat       Toll\n---------- ----\nOld Regret 4,50\nTansy         5\nTwo Sisters1,00\n",
        {"edges": "rule", "heading": "first"},
    ),
    "a cell a line": (
        "".join(f"{boat}\n2031-06-{day:02}\n{tons}\n" for day, (boat, tons) in enumerate(
            [("Tansy", 12), ("Heron Wake", 7), ("Wren", 140), ("Rook", 3), ("Coot", 9), ("Two Sisters", 31)], 1)),
        {"per_record": 3, "heading": "none"},
    ),
    "paragraphs": (
        "".join(f"{boat}\nLock: {lock}\n{tons} t\n\n" for boat, lock, tons in
            [("Tansy", "Orrin", 12), ("Heron", "Lamb", 7), ("Wren", "Mill", 140), ("Rook", "Weir", 3), ("Two Sisters", "Orrin", 66), ("Coot", "Mill", 9), ("Old Regret", "Lamb", 31)]),
        {"records_at": "blank-line", "delimiter": ("newline",)},
    ),
    "one line": (
        "Tansy,Orrin,12; Heron,Lamb,7; Wren,Mill,140; Rook,Weir,3; Coot,Orrin,9; Teal,Lamb,31; Mew,Mill,5; Smew,Weir,66; Gull,Orrin,71\n",
        {"records_at": ";", "delimiter": (",",)},
    ),
    "panels": (
        "Code  Boat    Code  Boat\n" + "".join(f"A{k}    Tansy   B{k}    Wren\n" for k in range(6)),
        {"panels": 2, "delimiter": ("gap",)},
    ),
    "a heading of two lines": (
        ",2031,,2032,\nBoat,Tons,Toll,Tons,Toll\n" + "".join(f"Boat {k},{k},{k}.50,{k + 1},1.00\n" for k in range(6)),
        {"heading": 2, "delimiter": ("comma",)},
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", LAYOUTS)
def test_layouts_are_found(name: str) -> None:
    text, wanted = LAYOUTS[name]
    comb = draft(text)
    step = comb.steps[0]
    found = {key: getattr(step, key) for key in wanted}
    assert found == wanted, comb.notes
    comb.run(text)


def test_edges_of_blanks_are_settled_and_none_is_told() -> None:
    text, _ = LAYOUTS["columns of blanks"]
    assert draft(text, edges="blanks").steps[0].edges == (12, 19)
    with pytest.raises(InputError, match="no display column is blank in all lines"):
        draft("abcdef\nghijkl\nmnopqr\n", edges="blanks")


def test_edges_that_would_stop_the_run_give_way_to_the_next_best() -> None:
    lock = ["Weir Gate Mill", "Mill Reach Top"]
    lines = [f"Two Sisters A {lock[k % 2]} {k % 9}" for k in range(2050)]
    lines += [
        f"Two Sisters Axyz {lock[k % 2]} {k % 9}" for k in range(1200)
    ]  # behind the first trials
    text = "\n".join(lines) + "\n"
    table = draft(text).run(text)
    assert "edge-in-word" not in table.snags.counts()
