"""Shifted fields: what is certain is put back, what is not stays, and nothing goes missing."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from damage import TABLES, Damaged, Kind, damage, spoil
from laws import blocks_of, check, rows_of, run_comb, snags_of
from plain_readings import PlainReader
from wetcomb import Comb, InputError, Realign, Split, UsageError, WetCombError, draft
from wetcomb.combs.engine import run_blocks
from wetcomb.core.arrays import spread
from wetcomb.core.batch import Batch
from wetcomb.core.report import Report
from wetcomb.core.snags import SNAGS
from wetcomb.drafts.losses import take_away
from wetcomb.match.digests import Reader
from wetcomb.steps.realign.advice_sample import AdviceSample
from wetcomb.steps.realign.found import BestReadings, read_matrix
from wetcomb.steps.realign.laid_pieces import LaidPieces
from wetcomb.steps.realign.profiles import Bounds, PieceMatrix, Profile
from wetcomb.steps.realign.readings import IMPOSSIBLE

HEAD = "Day;Boat;Lock;Cargo;Tons;Toll"
SHAPES = ("Day=date", "Boat=words", "Tons={digits}.{1 digits}", "Toll={digits}.{2 digits}")
LISTS = ("Lock=Orrin,Lamb,Weir Gate", "Cargo=coal,slate,hay")
KNOWN: dict[str, Any] = {"shape": SHAPES, "values": LISTS, "optional": ("Cargo", "Tons")}
WHOLE = "02 Jun 2031;Brindle;Orrin;slate;20.1;7.03"


def realign(
    text: str, size: int = 1 << 20, split: Split | None = None, **options: Any
) -> tuple[list[Batch], Report]:
    """Split and realign a text in blocks of a size; check what every run must keep."""
    split = split or Split(delimiter=";", heading="first", fields=0)
    report = Report()
    pieces = list(run_comb(Comb((split, Realign(**options))), blocks_of(text, size), report))
    check(pieces, report)
    return pieces, report


def read_line(line: str, head: str = HEAD, **options: Any) -> tuple[list[str | None], list[str]]:
    """Return the cells (rest behind them) and the snags of the last line of a table."""
    pieces, _ = realign(f"{head}\n{line}\n", **options)
    rows, snags = rows_of(pieces), snags_of(pieces)
    return rows[-1], [SNAGS[kind].name for row, kind in snags if row == len(rows) - 1]


DAY = "03 Jun 2031"
#: A record, its cells (rest last), its snags; the options are `KNOWN` and these.
RECORDS: list[tuple[str, list[str | None], list[str], dict[str, Any]]] = [
    (WHOLE, [*WHOLE.split(";"), None], [], {}),
    (f"{DAY};Tansy;Orrin;20.1;7.03", [DAY, "Tansy", "Orrin", None, "20.1", "7.03", None], [], {}),
    (f"{DAY};Tansy;Orrin;1.50", [DAY, "Tansy", "Orrin", None, None, "1.50", None], [], {}),
    (f"{DAY};Tansy;Orrin;coal;20.1", [DAY, "Tansy", "Orrin", "coal", "20.1", None, None], [], {"optional": ("Toll",)}),
    ("Tansy;Orrin;coal;20.1;1.50", [None, "Tansy", "Orrin", "coal", "20.1", "1.50", None], [], {}),
    (f"{DAY};Lady;of;Lakes;Orrin;hay;2.0;1.50", [DAY, "Lady;of;Lakes", "Orrin", "hay", "2.0", "1.50", None], [], {"absorb": "Boat"}),
    (f"{DAY};Old;Regret;Orrin;1.50", [DAY, "Old;Regret", "Orrin", None, None, "1.50", None], [], {"absorb": "Boat"}),
    (f"{DAY};Old;Regret;Orrin;coal;1.50", [DAY, "Old;Regret", "Orrin", "coal", None, "1.50", None], [], {"absorb": "Boat"}),
    (f'{DAY};"A ""B""";"C";Lamb;hay;2.0;1.50', [DAY, '"A ""B""";"C"', "Lamb", "hay", "2.0", "1.50", None], [], {"absorb": "Boat", "shape": SHAPES[::2]}),
    # what is not certain stays as it was cut, and so does what no reading mends
    (f"{DAY};Tansy;coal;2.0;1.50;9", [DAY, "Tansy", "coal", "2.0", "1.50", "9", None], ["wrong-place"], {}),
    (f"{DAY};Tansy;Orrin;coal;n/a;1.50", [DAY, "Tansy", "Orrin", "coal", "n/a", "1.50", None], ["wrong-place"], {}),
    (f"{DAY};Tansy", [DAY, "Tansy", None, None, None, None, None], ["short"], {}),
    ("see the keeper", ["see the keeper", *[None] * 6], ["wrong-place"], {}),
    (f"{DAY};Tansy;Orrin;coal;20.1;1.50;paid;late", [DAY, "Tansy", "Orrin", "coal", "20.1", "1.50", "paid;late"], ["wrong-place"], {}),
    (";".join(["x"] * 70), [*["x"] * 6, ";".join(["x"] * 64)], ["wrong-place"], {}),
    (f";;{DAY};Tansy;Orrin;coal;2.0;1.50", [DAY, "Tansy", "Orrin", "coal", "2.0", "1.50", None], [], {}),
]  # fmt: skip


