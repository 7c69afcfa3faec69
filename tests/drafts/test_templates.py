"""Text that is the same around the fields of every record: found as a pattern, whatever stands beside it."""

from __future__ import annotations

import re

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wetcomb import draft
from wetcomb.drafts.pricing.chains import PricedText
from wetcomb.drafts.proposals import patterned, templated
from wetcomb.drafts.proposals.body import make_body
from wetcomb.steps.pull.options import Pull

BOATS = ["Tansy", "Heron Wake", "Old Regret", "Wren", "Mother Carey", "Plover", "Coot"]
PLACES = ["Orrin", "Lamb Lock", "Weir Gate", "Orrin", "Halden Top", "Mill", "Weir Gate"]
TOLLS = ["4.50", "12.25", "3.00", "7.75", "11.00", "2.50", "8.25"]
ROWS = [[boat, place, toll] for boat, place, toll in zip(BOATS, PLACES, TOLLS, strict=True)]


def print_rows(form: str, rows: list[list[str]] | None = None) -> str:
    return "".join(form.format(*row, n=k) for k, row in enumerate(rows or ROWS, 1))


def rows_of(text: str) -> list[list[str | None]]:
    return draft(text).run(text).rows()


@pytest.mark.parametrize(
    "form",
    [
        "{0} passed {1} and paid {2}.\n",
        "[ {0} :: {1} :: {2} ]\n",
        "<{0}> at <{1}>: {2}\n",
        "boat={0}; at={1}; toll={2}\n",
        '2031-06-0{n} boat="{0}" at="{1}" toll={2}\n',
        "{0} (boat)\n{1} (place)\n{2} (toll)\n\n",
        "{n}) {0}, seen at {1}, owes {2} marks to the office\n",
    ],
)
@pytest.mark.parametrize("around", ["{}", "Passages of the week\n\n{}\nWritten by the keeper.\n"])
def test_the_fields_are_found_between_the_text(form: str, around: str) -> None:
    text = around.format(print_rows(form))
    found = [[value for value in row if value] for row in rows_of(text)]
    places = [[row.index(value) for value in mine] for row, mine in zip(found, ROWS, strict=True)]
    assert all(place == sorted(place) for place in places)


def test_labels_name_the_fields() -> None:
    for form in ("boat={0}; at={1}; toll={2}\n", "{0} (boat)\n{1} (at)\n{2} (toll)\n\n"):
        text = print_rows(form)
        steps = draft(text).steps
        names = draft(text).run(text).names
        assert set(names) >= {"boat", "at", "toll"}, steps


@pytest.mark.parametrize(
    ("form", "values"),
    [
        ("{0} is {2} m long\n", ["4.50 m", "4.50"]),  # a unit belongs to its figure before a word
        ("{0}; {2} m; dry\n", ["4.50 m"]),
        ("{0} paid £{2} there\n", ["£4.50"]),
        ("{0} paid CHF {2} there\n", ["CHF 4.50"]),
        ("{0} paid on {n} de mayo de 2031 at {1}\n", ["1 de mayo de 2031"]),  # a day is one figure
        ("{0} wrote from keeper{n}@canal.example to {1}\n", ["keeper1@canal.example"]),
    ],
)
def test_units_and_currencies_stay_with_their_figures(form: str, values: list[str]) -> None:
    found = {value for row in rows_of(print_rows(form)) for value in row if value}
    assert found & set(values), found


def test_what_stands_between_two_like_marks_is_one_field() -> None:
    months = ["May", "June", "July", "April", "March", "August", "May"]
    rows = [[f"LK-{k}", f"{k} {place}", f"{k} {month}"] for k, (place, month) in enumerate(zip(PLACES, months, strict=True), 1)]  # fmt: skip
    text = "".join(f"| {' | '.join(row)} |\n" for row in rows).encode()
    tables = [PricedText(text).price(c).batch.table for c in templated.propose(make_body(text, ()))]
    assert all(table is not None and table.rows() == rows for table in tables)


@pytest.mark.parametrize(
    "text",
    [
        print_rows("{0};{1};{2}\n"),  # a mark between fields is no frame
        "It rained.\nThe gate was shut.\nNobody came, and the keeper went home.\n",
        print_rows("{0} {2}\n")[:20],
    ],
)
def test_what_has_no_frame_makes_no_pattern(text: str) -> None:
    assert not [*templated.propose(make_body(text.encode(), ()))]


