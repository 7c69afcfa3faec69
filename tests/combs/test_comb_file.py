"""Comb files: exact places for errors, nothing lost on a round trip."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wetcomb import Comb, CombError, Fits, Split, UsageError, parse_comb, render_comb

GOOD = """\
wetcomb = 1  # first

# why: the ruler says so
[[step]]
do = "split"
delimiter = ["comma"]
heading = "first"
"""

#: What is put in place of a part of the good comb, and what is told.
BAD = [
    ("wetcomb = 1", "wetcomb = 7", "c:1: a comb begins with 'wetcomb = 1', found 7"),
    ("wetcomb = 1", "", "c:1: a comb begins with 'wetcomb = 1', found 'nothing'"),
    ("[[step]]", "[[setp]]", "c:4: unknown key 'setp'; nearest: 'step'"),
    ("[[step]]", "[step]", "c:4: a comb needs at least one [[step]]"),
    ('do = "split"', 'do = "splt"', "c:5: unknown step 'splt'; nearest: 'split'"),
    ('do = "split"\n', "", "c:4: a step needs do = \"split\""),
    ("delimiter", "delimitr", "c:6: unknown option 'delimitr' of split; nearest: 'delimiter'"),
    ('["comma"]', "[1]", "c:6: option 'delimiter' of split: expected str, got int, found [1]"),
    ('["comma"]', "5", "c:6: option 'delimiter' of split: expected str | array, got int, found 5"),
    ('["comma"]', "[]", "c:4: no delimiter is given"),
    ('"first"', '"frist"', "c:7: option 'heading' of split:"),
    ('heading = "first"', "quote_lines = -1", "c:4: --quote-lines -1: it must be from 0 to 100000"),
    ('heading = "first"', "", "c:4: option 'heading' of split is not stated"),
    ('["comma"]', '"comma', "c:6:"),
    ('heading = "first"', 'heading = "first"\n[fits]\ncolums = []', "c:9: unknown option 'colums' of [fits]; nearest: 'columns'"),
    ('heading = "first"', 'heading = "first"\n[source]\nencoding = 5', "c:9: option 'encoding' of [source]: expected str, got int, found 5"),
    ("wetcomb = 1", 'note = """\n[[step]]\nx = 1"""\nwetcomb = 1\nodd = [\n "]",\n]', "c:5: unknown key 'odd'"),
    ('heading = "first"', 'heading = "first"\n[[step]]\ndo = "split"\ndelimiter = ";"\nheading = "none"\nfields = 2', "c:8: step 2: split reads text (--column says which), but split before it makes a table"),
]  # fmt: skip


@pytest.mark.parametrize(("old", "new", "said"), BAD, ids=[said for *_, said in BAD])
def test_an_error_names_its_line(old: str, new: str, said: str) -> None:
    with pytest.raises(CombError) as error:
        parse_comb(GOOD.replace(old, new, 1), "c")
    assert any(line.startswith(said) for line in str(error.value).splitlines()), str(error.value)


def test_comments_survive() -> None:
    comb = parse_comb(GOOD)
    assert render_comb(comb, GOOD) == GOOD
    changed = Comb((Split(delimiter="tab", heading="first", quote_lines=5),))
    assert render_comb(changed, GOOD) == GOOD.replace('"comma"', '"tab"') + "quote_lines = 5\n"


marks = st.sampled_from(
    ["comma", "tab", "space", "gap", "~|~", " - ", "text:tab", "漢", "\\", '"x']
)


@settings(max_examples=200)
@given(
    st.lists(marks, min_size=1, max_size=2, unique=True).map(tuple),
    st.sampled_from([("double",), ("none",), ("single", "«"), "'"]),
    st.sampled_from(["first", "none"]),
    st.lists(st.text(max_size=5), max_size=3, unique=True).map(tuple),
    st.lists(st.integers(-9, 9).filter(bool), max_size=3, unique=True).map(tuple),
    st.integers(0, 9),
    st.text(max_size=20),
)
def test_a_comb_is_read_as_it_was_written(
    delimiter, quote, heading, names, take, fields, note
) -> None:  # type: ignore[no-untyped-def]
    try:
        split = Split(
            delimiter=delimiter, quote=quote, heading=heading, names=names, take=take, fields=fields,
            missing=tuple(name for name in names if name),
        )  # fmt: skip
    except UsageError:
        return
    note = "".join(sign for sign in note if sign.isprintable())
    comb = Comb((split,), "utf-8", Fits(names, max_snags=fields or None), (note,))
    text = render_comb(comb)
    read = parse_comb(text)
    assert (read.steps, read.encoding, read.fits) == (comb.steps, comb.encoding, comb.fits)
    assert f"# {note}" in text or not note


@pytest.mark.parametrize(
    ("split", "said"),
    [
        (Split(), "delimiter, heading"),
        (Split(delimiter=","), "heading"),
        (Split(delimiter=",", heading="none"), "fields"),
    ],
)
def test_a_run_refuses_what_is_not_settled(split: Split, said: str) -> None:
    with pytest.raises(UsageError, match=f"still to be worked out: {said}; draft a comb first"):
        Comb((split,)).run("a,b\n")