@pytest.mark.parametrize(
    ("line", "cells", "snags", "more"), RECORDS, ids=lambda value: str(value)[:40]
)
def test_a_record_is_read(
    line: str, cells: list[str | None], snags: list[str], more: dict[str, Any]
) -> None:
    assert read_line(line, **KNOWN | more) == (cells, snags)


OTHERS: list[tuple[str, str, list[str | None], list[str], dict[str, Any]]] = [
    # two dates, one of them lost: the order of the rising one tells, or nothing does
    ("Booked;Passed;Toll", "2031-02-01;2031-03-01;1\n2031-02-03;2031-03-09;2\n2031-03-05;3\n2031-02-07;2031-03-02;4", [], [], {"shape": ("Booked=date", "Passed=date", "Toll=digits"), "rising": "Booked"}),
    # all of one shape: nothing is certain
    ("A;B;C", "x;y\n1;2", [ "1", "2", None, None], ["wrong-place"], {"shape": ("A=any", "B=any", "C=any")}),
    # more headings than a record has pieces
    ("Boat;name;Toll", "Tansy;1.50", ["Tansy", "1.50", None, None], ["wrong-place"], {}),
    # dates of three words among names
    ("Day;Boat;Toll", "2 Jun 2031;Tansy;1.50", ["2 Jun 2031", "Tansy", "1.50", None], [], {"shape": ("Day=date", "Toll=number")}),
]  # fmt: skip


def test_the_order_of_a_rising_column_tells_which_date_is_missing() -> None:
    head, lines, _, _, options = OTHERS[0]
    pieces, _ = realign(f"{head}\n{lines}\n", **options)
    assert rows_of(pieces)[2] == [None, "2031-03-05", "3", None]
    assert not snags_of(pieces)
    inside = lines.replace("2031-03-05;3", "2031-02-05;3")  # it could be either
    assert len(snags_of(realign(f"{head}\n{inside}\n", **options)[0])) == 1


@pytest.mark.parametrize(("head", "lines", "cells", "snags", "options"), OTHERS[1:])
def test_other_tables(
    head: str, lines: str, cells: list[str | None], snags: list[str], options: dict[str, Any]
) -> None:
    assert read_line(lines, head, **options) == (cells, snags)


@pytest.mark.parametrize(("n_between", "n_snags"), [(999, 0), (1000, 1)])
def test_neighbours_are_looked_for_just_so_far(n_between: int, n_snags: int) -> None:
    lost = (
        "2031-03-05;3\n" + "odd\n" * n_between
    )  # the date is one of two; the next record that fits tells
    text = f"Booked;Passed;Toll\n2031-02-01;2031-03-01;1\n{lost}2031-02-07;2031-03-02;4\n"
    options: dict[str, Any] = OTHERS[0][4]
    for size in (1 << 20, 700):
        pieces, _ = realign(text, size, **options)
        assert sum(row == 1 for row, _ in snags_of(pieces)) == n_snags


def test_a_date_of_three_words_is_put_together() -> None:
    split = Split(delimiter="space", heading="first", fields=0)
    text = "Day Boat Cargo Toll\n2 Jun 2031 Tansy coal 1.50\n3 Jun 2031 Old Regret 2.50\n"
    pieces, report = realign(
        text, split=split, shape=("Day=date", "Boat=words", "Toll=number"), values="Cargo=coal,hay",
        optional="Cargo", absorb=("Day", "Boat"),
    )  # fmt: skip
    assert rows_of(pieces) == [
        ["2 Jun 2031", "Tansy", "coal", "1.50", None],
        ["3 Jun 2031", "Old Regret", None, "2.50", None],
    ]
    assert report.moved == 2 and not report.snags