def test_what_a_pattern_says_is_paid_for_once() -> None:
    text = print_rows("{0} passed {1} and paid {2}.\n", [*ROWS, *ROWS[::-1]]).encode()
    (chain, *_) = templated.propose(make_body(text, ()))
    priced = PricedText(text).price(chain)
    assert priced.bits["raw"] == priced.bits["dropped"] == 0 < priced.bits["options"]
    assert priced.price < PricedText(text).plain


WORDS = st.text("abcdefghij", min_size=2, max_size=6)


@settings(max_examples=60, deadline=None)
@given(
    frame=st.lists(st.sampled_from(["XX", "YY:", "(QQ)", "ZZ;", "VV ="]), min_size=2, max_size=4, unique=True),
    words=st.lists(WORDS, min_size=48, max_size=48, unique=True),
    sizes=st.lists(st.integers(1, 2), min_size=24, max_size=24),
)  # fmt: skip
def test_a_pattern_gives_back_what_was_printed(
    frame: list[str], words: list[str], sizes: list[int]
) -> None:
    """No word stands twice in the values, so that all that recurs is the frame."""
    left, many = iter(words), iter(sizes)
    rows = [[" ".join(next(left) for _ in range(next(many))) for _ in frame] for _ in range(6)]
    text = "".join(
        " ".join(f"{mark} {value}" for mark, value in zip(frame, row, strict=True)) + "\n"
        for row in rows
    )
    (chain, *_) = templated.propose(make_body(text.encode(), ()))
    table = PricedText(text.encode()).price(chain).batch.table
    assert table is not None and table.rows() == rows


@pytest.mark.parametrize(
    ("lines", "first"),
    [
        (["18% Fenny Hythe 025 Dora Marsh 2,581.56", "74% Orrin 015 Ben Sedge 1,460.31", "4% Mill 7 Una Vole 855.27", "24% Upper Mill 476 Jory Reed 42.79"], ["18%", "Fenny Hythe", "025", "Dora Marsh", "2,581.56"]),
        (["A1 Tansy 12,50 € paid", "A2 Heron Wake 7,00 € open", "A3 Wren 31,25 € not yet paid", "A4 Coot 1,75 € paid"], ["A1", "Tansy", "12,50 €", "paid"]),
        (["A1 Tansy 3 June 2031 Orrin", "A2 Wren 12 July 2031 Lamb Lock", "A3 Coot 9 May 2031 Mill", "A4 Old Rook 1 June 2031 Weir"], ["A1", "Tansy", "3 June 2031", "Orrin"]),
    ],
)  # fmt: skip
def test_single_blanks_between_figures_and_names(lines: list[str], first: list[str]) -> None:
    text = PricedText(("\n".join(lines) + "\n").encode())
    (chain, *_) = patterned.propose(make_body(text.raw, ()))
    table = text.price(chain).batch.table
    assert table is not None and table.rows()[0] == first and table.n_records == len(lines)


def test_the_line_above_names_the_fields_of_a_pattern() -> None:
    lines = ["18% Fenny Hythe 025 Dora Marsh 2,581.56", "74% Orrin 015 Ben Sedge 1,460.31", "41% Mill 060 Una Vole 855.27", "24% Upper Mill 476 Jory Reed 42.79"]  # fmt: skip
    for heading, named in (("Moisture  Site  Hive  Keeper  Price per jar", True), ("As of 30 June", False)):  # fmt: skip
        body = make_body("\n".join([heading, *lines]).encode(), ())
        (chain, *_) = patterned.propose(body)
        assert isinstance(chain.steps[0], Pull) and len(chain.steps) == 1 + named
        if named:
            assert chain.steps[1].rename[-1] == "field_5=Price per jar"  # type: ignore[attr-defined]


def test_an_expression_bounds_each_of_its_repeats() -> None:
    lines = [f"A{k} Tansy {k} Orrin {k}.50" for k in range(1, 6)]
    (chain, *_) = patterned.propose(make_body("\n".join(lines).encode(), ()))
    assert isinstance(chain.steps[0], Pull)
    assert not re.search(r"(?<!\\)[*+]|\{\d+,\}", chain.steps[0].each[0])
