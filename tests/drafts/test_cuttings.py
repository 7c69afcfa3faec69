"""How stretches of values are told by places, and written as steps."""

from __future__ import annotations

import pytest

from wetcomb import Glue, Split, UsageError, draft, split
from wetcomb.combs.comb import Comb
from wetcomb.core.errors import InputError
from wetcomb.drafts.examples.cuttings import Prices, Wanted, learn_cuttings
from wetcomb.drafts.examples.places import Place, find_kinds, list_ends, list_starts
from wetcomb.drafts.examples.sources import list_sources, write_cell
from wetcomb.drafts.examples.writing import write_cutting
from wetcomb.drafts.pricing.tokens import Tokens

NAMES = ["Ada Marsh", "Bram Oake", "Jan van Dyke", "Zoë Ferris", "Mary-Ann Sallow", "Otto Lind"]
STREETS = [
    "12 Mill Lane, Orrin", "7 Quay, Halden", "101 Long Acre Street, Sallow Reach",
    "3a High Row, Orrin", "9 Lock Cottages, Upper Halden", "14 Weir Road, Mere",
    "88 Canal Walk, Low Weir", "2 Tow Path, Orrin",
]  # fmt: skip
CODES = ["LK-2031-0007", "LK-2032-0123", "MR-2031-0001", "LK-2031-0044"]

#: Values of a column, the pieces wanted of one of them, and those of another that follow.
CUT = {
    "first word and the rest": (NAMES, 0, ["Ada", "Marsh"], 2, ["Jan", "van Dyke"]),
    "all but the last word": (NAMES, 2, ["Jan van", "Dyke"], 4, ["Mary-Ann", "Sallow"]),
    "the last word": (NAMES, 2, ["Dyke"], 4, ["Sallow"]),
    "a street in three": (STREETS, 0, ["12", "Mill Lane", "Orrin"], 2, ["101", "Long Acre Street", "Sallow Reach"]),
    "the parts of a code": (CODES, 0, ["LK", "2031", "0007"], 2, ["MR", "2031", "0001"]),
    "parts of a code without marks": ([c.replace("-", "") for c in CODES], 0, ["LK", "2031", "0007"], 1, ["LK", "2032", "0123"]),
    "a figure and its unit": (["12 t", "3.5 t", "7 kg", "12", "250 kg", "1.25 t"], 1, ["3.5", "t"], 2, ["7", "kg"]),
    "a unit that is lacking": (["12 t", "3.5 t", "7 kg", "12", "250 kg", "1.25 t"], 1, ["3.5", "t"], 3, ["12", ""]),
    "inside of brackets": (["Orrin (Top)", "Halden (Low Lock)", "Mere (East)", "Sallow (Old Quay)"], 0, ["Top"], 1, ["Low Lock"]),
    "beside brackets": (["Orrin (Top)", "Halden (Low Lock)", "Sallow", "Mere (East)"], 0, ["Orrin", "Top"], 2, ["Sallow", ""]),
    "a day in three": (["13.02.2031", "1.12.2031", "7.6.2031"], 0, ["13", "02", "2031"], 1, ["1", "12", "2031"]),
    "parts the other way round": (["13.02.2031", "1.12.2031", "7.6.2031"], 0, ["2031", "02"], 1, ["2031", "12"]),
    "a sign without a mark": (["陈伟", "李明", "王芳", "赵静"], 0, ["陈", "伟"], 2, ["王", "芳"]),
}  # fmt: skip


@pytest.mark.parametrize("case", CUT)
def test_what_is_learnt_of_one_value_holds_for_others(case: str) -> None:
    values, row, pieces, other, wanted = CUT[case]
    spans, at = [], 0
    for piece in pieces:
        start = values[row].find(piece, at)
        start = start if start >= 0 else values[row].find(piece)
        spans.append((start, start + len(piece)))
        at = start + len(piece)
    prices = Prices(Tokens(values))
    best, *others = learn_cuttings(values, [Wanted(row, tuple(spans))], prices)
    assert all(best.bits <= one.bits for one in others)
    assert best.spans[row] == tuple(spans)
    found = [values[other][span[0] : span[1]] if span else "" for span in best.spans[other]]
    assert found == wanted
    table = split("x\n" + "\n".join(values), delimiter="none", heading="first", quote="none")
    names = [f"part{k}" for k in range(len(pieces))]
    written = write_cutting(table, "x", values, best, names)
    assert written is not None
    assert len(written.names) == len(pieces)