@pytest.mark.parametrize(
    ("line", "name"),
    [("7 Ada Marl mate", "Ada Marl"), ("7 Ada van Marl", "Ada van Marl"), ("7 Ada de la Marl mate", "Ada de la Marl"),
     ("7 Ada Bea de la Marl Rusk mate", "Ada Bea de la Marl Rusk"), ("7 van Marl mate", "van Marl"), ("7 van", "van")],
)  # fmt: skip
def test_names_of_several_words_with_particles(line: str, name: str) -> None:
    pieces, _ = realign(
        f"No Name Trade\n1 Ada mate\n{line}\n", split=Split(delimiter="space", heading="first", fields=0),
        shape=("No=digits", "Name=words"), values="Trade=mate,keeper", optional="Trade", absorb="Name",
        particles=("van", "de la"),
    )  # fmt: skip
    trade = "mate" if line.endswith("mate") else None
    assert rows_of(pieces)[1] == ["7", name, trade, None] and not snags_of(pieces)


@pytest.mark.parametrize(
    ("prefer", "cells"),
    [
        ("", None),
        ("optional", ["Ada", "May", "Marl;Rusk", "9", None]),
        ("absorb", ["Ada", None, "May;Marl;Rusk", "9", None]),
    ],
)
def test_one_of_two_ways_is_preferred(prefer: Any, cells: list[str | None] | None) -> None:
    found, snags = read_line(
        "Ada;May;Marl;Rusk;9", "Name;Middle;Family;No", optional="Middle", absorb="Family", prefer=prefer,
        shape=("Name=words", "Middle=words", "Family=words", "No=digits"),
    )  # fmt: skip
    assert (snags == ["wrong-place"]) if cells is None else ((found, snags) == (cells, []))


# Cells shifted by hand


def test_a_shift_holds_where_its_text_stands() -> None:
    text = f"{HEAD}\n{WHOLE}\n{DAY};Tansy;Orrin;1.50\n"
    pieces, report = realign(text, shift="3:Cargo:2")
    assert rows_of(pieces)[1] == [DAY, "Tansy", "Orrin", None, None, "1.50", None]
    assert not report.snags
    split = Split(delimiter=";", heading="first", fields=0)
    comb = Comb((split, Realign(shift="3:Cargo:2"))).remember(report.remembered, "")
    assert comb.run(text).rows() == [row[:-1] for row in rows_of(pieces)]
    stale = comb.run(text.replace("1.50", "2.50"))
    assert [SNAGS[kind].name for kind in stale.snags.kinds] == ["wrong-place", "stale"]
    shorter = Report()
    list(run_comb(comb, blocks_of(f"{HEAD}\n{WHOLE}\n", 99), shorter))
    assert shorter.notes == ("--shift 3:Cargo:2 was not used: no record stands in line 3",)
    twice, _ = realign(text, shift=("3:Cargo:1", "3:Tons:1"))
    assert rows_of(twice) == rows_of(pieces)
    back, _ = realign(f"{HEAD}\n{DAY};Tansy;;;Orrin;coal;1.50\n", shift="2:Cargo:-1")
    assert rows_of(back)[0] == [DAY, "Tansy", "", "Orrin", "coal", "1.50", None]


def test_options_that_do_nothing_are_noted() -> None:
    _, report = realign(f"{HEAD}\n{WHOLE}\n", optional="Cargo", rising=("Day", "Boat"))
    assert report.notes == (
        "--optional Cargo: every record has one",
        "--rising Boat: none of its values has a place in an order",
    )


#: Records of every kind: sound, without a boat (its name made of a doubled mark), with two, with four.
MANY = "".join(
    [
        f'0{day} Jun 2031;{boat}"Or""in";{"slate;20.1;" if day % 3 else "hay;"}7.0{day}\n'
        for day in range(1, 10)
        for boat in ("Tansy;", "Brin;", "", "Old;Regret;", '"M;""o""";Carey;van;Dee;')
    ]
)


LITTLE: dict[str, Any] = {
    "shape": ("Day=date", "Tons=number", "Toll=number"),
    "values": 'Lock=Or"in,Orrin',
}


