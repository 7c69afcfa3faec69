"""Names of columns, and the columns of a table cut further: what becomes of every heading."""

from __future__ import annotations

import pytest

from laws import blocks_of, check, run_comb
from wetcomb import Comb, InputError, Split, UsageError
from wetcomb.combs.part import Part
from wetcomb.combs.toml import parse_comb, render_comb
from wetcomb.core.decoded import Decoded
from wetcomb.core.errors import CombError
from wetcomb.core.report import Report
from wetcomb.steps.split.headings import center_words, make_unique, spread_words


def run_all(text: str, *steps: Split) -> tuple[tuple[str, ...], list[list[str | None]], Report]:
    """Run steps and close the ledger on both sides; return names, rows and the report."""
    report = Report()
    pieces = list(run_comb(Comb(steps), [Decoded.of(text)], report))
    if len(steps) == 1:
        check(pieces, report)
    table = Comb(steps).run(text)
    return table.names, table.rows(), report


def test_names_are_made_unique_by_adding_only() -> None:
    assert make_unique(["a", "", "a", "a_2", ""]) == ["a", "field-2", "a-2", "a_2", "field-5"]


def test_upper_words_cover_the_columns_up_to_the_next() -> None:
    upper = [("2031", ((0, 4),), 1), ("2032", ((5, 9),), 3)]
    lower = [(name, ((0, 4),), k) for k, name in enumerate(["Boat", "Tons", "Toll", "Tons"])]
    words = spread_words([upper, lower], 4)
    assert [(word.text, word.columns) for word in words[:2]] == [("2031", (1, 2)), ("2032", (3,))]
    assert [word.columns for word in words[2:]] == [(0,), (1,), (2,), (3,)]


UPPER = [
    # where the words stand, those of the columns, the columns that each is over, what they name
    ([(10, 14)], [(0, 4), (10, 14), (15, 19), (20, 24)], [1], [1]),  # flush left
    ([(14, 18)], [(0, 4), (10, 12), (15, 17), (20, 22)], [1], [1]),  # in the middle of three
    ([(17, 21), (42, 46)], [(0, 4), *[(k, k + 2) for k in range(8, 54, 5)]], [2, 7], [1, 6]),
    ([(20, 24), (45, 49)], [(0, 4), *[(k, k + 2) for k in range(8, 54, 5)]], [3, 8], [1, 6]),  # not quite
    ([(13, 19), (32, 38)], [(0, 4), (10, 12), (17, 19), (28, 30), (35, 37)], [1, 3], [1, 3]),
    ([(6, 9), (20, 24)], [(0, 4), (5, 7), (10, 12), (15, 17), (20, 22), (25, 27), (30, 32)], [1, 4], [1, 4]),
]  # fmt: skip


@pytest.mark.parametrize(("words", "columns", "over", "named"), UPPER)
def test_upper_words_may_stand_over_the_middle(
    words: list[tuple[int, int]], columns: list[tuple[int, int]], over: list[int], named: list[int]
) -> None:
    assert center_words(words, columns, over) == named


def test_a_heading_with_doubled_marks_is_known_again() -> None:
    text = '"the ""Boat""",Toll\nTansy,1\n"the ""Boat""",Toll\n'
    names, rows, _ = run_all(text, Split(delimiter=",", heading="first", fields=0))
    assert names == ('the "Boat"', "Toll") and rows == [["Tansy", "1"]]


SPANNED = ",2031,,2032\nBoat,Tons,Toll,Tons\nTansy,1,2,3\n"
HEADINGS = [
    ({}, ("Boat", "2031 Tons", "2031 Toll", "2032 Tons"), {"spread-heading": 4}, {}),
    ({"take": (3, 1)}, ("2031 Toll", "Boat"), {}, {"not-taken": 14}),
    ({"names": ("b", "t", "u", "v")}, ("b", "t", "u", "v"), {}, {"heading-replaced": 24}),
    ({"names": ("Boat", "x"), "take": (1, 4)}, ("Boat", "x"), {}, {"heading-replaced": 8}),
]


@pytest.mark.parametrize(("options", "names", "again", "gone"), HEADINGS)
def test_every_piece_of_a_heading_is_charged(
    options: dict[str, object],
    names: tuple[str, ...],
    again: dict[str, int],
    gone: dict[str, int],
) -> None:
    found, _, report = run_all(SPANNED, Split(delimiter=",", heading=2, **options))
    assert found == names
    assert {k: n for k, n in report.ledger.repeated.items() if n} == again
    for reason, number in gone.items():
        assert report.ledger.dropped[reason] == number


SIZES = 'boat;size;when\nTansy;12 t;June|July\nHeron;"7 ""cwt""";May\nWren;;\nRook\n'
READ = Split(delimiter=";", heading="first", fields=0)
COLUMNS = [
    ({"column": "size", "delimiter": "space", "names": ("tons", "unit")},
        ("boat", "tons", "unit", "when"), [["Tansy", "12", "t", "June|July"], ["Heron", "7", "cwt", "May"], ["Wren", "", None, ""], ["Rook", None, None, None]]),
    ({"column": "2", "delimiter": "space", "fields": 2, "keep_original": True},
        ("boat", "size", "size-1", "size-2", "when"), [["Tansy", "12 t", "12", "t", "June|July"], ["Heron", '7 "cwt"', "7", "cwt", "May"], ["Wren", "", "", None, ""], ["Rook", None, None, None, None]]),
    ({"column": "when", "delimiter": "pipe", "each_a_record": True},
        ("boat", "size", "when"), [["Tansy", "12 t", "June"], ["Tansy", "12 t", "July"], ["Heron", '7 "cwt"', "May"], ["Wren", "", ""], ["Rook", None, ""]]),
    ({"column": "when", "delimiter": "pipe", "drop_pieces": "May", "each_a_record": True},
        ("boat", "size", "when"), [["Tansy", "12 t", "June"], ["Tansy", "12 t", "July"], ["Heron", '7 "cwt"', ""], ["Wren", "", ""], ["Rook", None, ""]]),
    ({"column": "size", "boundary": "9|_", "delimiter": "none", "names": ("boat", "unit")},
        ("boat", "boat-2", "unit", "when"), [["Tansy", "12", "t", "June|July"], ["Heron", "7", '"cwt"', "May"], ["Wren", "", None, ""], ["Rook", None, None, None]]),
]  # fmt: skip


