"""The draft of a whole text: each kind of text is found without being told, by one price."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import wetcomb
from wetcomb.drafts.pricing.chains import Chain, PricedText
from wetcomb.drafts.pricing.columns import ColumnPrices
from wetcomb.drafts.pricing.terms import price_roles
from wetcomb.drafts.pricing.tokens import Tokens
from wetcomb.drafts.proposals.body import make_body
from wetcomb.drafts.proposals.surroundings import find_recurring, find_reply_mark
from wetcomb.drafts.search import search
from wetcomb.steps.split.options import Split
from wetcomb.steps.wash.options import Wash

BOATS = ["Tansy", "Heron Wake", "Old Regret", "Wren", "Mother Carey", "Plover", "Coot", "Two Sisters"]  # fmt: skip
LOCKS = ["Orrin", "Lamb Lock", "Weir Gate", "Orrin", "Halden Top", "Lamb Lock", "Orrin", "Weir Gate"]  # fmt: skip
TOLLS = ["4.50", "12.25", "3.00", "7.75", "11.00", "2.50", "8.25", "6.00"]
NOTES = [
    "paid in coin at the gate, one rope left as pledge", "waited two hours for water", "empty on return, see letter of 3 June",
    "second passage this week", "toll agreed with the keeper, no charge for the horse", "late", "held at the stop lock; let go again",
    "paddle stuck, mended at night",
]  # fmt: skip
ROWS = [[f"LK-{412 + 3 * k}", BOATS[k], LOCKS[k], TOLLS[k]] for k in range(8)]


MORE = ["Rook", "Dunlin", "Avocet", "Teal", "Sallow", "Brindle"]
MANY = [
    *ROWS,
    *([f"LK-{440 + 3 * k}", MORE[k], f"{LOCKS[k]} {k}", f"{k + 13}.40"] for k in range(6)),
]


def _wrap(text: str, width: int, indent: str = "") -> list[str]:
    lines = [""]
    for word in text.split(" "):
        if len(lines[-1]) + len(word) + 1 > width and lines[-1].strip():
            lines.append(indent)
        lines[-1] += word if not lines[-1].strip() else " " + word
    return lines


def _join(lines: list[str]) -> str:
    return "\n".join(lines) + "\n"


LONG = [[*row, note] for row, note in zip(ROWS, NOTES, strict=True)]
GROUPS = [("Halden Reach", ROWS[:3]), ("Mill Reach", ROWS[3:5]), ("Orrin Reach", ROWS[5:])]
GROUPED = [[name, *row] for name, rows in GROUPS for row in rows]

#: A text, and the records that a person would make of it.
TEXTS: dict[str, tuple[str, list[list[str]]]] = {
    "a bullet before each record": (_join(["– " + "; ".join(row) for row in ROWS]), ROWS),
    "a hanging indent": (_join([line for row in LONG for line in _wrap(" | ".join(row), 44, "    ")]), LONG),
    "records that begin with a code": (_join([line for row in LONG for line in _wrap(" | ".join(row), 44)]), LONG),
    "one long line": (" * ".join(", ".join(row) for row in ROWS) + "\n", ROWS),
    "a tree": (_join([line for name, rows in GROUPS for line in [name, *("  " + " / ".join(row) for row in rows)]]), GROUPED),
    "blocks of lines": ("\n".join(_join(row[1:]) for row in ROWS), [row[1:] for row in ROWS]),
    "a cell a line": (_join([cell for row in ROWS for cell in row]), ROWS),
    "columns under one another, with headings": (_join([line for k, name in enumerate(("No", "Boat", "Lock", "Toll")) for line in [name, *(row[k] for row in MANY)]]), MANY),
    "leaders of dots": (_join([f"{boat} {'.' * (30 - len(boat))} {toll}" for _, boat, _, toll in ROWS]), [[row[1], row[3]] for row in ROWS]),
    "digits and letters without anything between": (_join([f"{310 + 7 * k}{row[1]}" for k, row in enumerate(ROWS)]), [[str(310 + 7 * k), row[1]] for k, row in enumerate(ROWS)]),
    "a list within a sentence": ("Entered by hand: " + "; ".join(f"{b}: {n} tons of coal, {t}" for b, n, t in zip(BOATS, ["two", "six", "ten", "nine", "one", "four", "two", "ten"], TOLLS, strict=True)) + ".\n",
                                 [[b, f"{n} tons of coal", t] for b, n, t in zip(BOATS, ["two", "six", "ten", "nine", "one", "four", "two", "ten"], TOLLS, strict=True)]),
    "quoted behind bars": (_join(["On 3 June 2031, R. Pell wrote:", "| Hello,", "|", "| here it is.", "|", *("| " + "; ".join(row) for row in ROWS), "|", "| R. P."]), ROWS),
    "columns whose first is printed once": (
        _join([f"{d:<12}{row[0]:<9}{row[1]:<14}{row[3]:>6}" for d, row in zip(["2 June 2031", "", "", "3 June 2031", "", "5 June 2031", "", ""], ROWS, strict=True)]),
        [[d, row[0], row[1], row[3]] for d, row in zip(["2 June 2031"] * 3 + ["3 June 2031"] * 2 + ["5 June 2031"] * 3, ROWS, strict=True)]),
    "lines cut within words": (_join([piece for row in LONG for piece in [";".join(row)[k : k + 40] for k in range(0, len(";".join(row)), 40)]]), LONG),
}  # fmt: skip


@pytest.mark.parametrize("name", TEXTS)
def test_each_kind_of_text_is_found(name: str) -> None:
    text, records = TEXTS[name]
    comb = wetcomb.draft(text)
    rows = [[value or "" for value in row] for row in comb.run(text).rows()]
    assert rows == records, comb.notes


def test_prose_is_no_table() -> None:
    prose = (
        "The lock was closed, so we waited until the keeper came. It rained, and the horse\n"
        "would not stand. At six a boat came down, laden with slate; nobody spoke to us, and\n"
        "we went on in the dark. There was no light at the basin, but the inn was open.\n"
    )
    assert any(doubt.name in ("no-table", "hardly-cut") for doubt in wetcomb.draft(prose).doubts)


LINES = st.lists(
    st.lists(st.sampled_from(["Tansy", "coal", "4.50", "12", "LK-7", "2 June 2031", "", "a b"]), min_size=1, max_size=4),
    min_size=3, max_size=12,
)  # fmt: skip


@settings(max_examples=30, deadline=None)
@given(lines=LINES, mark=st.sampled_from([";", " | ", "  ", "\n"]))
def test_the_search_is_bounded_and_says_the_same_twice(lines: list[list[str]], mark: str) -> None:
    text = _join([mark.join(line) for line in lines]).encode()
    if not text.strip():
        return
    first, second = search(text), search(text)
    assert first.n_trials == second.n_trials <= 160
    assert [way.chain for way in first.ways] == [way.chain for way in second.ways]
    assert all(way.price > 0 for way in first.ways)


def test_what_a_chain_drops_or_leaves_outside_is_paid_for() -> None:
    text = PricedText(_join([";".join(row) for row in ROWS]).encode())
    split = Split(delimiter="semicolon", heading="none", fields=4, quote="none")
    whole = text.price(Chain((split,), 0, 8))
    less = text.price(Chain((split,), 0, 5))
    taken = text.price(Chain((Split(delimiter="semicolon", heading="none", fields=4, quote="none", take=(1, 2)),), 0, 8))  # fmt: skip
    dropped = text.price(Chain((Wash(drop_lines=("LK-415{any}",)), split), 0, 8))
    lines = text.price(Chain((Split(delimiter="none", heading="none", fields=1),), 0, 8))
    assert whole.price < min(less.price, taken.price, dropped.price, lines.price)
    assert less.bits["raw"] > 0 and taken.bits["raw"] > 0 and dropped.bits["furniture"] >= 0


def test_a_column_is_told_by_its_best_model() -> None:
    prices = ColumnPrices(Tokens(["coal slate timber 17 412 7 88 3 951 60 224 5 731"]))
    rising = prices.price([str(412 + k) for k in range(10)])
    any_number = prices.price(
        ["417", "952", "121", "808", "333", "690", "274", "555", "906", "148"]
    )
    listed = prices.price(["coal", "slate"] * 5)
    assert rising < any_number and listed < prices.price(["coal", "slate", "timber", "17 412", "7 88", "3 951 60", "224", "coal 5", "731", "slate 7"])  # fmt: skip
    assert prices.price(["coal"] * 9 + [""]) > prices.price(["coal"] * 9)


def test_roles_that_follow_each_other_are_cheap() -> None:
    assert price_roles(("r", "c1") * 10) < price_roles(("r", "c1", "r", "r", "c1", "c1", "r", "c1", "c1", "r") * 2)  # fmt: skip


def test_what_surrounds_a_table() -> None:
    pages = ["Halden Canal   page 1", *"abcdefg", "Halden Canal   page 2", *"hijklmn"]
    assert find_recurring(pages) == ("Halden Canal page {digits}",)
    assert find_recurring(["1 x", "2 x", "3 x", "4 x"]) == ()
    amounts = ["Sallow   3.00", *"abcdefg", "Sallow   4.00", *"hijklmn"]
    assert find_recurring(amounts) == ()  # an amount is no number of a page
    headed = [line for page in (1, 2, 3) for line in (f"Canal  {page}", "", "Boat   Toll", f"Tansy  {page * 7}", *(sign * page for sign in "abcde"))]  # fmt: skip
    assert find_recurring(headed) == ("Canal {digits}",)  # the heading stays with its records
    assert find_reply_mark(["> a", ">", "> b", "> c", "d"]) == ">"
    assert find_reply_mark(["| a | b |", "| 1 | 2 |", "| 3 | 4 |"]) == ""
    body = make_body(b"x\n> a\n> b\n", (Wash(reply_mark=">"),))
    assert list(body.lines) == ["x", "a", "b"] and list(body.places) == [0, 1, 2]