def test_what_advice_promises_comes_true() -> None:
    text = f"{HEAD}\n{WHOLE}\n{MANY}"
    before, report = realign(text, **LITTLE)
    odd = {row for row, _ in snags_of(before)}
    for (_, option), (settled, _) in report.advice.items():
        flag, name = option.removeprefix("--").split(" ")
        after, _ = realign(text, **LITTLE | {flag: name})
        assert settled == len(odd - {row for row, _ in snags_of(after)}), option
    assert sorted(report.advice.values()) == [(9, 0), (9, 0), (12, 0)]


@pytest.mark.parametrize("size", [300, 5000])
def test_advice_is_tried_on_the_first_odd_records_wherever_the_text_is_cut(size: int) -> None:
    text = f"{HEAD}\n{WHOLE}\n{MANY * 16}"
    _, whole = realign(text, **LITTLE)
    _, parts = realign(text, size, **LITTLE)
    assert parts.advice == whole.advice
    assert 100 < whole.advice["wrong-place", "--optional Tons"][0] < 9 * 16


def test_only_the_first_are_kept_to_try() -> None:
    spans = np.arange(300)[None, :]
    follows = np.zeros(spans.shape, np.bool_)
    reader = Reader(np.zeros(301, np.uint8))
    matrix = PieceMatrix(reader, spans, spans + 1, spans, spans + 1, follows, Bounds({}, {}))
    even, odd = np.arange(0, 300, 2), np.arange(1, 300, 2)
    parts = [(even, matrix.take(even)), (odd, matrix.take(odd))]
    kept, later = AdviceSample(), AdviceSample()
    for _ in range(3):
        kept.add(parts)
    assert sorted(np.concatenate([places for places, _ in kept.parts]).tolist()) == [*range(400)]
    later.add([(np.arange(7), matrix.take(even[:7]))])
    later.add(kept.parts)
    assert later.room == 0 and max(int(places[-1]) for places, _ in later.parts) == 399
    assert [b.starts.shape for b in later.list_matrices()] == [(1, 400)]


BAD: list[tuple[dict[str, Any], str]] = [
    ({"optional": "Crgo"}, "--optional: there is no column 'Crgo'; nearest: 'Cargo'"),
    ({"shape": "Toll=numbr"}, "unknown shape 'numbr'; nearest: 'number'"),
    ({"shape": ("Toll=number", "Toll=digits")}, "says two things of 'Toll'"),
    ({"shape": "Cargo=digits", "values": "Cargo=1,coal"}, "'coal' is listed for 'Cargo', but is not of its shape 'digits'"),
    ({"values": "Cargo"}, "--values is NAME=VALUE, found 'Cargo'"),
    ({"prefer": "absorb"}, "name both"),
    ({"shift": "3-Cargo-2"}, "--shift is LINE:COLUMN:N, found '3-Cargo-2'"),
    ({"shift": ("3:Cargo:1", "3:Cargo:1")}, "is given twice"),
    ({"shift": "9:Cargo:1"}, "9: --shift 9:Cargo:1: no record stands there"),
    ({"shift": "2:Lock:-1"}, "2: --shift 2:Lock:-1: the cells to the left of Lock are not empty"),
    ({"shift": "2:Lock:1"}, "2: --shift 2:Lock:1: the last cells would leave the table"),
]  # fmt: skip


@pytest.mark.parametrize(("options", "message"), BAD, ids=lambda value: str(value)[:40])
def test_bad_options_are_told(options: dict[str, Any], message: str) -> None:
    with pytest.raises((UsageError, InputError)) as error:
        realign(f"{HEAD}\n{WHOLE}\n", **options)
    assert message in str(error.value)


# Laws

#: Records that meet all there is: lost and surplus pieces, quote marks, empty pieces, other lines.
lines = st.lists(
    st.lists(
        st.sampled_from(
            ["02 Jun 2031", "9 May 2031", "Tansy", "Old Regret", "Orrin", "coal", "hay", "2.5", "1.50", "",
             '"a;b"', '"x ""y"""', "van", "é漢"]
        ),
        min_size=1,
        max_size=9,
    ).map(";".join),
    max_size=12,
)  # fmt: skip
ANY_OPTIONS: list[dict[str, Any]] = [
    KNOWN,
    KNOWN | {"absorb": ("Boat", "Day"), "rising": ("Day",), "particles": "van"},
    {"optional": ("Tons",), "absorb": ("Toll",), "margin": 1},
    {"shape": ("Day=date",), "rising": ("Day",), "optional": ("Day",), "values": LISTS},
]