@pytest.mark.parametrize(("options", "names", "rows"), COLUMNS, ids=lambda value: str(value)[:24])
def test_a_column_becomes_columns_or_records(
    options: dict[str, object], names: tuple[str, ...], rows: list[list[str | None]]
) -> None:
    found, cells, report = run_all(SIZES, READ, Split(**options))
    assert (found, cells) == (names, rows)
    report.ledger.check_source()


def test_a_chain_of_columns_leaves_no_character_out() -> None:
    names, rows, report = run_all(
        SIZES,
        READ,
        Split(column="size", delimiter="space", names=("tons", "unit")),
        Split(column="when", delimiter="pipe", each_a_record=True, names=("month",)),
        Split(column="unit", after="text:c", names=("u", "v")),
    )
    assert names == ("boat", "tons", "u", "v", "month")
    assert rows[2] == ["Heron", "7", "c", "wt", "May"]
    assert report.ledger.dropped["heading-replaced"] == len("sizewhen")


def test_a_mark_in_one_value_never_reaches_into_the_next() -> None:
    text = 'a;b\n1;"""x, y"\n2;"z"""\n3;"""p,q"", r"\n'
    _, rows, _ = run_all(text, READ, Split(column="b", delimiter="comma", names=("u", "v")))
    assert rows == [["1", '"x', "y"], ["2", 'z"', None], ["3", "p,q", "r"]]


def test_what_is_over_goes_into_rest_unless_that_is_taken() -> None:
    text = "a;b\n1;x y z\n2;p q;r\n"
    step = Split(column="b", delimiter="space", fields=2)
    with pytest.raises(InputError, match="line 3 has more than its columns could take already"):
        run_all(text.replace("p q", "p q s"), READ, step)
    report = Report()
    (piece,) = run_comb(Comb((READ, step)), [Decoded.of(text)], report)
    assert piece.table is not None
    assert [piece.table.rest(row) for row in range(2)] == ["z", "r"]


REFUSED = [
    ({"column": "b", "edges": (3,)}, "--column cuts single values"),
    ({"column": ("a", "b"), "delimiter": ","}, "several columns are cut in step only with"),
    ({"keep_original": True}, "--keep-original goes with --column"),
    ({"column": "b", "delimiter": ","}, "needs --names or --fields"),
    ({"column": "b"}, "the delimiter is still to be worked out"),
    ({"column": "b", "delimiter": ",", "names": ("x", "y"), "fields": 3}, "2 names for 3 columns"),
]


@pytest.mark.parametrize(("options", "said"), REFUSED, ids=[said for _, said in REFUSED])
def test_what_means_nothing_is_refused(options: dict[str, object], said: str) -> None:
    with pytest.raises(UsageError, match=said):
        run_all("a;b\n1;x,y\n", READ, Split(**options))


def test_steps_follow_one_another_and_survive_the_file() -> None:
    with pytest.raises(CombError, match="split reads a table, but the source is text"):
        Comb((Split(column="b", delimiter=",", fields=2),))
    steps = (READ, Split(column="size", delimiter="space", names=("tons", "unit")))
    comb = Comb(steps, "utf-8", part=Part("2-9", from_=("text:boat",), to=("Wren",)))
    again = parse_comb(render_comb(comb))
    assert (again.steps, again.part) == (comb.steps, comb.part)
    with pytest.raises(CombError, match="c:3: --lines takes a range"):
        parse_comb('wetcomb = 1\n[source]\nlines = "x"\n[[step]]\ndo = "split"\n', "c")


#: The upper line by itself, or under something else, is a record; blank lines and rules may stand between.
THREE = "Boat;Toll\nname;paid\n;EUR\nTansy;1\nBoat;Toll\nname;paid\nWren;2\nBoat;Toll\nname;paid\n;EUR\nRook;3\n"
PAGES = "Boat;Toll\nname;paid\nTansy;1\nBoat;Toll\n\fBoat;Toll\nname;paid\nname;paid\nWren;2\n Boat;Toll\n\n---\nname;paid\nRook;3\nBoat;Toll\n"


def read_pages(text: str, n_lines: int, size: int) -> tuple[list[list[str | None]], Report]:
    report = Report()
    comb = Comb((Split(delimiter=";", heading=n_lines, fields=0),))
    pieces = list(run_comb(comb, blocks_of(text, size), report))
    check(pieces, report)
    rows = [row for piece in pieces if piece.table is not None for row in piece.table.rows()]
    return rows, report


@pytest.mark.parametrize("size", [*range(1, 12), 1000])
def test_all_lines_of_a_heading_leave_where_they_come_again(size: int) -> None:
    rows, _ = read_pages(THREE, 3, size)
    assert rows == [
        ["Tansy", "1"],
        ["Boat", "Toll"],
        ["name", "paid"],
        ["Wren", "2"],
        ["Rook", "3"],
    ]
    rows, report = read_pages(PAGES, 2, size)
    assert rows == [
        ["Tansy", "1"],
        ["Boat", "Toll"],
        ["Wren", "2"],
        ["Rook", "3"],
        ["Boat", "Toll"],
    ]
    assert report.dropped_lines["heading-again"] == 5
