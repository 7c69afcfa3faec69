"""The short way through a chunk in which nothing is odd: what it takes, and that it is right."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import asdict

from wetcomb.core.cutting.layout import drop_lines
from wetcomb.core.cutting.plain_records import can_be_plain, cut_plain_records
from wetcomb.core.cutting.reading import cut_records
from wetcomb.core.cutting.scanner import Scanner
from wetcomb.core.cutting.specials import CutRules, find_specials
from wetcomb.core.text import Text

COMMA, BAR, TAB = (CutRules(delimiters=(mark,)) for mark in (b",", b"|", b"\t"))
UNQUOTED = CutRules(delimiters=(b",",), marks=())


@pytest.mark.parametrize(
    ("text", "rules", "n_records"),
    [
        ('a,b\n"c,""d""",\n', COMMA, 2),
        ('a,b\nc,"d\ne"\n', COMMA, None),  # a line end inside quotes
        ('a,b\n"c",d""e\n', COMMA, None),
        ('a""b,"c"\n', COMMA, None),
        ('a""b,c\n', COMMA, None),
        ('a,b\n"c,d', COMMA, 1),  # what is not whole is left
        ('a,b\n"c,d\ne,f\n', COMMA, None),
        ("a,b\nc, d\n", COMMA, None),  # spacing to take off
        ("a,b\nc ,d\n", COMMA, None),
        ("a,b\nc,d\t\n", COMMA, None),
        ("a,b\n\nc,d\n", COMMA, None),
        ("a,b\n,\n", COMMA, None),  # an empty record
        ('a,b\n"",""\n', COMMA, None),
        (',"b"\n,d\n', COMMA, 2),
        ("a,b\r\n", COMMA, None),
        ("a,b,c\nd\n", COMMA, None),
        ('a,b\n5",6"\n', COMMA, None),  # marks that are text
        ('a,"b"c"d"\n', COMMA, None),
        ('a,"b" "c"\n', COMMA, None),
        ('a,"\n', COMMA, None),
        ('a,"""\nb,c\n', COMMA, None),
        ('a,5"\n', UNQUOTED, 1),
        ("-1|b\n", BAR, None),  # may be a rule
        ("1|---\n", BAR, 1),
        ("a\t\n\tb\n", TAB, 2),
        ("", COMMA, None),
    ],
)
def test_what_is_taken(text: str, rules: CutRules, n_records: int | None) -> None:
    found = cut_plain_records(np.frombuffer(text.encode(), np.uint8), rules, 2, is_last=False)
    assert (None if found is None else found.stops.size) == n_records


@pytest.mark.parametrize(
    "rules",
    [
        CutRules(delimiters=(b",", b";")),
        CutRules(delimiters=(b", ",)),
        CutRules(delimiters=(b" ",)),
        CutRules(delimiters=(b",",), marks=(b'"', b"'")),
        CutRules(delimiters=(b",",), marks=(b"(",), closers=(b")",)),
        CutRules(delimiters=(b",",), cut_runs_once=True),
        CutRules(delimiters=(b",",), quote_ends="delimiter"),
        CutRules(delimiters=(b",",), paragraphs=True),
    ],
)
def test_rules_that_need_the_long_way(rules: CutRules) -> None:
    assert can_be_plain(COMMA) and can_be_plain(UNQUOTED) and not can_be_plain(rules)


values = st.sampled_from(["a", "é漢", "", '""', '"x,y"', '"q""r"', '"""s"', '"t"""', "-", "7"])
odd = st.sampled_from(["", "", "", '"', ",", "\n", " ", '"\n', '""', "\t", "|", "--|--"])


@settings(max_examples=400, deadline=None)
@given(
    rows=st.lists(st.lists(values, min_size=2, max_size=3), min_size=1, max_size=6),
    stray=odd,
    place=st.integers(0, 30),
    rules=st.sampled_from([COMMA, BAR, TAB, UNQUOTED]),
    is_last=st.booleans(),
)
def test_the_short_way_is_right(
    rows: list[list[str]], stray: str, place: int, rules: CutRules, is_last: bool
) -> None:
    n_fields, mark = len(rows[0]), rules.delimiters[0].decode()
    text = "".join(mark.join((row * 2)[:n_fields]) + "\n" for row in rows)
    chunk = Text.of(text[:place] + stray + text[place:])
    found = cut_plain_records(chunk.data, rules, n_fields, is_last=is_last)
    if found is None:
        return
    assert not is_last or found.stops[-1] == chunk.data.size
    specials = find_specials(chunk.data, rules, is_last=is_last)
    cut = cut_records(specials, rules, 0, n_fields, Scanner(specials, rules))
    kept, drops, _ = drop_lines(chunk.data, cut.ragged, n_fields)
    assert not drops.starts.size and not cut.odd.places.size and cut.used == found.stops[-1]
    for name, array in asdict(kept).items():
        assert getattr(found, name).tolist() == array.tolist(), name