@settings(max_examples=20, deadline=None)
@given(found=lines, size=st.integers(20, 400), options=st.sampled_from(ANY_OPTIONS))
def test_nothing_is_lost_and_chunks_do_not_matter(
    found: list[str], size: int, options: dict[str, Any]
) -> None:
    text = "\n".join([HEAD, WHOLE, *found]) + "\n"
    whole, said = realign(text, **options)
    parts, also = realign(text, size, **options)
    assert rows_of(parts) == rows_of(whole) and snags_of(parts) == snags_of(whole)
    assert (also.advice, also.notes) == (said.advice, said.notes)
    bare = run_comb(
        Comb((Split(delimiter=";", heading="first", fields=0),)), blocks_of(text, size), Report()
    )
    assert list(map(letters_of, rows_of(parts))) == list(map(letters_of, rows_of(list(bare))))


def letters_of(row: list[str | None]) -> str:
    """All of a record but its delimiters and quote marks."""
    return re.sub('[;"]', "", "".join(filter(None, row)))


pieces_of_records = st.lists(
    st.lists(
        st.sampled_from(["a", "b c", "1", "2.5", "9 May 2031", "x", ""]), min_size=1, max_size=7
    ),
    min_size=1,
    max_size=6,
)
PLAIN_OPTIONS: list[dict[str, Any]] = [
    {},
    {"shape": ("A=digits", "B=words"), "optional": ("C",), "absorb": ("B",)},
    {"shape": ("A=word", "C=number", "D=date"), "values": ("B=x,a",), "absorb": ("C", "D"), "optional": ("A", "D")},
    {"shape": ("B=any",), "values": ("A=a;x,x", "D=1"), "absorb": ("A", "B"), "optional": ("B",), "prefer": "absorb"},
    {"shape": ("A=words", "B=words"), "absorb": ("A", "B"), "optional": ("B", "C"), "prefer": "optional"},
]  # fmt: skip


@settings(max_examples=200, deadline=None)
@given(records=pieces_of_records, options=st.sampled_from(PLAIN_OPTIONS))
def test_readings_agree_with_the_plain_version(
    records: list[list[str]], options: dict[str, Any]
) -> None:
    names = ["A", "B", "C", "D"]
    step = Realign(**options)
    found = read_pieces(step, names, records)
    plain = PlainReader(step, names, ";")
    for place, pieces in enumerate(records):
        best = plain.read(pieces)
        costs = [reading.cost for reading in best] + [IMPOSSIBLE] * (2 - len(best))
        assert [
            min(found.costs[place], IMPOSSIBLE),
            min(found.next_costs[place], IMPOSSIBLE),
        ] == costs
        mine = tuple(found.takes[place].tolist())
        if best and costs[0] < costs[1]:
            assert (int(found.skipped[place]), mine) == (best[0].skipped, best[0].takes)


def read_pieces(step: Realign, names: list[str], records: list[list[str]]) -> BestReadings:
    """Read records given as pieces, semicolons between them, all at once."""
    text = ";".join(piece for pieces in records for piece in pieces)
    lengths = np.array([len(piece) for pieces in records for piece in pieces])
    starts = np.cumsum(lengths + 1) - lengths - 1
    counts = np.array(list(map(len, records)))
    offsets = np.concatenate([[0], np.cumsum(counts)])
    follows, ends = np.ones(starts.size, np.bool_), starts + lengths
    follows[offsets[:-1]] = False
    laid = LaidPieces(np.arange(counts.size), offsets, starts, ends, starts, ends, follows)
    assert (spread(counts)[0] == np.repeat(laid.rows, counts)).all()
    found = BestReadings.none(counts.size, len(names))
    reader, profile = Reader(np.frombuffer(text.encode(), np.uint8)), Profile(step, names)
    for number in np.unique(counts).tolist():
        places = np.flatnonzero(counts == number)
        found.put(places, read_matrix(profile, laid.matrix(reader, places, number, Bounds({}, {}))))
    return found


def stated(kind: Kind) -> Comb:
    """The comb with all that is known of a kind of table."""
    split = Split(delimiter=";", heading="first", fields=0)
    return Comb((split, Realign(optional=kind.optional, absorb=kind.absorb, **kind.options)))


def find_wrong(comb: Comb, made: Damaged) -> list[int]:
    """Records that are not as they should be, without a snag."""
    table = comb.run(made.text)
    snags = set(table.snags.records.tolist())
    rows = [[value or "" for value in row] for row in table.rows()]
    return [row for row, true in enumerate(made.rows) if rows[row] != true and row not in snags]


