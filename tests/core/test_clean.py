"""The last hand on a table: values, dates, numbers, repeats, columns, what must hold."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from laws import blocks_of, check, run_comb
from wetcomb import Clean, Comb, Split, UsageError
from wetcomb.core.errors import InputError
from wetcomb.core.report import Report
from wetcomb.steps.clean.dates import DateReading
from wetcomb.steps.clean.numbers import NumberReading

Rows = list[list[str | None]]
SPLIT = Split(delimiter=";", heading="first", fields=0)


def clean(text: str, size: int = 1 << 20, **options: Any) -> tuple[list[str], Rows, Report]:
    report = Report()
    comb = Comb((SPLIT, Clean(**options)))
    pieces = list(run_comb(comb, blocks_of(text, size), report))
    # what is left of a value may have gaps in the source; glue says only that it may have some
    check(pieces, report, is_together=not (options.keys() & {"carry", "sort", "fix"}), glue="\0")
    tables = [piece.table for piece in pieces if piece.table is not None]
    return list(tables[0].names), [row for table in tables for row in table.rows()], report


#: Options, values of a column, what they become; None for one that is a snag and stands as it was.
VALUES: dict[str, tuple[dict[str, Any], list[tuple[str, str | None]]]] = {
    "spacing at edges": ({}, [(" a ", "a"), ("\tb  c", "b  c"), ("  ", "")]),
    "one blank": ({"one_space": True}, [("a  b \t c", "a b c"), ("a", "a")]),
    "quote marks": ({"unquote": True}, [("“a”", "a"), ("« b »", "b"), ("'c'", "c"), ("'d", "'d"), ("„e“", "e"), ("‘’", "")]),
    "marks at edges": ({"strip": "a=*†"}, [("*x*y†*", "x*y"), ("**", ""), (" * z", "z")]),
    "marks anywhere": ({"take_out": "a=~-"}, [("x~y--z", "xyz"), ("~", ""), ("é~é", "éé")]),
    "a pattern replaced": ({"replace": "a:Top Lk=Top Lock"}, [("Top Lk 3", "Top Lock 3"), ("Top", "Top")]),
    "fields of a pattern in another order": (
        {"replace": "a:{words as last}, {word as first}={first} {last}"},
        [("Mårsh, Ada", "Ada Mårsh"), ("Orrin", None)],
    ),
    "fields of a regular expression": (
        {"replace": r"a:regex:^(?P<a>[^\W\d_])[^ ]* (?P<b>.)?={a}.{b}."},
        [("Ådne Marsh", "Å.M.arsh"), ("Zoë", None)],
    ),
    "a pattern taken out": ({"replace": "a:{digits}="}, [("x12y3", "xy"), ("7", "")]),
    "capitals": ({"letters": "a=initials"}, [("old REGRET-two", "Old Regret-Two"), ("ß", "SS")]),
    "a first capital": ({"letters": "a=first"}, [("oLD b", "Old b")]),
    "words for nothing": ({"missing": ("nil", "-")}, [("nil", ""), ("-", ""), ("--", "--")]),
    "numbers": ({"number": "a=1.234,56"}, [("1.234,50", "1234.50"), ("12", "12"), ("-0,5", "-0.5"), ("\u22122", "-2"), ("1.2", None), ("x", None)]),
    "numbers in brackets": ({"number": "a=(1,234.5)"}, [("(1,000.25)", "-1000.25"), ("3", "3"), ("(4", None)]),
    "numbers in blanks": ({"number": "a=1 234 567"}, [("9\u00a0984\u202f670", "9984670"), ("12 34", None)]),
    "a minus behind": ({"number": "a=12.50-"}, [("3-", "-3"), ("3.10", "3.10")]),
    "credit": ({"number": "a=12.50 CR"}, [("3.00 CR", "-3.00"), ("2.00 DR", "2.00"), ("cr 4", "-4"), ("5DR", "5"), ("-5 CR", None), ("6 EUR", None), ("7", "7")]),
    "per cent": ({"number": "a=12,5 %"}, [("3,25 %", "3.25"), ("4", "4"), ("5 t", None)]),
    "a currency": ({"number": "a=4,50 EUR"}, [("EUR 3,20", "3.20"), ("3,20 USD", None)]),
    "examples in turn": ({"number": "a=1.234,5|1,234.50"}, [("2,5", "2.5"), ("1,200.00", "1200.00")]),
    "digits of another script": ({"number": "a=1.5"}, [("١٢.٥", "12.5")]),
    "dates": ({"date": "a=31.12.24"}, [("01.02.31", "2031-02-01"), ("1. 2. 71", "1971-02-01"), ("31.02.31", None), ("1.2.2031", None)]),
    "dates by name": ({"date": "a=31 Dec 2024"}, [("2 June 2031", "2031-06-02"), ("3. März 1999", None), ("3 Márz 1999", None), ("4 mai 2031", "2031-05-04")]),
    "dates of a language": ({"date": "a=3. März 2024", "month_names": "de"}, [("7. Okt. 2031", "2031-10-07"), ("7. lis 2031", None)]),
    "dates with a time": ({"date": "a=2024-12-31 14:56", "date_mark": "T"}, [("2031-02-13 7:05", "2031-02-13T07:05"), ("2031-02-13 00:60", None)]),
    "half days": ({"date": "a=12/31/2024 2:56 pm"}, [("1/2/2031 12:05 am", "2031-01-02 00:05"), ("1/2/2031 13:05 am", None)]),
    "years by a pivot": ({"date": "a=31.12.24", "first_year": 1930}, [("1.1.30", "1930-01-01"), ("1.1.29", "2029-01-01")]),
}  # fmt: skip


@pytest.mark.parametrize(("options", "values"), VALUES.values(), ids=VALUES)
@pytest.mark.parametrize("size", [7, 1 << 20])
def test_values(options: dict[str, Any], values: list[tuple[str, str | None]], size: int) -> None:
    text = "a;b\n" + "".join(f"{value};x\n" for value, _ in values)
    _, rows, report = clean(text, size, **options)
    assert [row[0] for row in rows] == [v if new is None else new for v, new in values]
    assert report.snagged_records == sum(new is None for _, new in values)


#: Options, a table, the table it becomes.
TABLES: dict[str, tuple[dict[str, Any], str, str]] = {
    "carry": ({"carry": ("a", "b")}, "a;b;c\nH;x;1\n;;2\n;y;3\nO;;4\n;z;5\n", "a;b;c\nH;x;1\nH;x;2\nH;y;3\nO;;4\nO;z;5\n"),
    "repeats": ({"drop_repeats": True}, "a;b\n1;x\n1;x\n1;y\n1;x\n", "a;b\n1;x\n1;y\n"),
    "repeats by a key, first": ({"drop_repeats": True, "by": "a", "repeat_kept": "first"}, "a;b\n1;x\n2;y\n1;z\n", "a;b\n1;x\n2;y\n"),
    "repeats by a key, last": ({"drop_repeats": True, "by": "a", "repeat_kept": "last"}, "a;b\n1;x\n2;y\n1;z\n", "a;b\n2;y\n1;z\n"),
    "repeats but for case and spacing": ({"drop_repeats": True, "ignore_case": True, "ignore_spacing": True}, "a\nT b\ntB\nT c\n", "a\nT b\nT c\n"),
    "records by line": ({"drop_records": ("2", "4-5")}, "a\nx\ny\nz\nw\nv\n", "a\ny\nv\n"),
    "records by a pattern": ({"drop_matching": "Sum{any}"}, "a;b\nx;1\nSum;1\n", "a;b\nx;1\n"),
    "by hand": ({"fix": "2:b=9"}, "a;b\nx;1\ny;1\n", "a;b\nx;9\ny;1\n"),
    "by hand, blank before": ({"fix": '2:"b"=9'}, "a;b\nx;\n", "a;b\nx;9\n"),
    "called otherwise": ({"rename": ("a=A", "b=a")}, "a;b\nx;1\n", "A;a\nx;1\n"),
    "only some": ({"only": ("b", "a")}, "a;b;c\nx;1;2\n", "b;a\n1;x\n"),
    "without some": ({"without": "2"}, "a;b;c\nx;1;2\n", "a;c\nx;2\n"),
    "some first": ({"column_order": "c"}, "a;b;c\nx;1;2\n", "c;a;b\n2;x;1\n"),
    "sorted by value": ({"number": "a=1.5", "sort": "a"}, "a;b\n10;x\n9;y\nz;z\n9.0;w\n", "a;b\nz;z\n9;y\n9.0;w\n10;x\n"),
    "sorted by text, down": ({"sort": ("-a", "b")}, "a;b\nB;2\na;1\nB;1\n", "a;b\nB;1\nB;2\na;1\n"),
    "units apart": ({"number": "a=1,5 t", "currency": "column"}, "a;b\n2,5 kg;x\nt 3;y\n4;z\n", "a;a-unit;b\n2.5;kg;x\n3;t;y\n4;;z\n"),
}  # fmt: skip


@pytest.mark.parametrize(("options", "text", "expected"), TABLES.values(), ids=TABLES)
@pytest.mark.parametrize("size", [5, 1 << 20])
def test_tables(options: dict[str, Any], text: str, expected: str, size: int) -> None:
    names, rows, _ = clean(text, size, **options)
    lines = [names, *([value or "" for value in row] for row in rows)]
    assert "".join(";".join(line) + "\n" for line in lines) == expected


MUSTS = [
    ("records=3", "records=2", "there are 3"),
    ("fields=2", "fields=3", "there are 2"),
    ("sum b=6.5", "sum b=6", "it is 6.5"),
    ("unique a", "unique c", None),
    ("rising b", "rising a", "1 record does not, first in line 4"),
    ("a in x,y,z", "a in x,y", "1 record does not, first in line 3"),
]


@pytest.mark.parametrize(("holds", "broken", "said"), MUSTS)
def test_what_must_hold(holds: str, broken: str, said: str | None) -> None:
    text = "a;b\nx;1.5\nz;2\ny;3.0\n"
    assert not clean(text, 6, must=holds)[2].broken
    if said is None:
        with pytest.raises(UsageError, match="--must: there is no column 'c'"):
            clean(text, must=broken)
    else:
        assert clean(text, 6, must=broken)[2].broken == (f"{broken}: {said}",)


def test_a_blank_cell_where_all_must_be_filled() -> None:
    assert clean("a;b\nx;\n;1\n", must="filled b")[2].broken == ("filled b: 1 record does not, first in line 2",)  # fmt: skip


def test_repeats_that_differ_are_snags() -> None:
    _, rows, report = clean("a;b\n1;x\n1;y\n1;x\n", drop_repeats=True, by="a")
    assert rows == [["1", "x"], ["1", "y"]] and report.snags == {"repeat-differs": 1}
    assert (
        "1 repeat dropped, 2 records left; 1 have the key of another and differ: line 3 from line 2 in b"
        in report.notes
    )


def test_near_repeats_and_the_seam_of_two_pastes_are_told() -> None:
    rows = [f"{k};B{k}\n" for k in range(6)]
    _, kept, report = clean(
        "a;b\n" + "".join(rows[:5] + rows[2:] + ["5;b5\n"]), 9, drop_repeats=True
    )
    assert len(kept) == 7
    told = " ".join(report.notes)
    assert "3 records from line 7 on repeat others in the same order: two pastes overlap" in told
    assert (
        "1 record differs from another in capitals or spacing only: line 11 from line 10 in b; --ignore-case"
        in told
    )


def test_a_fix_holds_only_where_the_same_stands() -> None:
    _, rows, report = clean("a;b\nx;1\n", fix="2:b=9 (was 2)")
    assert rows == [["x", "1"]] and report.snags == {"stale": 1}
    _, rows, report = clean("a;b\nx;1\n", fix="2:b=9")
    assert report.remembered == {"2:b=9": "1"} and report.ledger.altered == 1
    kept = Clean(fix="2:b=9", must=("records=1", "unique a")).remember(report.remembered, "d")
    assert kept == Clean(fix="2:b=9 (was 1)", fix_source="d", must="unique a")
    assert kept.untie("d") is kept and kept.untie("e") == Clean(must="unique a")
    assert Clean(must="records=1").remember({}, "") is None


def test_what_is_converted_is_told_with_its_sum() -> None:
    _, _, report = clean("a;b\n1,5;1\n1,5;1\n2;1\nx;2\n", number="a=1,5", drop_repeats=True)
    assert "a: 2 numbers, sum 3.5, from 1.5 to 2; 1 did not convert" in report.notes
    _, _, report = clean("a;b\n*1;1\n1*2;1\n", take_out="a=*")
    assert "--take-out a=*: at the edge of 1, inside 1 ('1*2')" in report.notes


@pytest.mark.parametrize(
    ("options", "said"),
    [
        ({"number": "a=1.234"}, "can be read in two ways"),
        ({"number": "a=x"}, "is no number"),
        ({"number": "a=1.23.4"}, "groups that are not of three digits"),
        ({"number": "1,5"}, "it takes NAME=VALUE"),
        ({"date": "a=06/02/2031"}, "can be read in two ways"),
        ({"date": "a=31.02.2024"}, "no such day or time"),
        ({"date": "a=soon"}, "is no date"),
        ({"date": "a=31.12.24", "number": "a=1.5"}, "converted twice"),
        ({"number": "a=1.5", "as_text": "a"}, "--number converts that column"),
        ({"letters": "a=big"}, "is none of upper lower first initials"),
        ({"month_names": "xx"}, "unknown language"),
        ({"by": "a"}, "go with --drop-repeats"),
        ({"only": "a", "without": "b"}, "contradict it"),
        ({"drop_records": "4-2"}, "takes source lines"),
        ({"fix": "b=1"}, "takes LINE:COLUMN=VALUE"),
        ({"must": "all is well"}, "it takes records=26"),
        ({"rename": "a=b"}, "two columns would be called 'b'"),
        ({"rename": "a=z", "sort": "a"}, "there is no column 'a'"),
        ({"rename": "a=z", "only": "a"}, "'a' is called 'z' by --rename"),
        ({"without": ("a", "b")}, "leaves no column"),
        ({"number": "c=1.5"}, "there is no column 'c'"),
        ({"replace": "a=b"}, "it takes NAME:OLD=NEW"),
        ({"replace": "a:{word as w}={v}"}, "{v} is no field of the pattern '{word as w}'; it names: w"),
    ],
)  # fmt: skip
def test_options_that_mean_nothing(options: dict[str, Any], said: str) -> None:
    with pytest.raises(UsageError, match=said):
        clean("a;b\n1;2\n", **options)


@pytest.mark.parametrize("options", [{"fix": "9:b=1"}, {"drop_records": "9"}])
def test_lines_where_no_record_stands(options: dict[str, Any]) -> None:
    with pytest.raises(InputError, match="no record stands there"):
        clean("a;b\n1;2\n", **options)


CELLS = st.sampled_from(["", " ", "a", " a", "*a*", '"q"', "1,5", "1.000,5 EUR", "31.12.24", "3 Dec 2024", "é ~ é", "nil", "x  y"])  # fmt: skip
CHOICES = [
    {"number": "a=1.234,5 EUR"}, {"date": "a=31.12.24|3 Dec 2024"}, {"strip": "a,b=*~"}, {"take_out": "a=~a"},
    {"one_space": True, "unquote": True}, {"carry": "a"}, {"drop_repeats": True, "ignore_case": True},
    {"missing": "nil", "letters": "b=upper"}, {"rename": "a=A", "without": "b"}, {"number": "a=1,5 EUR", "currency": "column"},
    {"replace": "a:a=zz", "strip": "a=z"}, {"carry": "a", "drop_repeats": True, "number": "a=1.234,5"},
    {"letters": "a=upper", "take_out": "a=A"}, {"replace": "a:{digits as d},{digits as e}={e}.{d}"},
    {"replace": r"b:regex:^(?P<a>[^ ]*) *(?P<b>.*)$={b} {a}", "letters": "b=upper"},
]  # fmt: skip


@settings(max_examples=200, deadline=None)
@given(st.lists(st.tuples(CELLS, CELLS), min_size=1, max_size=12), st.sampled_from(CHOICES))
def test_nothing_is_lost_and_chunks_never_matter(
    cells: list[tuple[str, str]], options: dict[str, Any]
) -> None:
    text = "a;b\n" + "".join(f"{a};{b}\n" for a, b in [("x", "y"), *cells])
    whole = clean(text, **options)
    for size in (3, 17):
        assert clean(text, size, **options)[:2] == whole[:2]


@settings(max_examples=300, deadline=None)
@given(
    st.decimals(
        allow_nan=False, allow_infinity=False, places=2, min_value=-(10**9), max_value=10**9
    )
)
def test_numbers_come_back_as_they_were(number: Any) -> None:
    text = f"{number:,.2f}".replace(",", "\0").replace(".", ",").replace("\0", ".")
    read = NumberReading("1.234,56").read(text)
    assert read is not None and read.text == f"{number:.2f}"


@settings(max_examples=300, deadline=None)
@given(st.dates())
def test_dates_come_back_as_they_were(date: Any) -> None:
    for written, example in (
        (f"{date.day}.{date.month}.{date.year:04d}", "31.12.2024"),
        (f"{date.month:02d}/{date.day:02d}/{date.year:04d}", "12/31/2024"),
    ):
        assert DateReading(example, (), 1970, " ").read(written) == date.isoformat()