def test_places_are_found_again() -> None:
    assert find_kinds("Ada-9 é.") == "Aaa-9_a."
    value = "LK-12, Orrin Top"
    for start, end in ((0, 2), (3, 5), (7, 12), (7, 16), (13, 16)):
        assert all(place.find(value) >= 0 for place in list_starts(value, start))
        assert {place.find(value, start) for place in list_ends(value, start, end)} <= {end, end + 1}  # fmt: skip
    cases = [
        (Place("edge", "", 0, 1), "abc", 3),
        (Place("mark", ",", -1, 1), "a,b,c", 4),
        (Place("mark", ",", 3, 0), "a,b,c", -1),
        (Place("run", "digits", 2, 0), "a1b22", 3),
        (Place("run", "word", 1, 1), "Mary-Ann Lind", 8),
        (Place("count", "", -2, 0), "abcd", 2),
        (Place("until", ";", 1, 0), "ab", 2),
        (Place("next", ";", 1, 0), "ab", -1),
        (Place("same", "figure", 1, 1), "12.5t", 4),
    ]
    for place, text, wanted in cases:
        assert place.find(text) == wanted, place


def test_what_is_told_more_shortly_costs_less() -> None:
    told = [
        Place("edge", "", 0, 1),
        Place("mark", ",", 1, 0),
        Place("mark", " ", 1, 0),
        Place("mark", " ", -1, 0),
        Place("mark", " ", 2, 0),
        Place("mark", " ", -3, 0),
        Place("word", "paid", 1, 1),
        Place("count", "", 2, 0),
        Place("count", "", -2, 0),
    ]
    bits = [place.bits for place in told]
    assert bits == sorted(bits)
    assert len(set(bits)) == len(bits)


def test_stretches_that_lie_over_each_other_or_leave_text_between_are_odd() -> None:
    values = ["ab, cd", "ef, gh", "ij kl, mn"]
    best = learn_cuttings(values, [Wanted(0, ((0, 2), (4, 6)))], Prices(Tokens(values)))[0]
    assert [values[2][slice(*span)] for span in best.spans[2] if span] == ["ij kl", "mn"]
    assert (best.n_odd, best.odd) == (0, 0.0)
    rest = learn_cuttings(values, [Wanted(0, ((0, 2), (4, 6)))], Prices(Tokens(values)))[1:]
    lost = [one for one in rest if one.spans[2] == ((0, 2), (7, 9))]
    assert all(one.n_odd == 1 and one.odd > 0 for one in lost)
    assert lost


def test_where_a_cell_comes_from() -> None:
    cases = [
        ("Ada Marsh", ["LK-7", "Marsh, Ada"], ("", " ", ""), ""),
        ("A. M.", ["Ada Marsh"], ("", ". ", "."), ""),
        ("Ada Marsh", ["ada.marsh@h.example"], ("", " ", ""), "initials"),
        ("ORRIN", ["Orrin"], ("", ""), "upper"),
        ("Dunmore, A.", ["A. Dunmore"], ("", ", ", ""), ""),
        ("LK20310007", ["LK-2031-0007"], ("", "", "", ""), ""),
    ]
    for cell, values, literals, letters in cases:
        source = list_sources(cell, values)[0]
        assert (source.literals, source.letters) == (literals, letters), cell
        texts = [values[p.column][p.start : p.end] for p in source.pieces]
        assert write_cell(source, texts) == cell
    assert list_sources("berth 3", ["3", "Ada"]) == []
    assert list_sources("berth 3", ["3", "Ada"], may_add=True)[0].literals == ("berth ", "")
    assert list_sources("Adda", ["Ada Marsh"]) == []


def test_columns_put_together_as_they_stand() -> None:
    text = "a;b\nx y;z\n;w\n"
    cut = Split(delimiter=";", heading="first", fields=0)
    loose = Glue(columns=("a", "b"), with_=" ", as_="c", quote="loose", skip_empty=True)
    assert Comb((cut, loose)).run(text).rows() == [["x y z"], ["w"]]
    with pytest.raises(InputError, match="1 value holds ' '"):
        Comb((cut, Glue(columns=("a", "b"), with_=" ", as_="c"))).run(text)
    with pytest.raises(UsageError, match="--quote loose: lines are there to be read again"):
        Glue(each_a_line=True, quote="loose")


def test_few_records_ask_which_table_is_meant() -> None:
    text = "1;Ada Marsh;Orrin (Top)\n2;Bram Oake;Halden (Low Lock)\n3;Jan van Dyke;Sallow\n"
    comb = draft(text, examples=["Ada | Marsh"])
    assert "example-open" in [doubt.name for doubt in comb.doubts]