@pytest.mark.parametrize("kind", TABLES, ids=lambda kind: kind.name)
def test_damaged_tables_are_mended(kind: Kind) -> None:
    made = damage(kind, 400, 0.2, 7)
    for comb in (stated(kind), draft(made.text)):
        assert not find_wrong(comb, made)
        rows = [[value or "" for value in row] for row in comb.run(made.text).rows()]
        n_mended = sum(rows[k] == made.rows[k] for k, odd in enumerate(made.is_damaged) if odd)
        assert n_mended >= 0.95 * sum(made.is_damaged)


@pytest.mark.parametrize("kind", TABLES, ids=lambda kind: kind.name)
def test_what_no_option_foresees_is_a_snag_or_right(kind: Kind) -> None:
    made = spoil(kind, 250, 0.3, 3)
    for comb in (stated(kind), draft(made.text)):
        assert not find_wrong(comb, made)


#: Tables of few records, where what is seen of one column could be taken for another one's gap.
SMALL = [
    (damage, "crew", 150, 0.1, 1),
    (damage, "meters", 150, 0.2, 3),
    (spoil, "permits", 150, 0.3, 0),
    (spoil, "permits", 150, 0.2, 3),  # the at signs of its addresses part nothing
    (spoil, "account", 250, 0.3, 9),
]


@pytest.mark.parametrize(("make", "name", "n_records", "share", "seed"), SMALL)
def test_a_draft_blames_no_column_for_another(
    make: Callable[..., Damaged], name: str, n_records: int, share: float, seed: int
) -> None:
    kind = next(kind for kind in TABLES if kind.name == name)
    made = make(kind, n_records, share, seed)
    comb = draft(made.text)
    assert isinstance(comb.steps[-1], Realign) and not find_wrong(comb, made)


def test_a_step_is_tried_on_records_whose_cells_were_taken_away() -> None:
    """Lost Paid looks like a lost Ref where Paid may hold a code: what is believed of Ref alone is wrong."""
    text = "Posted;Ref;Paid;Remark\n" + "".join(
        f"2031-05-{n:02};R{n};{n}.50;Gate stiff\n" for n in range(1, 6)
    )
    table = Comb((Split(delimiter=";", heading="first", fields=0),)).run(text)
    losses = take_away(table, np.arange(5))
    assert losses.table.n_records == 5 * (
        4 + 6 + 3 + 3
    )  # one lost, two lost, the same with Remark in two
    loose = Realign(shape=("Posted=date", "Ref=R{digits}", "Paid=code", "Remark=words"))
    tight = replace(loose, shape=("Posted=date", "Ref=R{digits}", "Paid=number", "Remark=words"))
    believed = {"optional": ("Ref",)}
    assert (
        losses.try_step(loose).n_wrong == losses.try_step(replace(tight, **believed)).n_wrong == 0
    )
    blamed = losses.try_step(replace(loose, **believed))
    assert blamed.n_wrong and (blamed.settled & blamed.right).any()


@pytest.mark.parametrize(
    ("slide", "tolls"),
    [
        ("4:Toll:-1", ["4", "5", "6", None, None]),
        ("2:Toll:1", [None, "4", None, "5", "6"]),
        ("5:Toll:1", ["4", "", "5", None, "6"]),
        ("4:Toll:2", "the last values would leave the table; it ends 1 records too early"),
        ("2:Toll:-1", "the cells above are not empty"),
        ("4:Toll:-2", "the cells above are not empty"),
        ("9:Toll:1", "no record begins there"),
        ("6:Toll:-1", "nothing stands in it from there on"),
        ("2:Tol:1", "there is no column 'Tol'; nearest: 'Toll'"),
    ],
)
@pytest.mark.parametrize("size", [7, 1000])
def test_values_slide_to_other_records(
    slide: str, tolls: list[str | None] | str, size: int
) -> None:
    text = "No;Boat;Toll\n1;Tansy;4\n2;Heron;\n3;Wren;5\n4;Rook;6\n5;Coot;\n"
    steps = (Split(delimiter=";", heading="first", fields=0), Realign(slide=slide))
    report = Report()
    if isinstance(tolls, str):
        with pytest.raises(WetCombError, match=tolls):
            list(run_blocks(steps, blocks_of(text, size), report))
        return
    made = list(run_blocks(steps, blocks_of(text, size), report))
    assert [row[2] for row in rows_of(made)] == tolls
    assert len(report.notes) == 1 and slide in report.notes[0]
