"""The terms of the one price against plain versions of themselves, and what each is there for."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wetcomb.drafts.pricing.chains import Chain, PricedText
from wetcomb.drafts.pricing.columns import ColumnPrices, find_rigid
from wetcomb.drafts.pricing.indents import price_indents
from wetcomb.drafts.pricing.names import takes_in_record
from wetcomb.drafts.pricing.terms import (
    measure_width,
    price_cut,
    price_furniture,
    price_options,
    price_padding,
    price_roles,
)
from wetcomb.drafts.pricing.tokens import (
    TOKEN,
    Tokens,
    count_bits,
    find_kind,
    flag_bits,
    list_bits,
    price_once,
    spell_bits,
)
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.pull.options import Pull
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step
from wetcomb.steps.unwrap.options import Unwrap
from wetcomb.steps.wash.options import Wash


def plain_choices(values: Sequence[object], theta: float) -> float:
    """Tell one value after another: a known one by how often it was told, a new one by theta."""
    seen: Counter[object] = Counter()
    bits = 0.0
    for number, value in enumerate(values):
        bits -= math.log2((seen[value] or theta) / (number + theta))
        seen[value] += 1
    return bits


@settings(max_examples=200, deadline=None)
@given(values=st.lists(st.integers(0, 5), max_size=30), theta=st.sampled_from([0.3, 0.5, 1.0]))
def test_choices_cost_what_telling_them_one_by_one_does(values: list[int], theta: float) -> None:
    told = count_bits(Counter(values).values(), theta)
    assert told == pytest.approx(plain_choices(values, theta), abs=1e-6)
    assert list_bits(values, theta, 3.0) == pytest.approx(told + 3.0 * len(set(values)), abs=1e-6)


@settings(max_examples=100, deadline=None)
@given(flags=st.lists(st.booleans(), max_size=40))
def test_flags_cost_what_telling_them_one_by_one_does(flags: list[bool]) -> None:
    bits, seen = 0.0, {True: 0.5, False: 0.5}
    for flag in flags:
        bits -= math.log2(seen[flag] / (seen[True] + seen[False]))
        seen[flag] += 1
    assert flag_bits(sum(flags), len(flags) - sum(flags)) == pytest.approx(bits, abs=1e-6)


TEXT = st.text("abc 12.,-é漢\u00a0\t", max_size=30)


@settings(max_examples=200, deadline=None)
@given(text=TEXT)
def test_tokens_are_all_of_a_text(text: str) -> None:
    tokens = TOKEN.findall(text)
    assert "".join(tokens) == text
    assert {find_kind(token) for token in tokens} <= set("dwsSm")
    assert all(spell_bits(token) > 0 for token in tokens)


@settings(max_examples=100, deadline=None)
@given(lines=st.lists(TEXT, min_size=1, max_size=6), other=TEXT)
def test_what_a_source_says_often_is_cheap_and_the_rest_has_a_price(
    lines: list[str], other: str
) -> None:
    tokens = Tokens(lines)
    for line in (*lines, other):
        assert tokens.price(line) >= tokens.price_inside(line) - 1e-9 >= -1e-9
        assert tokens.price(line) == tokens.price(line)
        assert 0 <= tokens.share(line) <= price_once(line) + 2.0 * len(line)
    assert Tokens(["coal"] * 20).price_token("coal") < Tokens(["coal", "slate"]).price_token("coal")


@pytest.mark.parametrize(
    ("value", "shape"),
    [
        ("2 June 2031", "date"), ("2031-06-02", "date"), ("02.06.31", "date"), ("June 2, 2031", "date"), ("8:05", "time"),
        ("412", "number"), ("1,204.50", "number"), ("1 204,50 €", "number"), ("(3.5)", "number"), ("34,72 t", "number"), ("< 5", "number"),
        ("LK-412", "code"), ("AB12", "code"), ("a.marsh@halden.example", "mail"), ("Heron Wake", "words"), ("12 Mill Lane", "words"),
        ("Mon, 05 Feb 2031 08:58:23 +0000", "datetime"), ("2031-06-02 08:08:11,601", "datetime"), ("2031-06-02T08:08:11Z", "datetime"), ("Jun  2 10:22:01", "datetime"), ("2.6.2031 14:56", "datetime"),
        ("d0b924f", "hex"), ("0,0,0.50,1,1.00", None), ("paid in coin; late", None), ("a | b", None),
    ],
)  # fmt: skip
def test_rigid_values_are_told_by_their_outline(value: str, shape: str | None) -> None:
    rigid = find_rigid(value)
    assert (rigid and rigid.shape) == shape
    if rigid is not None and shape != "hex":
        slots = "".join(text for _, text in rigid.slots)
        assert all(slot in value for _, slot in rigid.slots) and len(slots) <= len(value)


CHEAPER = [
    ("rising by small steps than any", [str(100 + 3 * k) for k in range(9)], ["417", "952", "121", "808", "333", "690", "274", "555", "906"]),
    ("of a short list than all different", ["coal", "slate", "lime"] * 3, ["coal", "slate", "lime", "reeds", "timber", "bricks", "hops", "grain", "peat"]),
    ("the same as above than mixed", ["coal"] * 5 + ["slate"] * 5, ["coal", "slate"] * 5),
    ("of one path than of several", ["locks/orrin/upper gate", "locks/orrin/the weir", "locks/orrin/a pump"], ["locks/orrin/upper gate", "orrin/locks/the weir", "a pump/orrin/locks"]),
    ("figures with one unit than with several", ["12 kg", "7 kg", "40 kg", "3 kg"], ["12 no", "7 yes", "40 no", "3 yes"]),
    ("of one outline than of several", ["LK-412", "LK-952", "LK-121", "LK-808"], ["LK-412", "9/52", "121 K", "K808-"]),
]  # fmt: skip


@pytest.mark.parametrize(("less", "more"), [row[1:] for row in CHEAPER], ids=[row[0] for row in CHEAPER])  # fmt: skip
def test_columns_are_cheap_where_they_are_regular(less: list[str], more: list[str]) -> None:
    prices = ColumnPrices(Tokens([" ".join([*less, *more])]))
    assert prices.price(less) < prices.price(more)
    assert prices.price(less) == prices.price(list(less))


@settings(max_examples=100, deadline=None)
@given(values=st.lists(st.sampled_from(["", "coal", "7", "12.50", "LK-1", "a b; c", "--"]), min_size=1, max_size=12))  # fmt: skip
def test_every_column_has_a_price(values: list[str]) -> None:
    price = ColumnPrices(Tokens(values)).price(values)
    assert 0 < price < math.inf


@settings(max_examples=100, deadline=None)
@given(roles=st.lists(st.sampled_from("rcbhg"), max_size=20))
def test_roles_cost_what_telling_them_one_by_one_does(roles: list[str]) -> None:
    pairs: dict[str, Counter[str]] = {}
    bits, last, seen = 0.0, "^", set[str]()
    for role in roles:
        known = pairs.setdefault(last, Counter())
        total = sum(known.values())
        if known[role]:
            bits -= math.log2(known[role] / (total + 0.5))
        else:
            bits -= math.log2(0.5 / (total + 0.5))
            bits += math.log2(len(seen) + 1) if role in seen else 1.5
        known[role] += 1
        seen.add(role)
        last = role
    assert price_roles(tuple(roles)) == pytest.approx(bits, abs=1e-6)


@pytest.mark.parametrize(
    ("left", "gap", "right", "is_dear"),
    [
        ("1", ",", "204", True), ("2", ".", "06", True), ("a", ",", "", False), ("n", "-", "W", True), ("k", " ", "W", True),
        ("8", " ", "mm", True), ("8", " ", "heather", False), ("1", ";", "2", False), ("a", " | ", "", False), ("t", "_", "h", True),
        ("n", "@", "h", True), ("3", " @ ", "h", False),
    ],
)  # fmt: skip
def test_cuts_within_numbers_and_words_cost(left: str, gap: str, right: str, is_dear: bool) -> None:
    assert (price_cut(left, gap, right) > 0) is is_dear


def test_cells_that_stand_in_line_cost_little() -> None:
    starts = [(8, 8 + n) for n in (3, 9, 5, 7, 4, 6)]
    ends = [(20 - n, 20) for n in (3, 9, 5, 7, 4, 6)]
    loose = [(3, 9), (7, 8), (5, 12), (9, 11), (4, 15), (6, 7)]
    gaps = ["   ", " ", "    ", "  ", "      ", "     "]
    assert price_padding(starts, gaps) < price_padding(loose, gaps)
    assert price_padding(ends, gaps) < price_padding(loose, gaps)
    assert price_padding(loose, ["; "] * 6) < price_padding(loose, gaps)
    assert [measure_width(text) for text in ("abc", "é", "漢字", "e\u0301")] == [
        3,
        1,
        4,
        1,
    ]


def test_furniture_pays_for_what_its_pattern_leaves_open() -> None:
    pages = [f"Halden Canal   page {k}" for k in range(1, 5)]
    told = price_furniture(pages, ["Halden Canal page {digits}"])
    assert told < price_furniture(pages, ["Halden{any}"])
    leaps = ["page 3", "page 940", "page 12", "page 77"]
    assert told < price_furniture(leaps, ["page {digits}"])


STEPS: list[tuple[Step, Step]] = [
    (Split(delimiter="semicolon", heading="none", fields=3), Split(delimiter=" ~|~ ", heading="none", fields=3)),
    (Split(edges=(4, 9), heading="none", fields=3), Split(edges=(4, 9, 12, 20), heading="none", fields=5)),
    (Wash(), Wash(drop_lines="Halden Canal {digits}")),
    (Unwrap(indent=True), Unwrap(starts="Permit no LK-{digits}")),
    (Pull(label="No", blocks="first-label"), Pull(label=("No", "Holder", "Remarks"), blocks="first-label")),
    (Clean(carry="1"), Clean(carry="1", strip="1=*")),
]  # fmt: skip


@pytest.mark.parametrize(("short", "long"), STEPS)
def test_what_takes_more_to_say_costs_more(short: Step, long: Step) -> None:
    assert 0 < price_options(short) < price_options(long)


REPORT = """\
Halden & Orrin Canal Company

Reach: Halden
No      Boat        Tons   Toll
LK-412  Tansy       12.5   4.50
LK-415  Heron Wake   7.0  12.25
LK-418  Old Regret  18.0   3.00
Reach: Mill
LK-421  Wren         9.5   7.75
LK-424  Plover      11.0   2.50
Total               58.0  30.00

Set down by the keeper.
"""
EDGES = {"edges": (8, 19, 25), "fields": 4}
RIGHT = Split(**EDGES, heading="none", group="Reach: {words as Reach}")


@pytest.mark.parametrize(
    ("split", "first", "last"),
    [
(Split(**EDGES, heading="none"), 2, 10),  # group lines are records
        (Split(edges=(19,), heading="none", fields=2), 2, 10),
        (Split(delimiter="none", heading="none", fields=1), 0, 13),
        (Split(delimiter="space", heading="none", fields=4), 2, 10),
    ],
)  # fmt: skip
def test_the_right_reading_of_a_report_is_the_cheapest(split: Split, first: int, last: int) -> None:
    text = PricedText(REPORT.encode())
    right = text.price(Chain((RIGHT,), 2, 10))
    other = text.price(Chain((split,), first, last))
    assert right.price < other.price, (right.bits, other.bits)
    assert right.price == pytest.approx(sum(right.bits.values()))
    assert right.bits["raw"] > 0 and right.bits["groups"] == 0


def test_a_group_line_without_records_is_paid_for() -> None:
    more = REPORT.replace("Reach: Mill\n", "Reach: Orrin Basin and Lamb Lock\nReach: Mill\n")
    text = PricedText(more.encode())
    assert text.price(Chain((RIGHT,), 2, 11)).bits["groups"] > 10


def test_lines_are_counted_whatever_their_ends() -> None:
    for end in ("\n", "\r\n", "\r"):
        text = PricedText(REPORT.replace("\n", end).encode(), first_line=5)
        priced = text.price(Chain((RIGHT,), 2, 10))
        assert priced.batch.table is not None and priced.batch.table.n_records == 6
        assert len(text.lines) == 13 and text.take(2, 3).decode() == f"Reach: Halden{end}"


def test_cells_of_lines_that_were_put_together_stand_where_they_stood() -> None:
    """Joined lines cost no more to lay out than the same lines cut one by one."""
    cards = "".join(f"boat {k}\nplace {k}\n{k}.50\n\n" for k in range(8))
    text = PricedText(cards.encode())
    glued = Split(delimiter=" / ", heading="none", fields=3, quote="none")
    joined = text.price(Chain((Unwrap(blank_lines=True, glue=" / "), glued), 0, 32))
    apart = text.price(Chain((Split(delimiter="newline", records_at="blank-line", heading="none", fields=3, quote="none"),), 0, 32))  # fmt: skip
    assert joined.batch.table is not None and joined.batch.table.n_records == 8
    assert joined.bits["layout"] <= apart.bits["layout"] + 2


@pytest.mark.parametrize(
    ("heading", "other"),
    [
        ("Ref;Toll;Day", "coal;Tansy;Orrin"),  # names over figures: the same, whatever they say
        ("REF;TOLL;DAY", "Ref;Toll;Day"),
    ],
)
def test_a_heading_is_cheaper_as_one_where_figures_stand_below(heading: str, other: str) -> None:
    body = "".join(f"LK-{412 + k};{k}.50;{k + 1} June\n" for k in range(6))
    saved = []
    for top in (heading, other):
        text = PricedText(f"{top}\n{body}".encode())
        named, bare = (
            text.price(Chain((Split(delimiter="semicolon", heading=how, fields=3, quote="none"),), 0, 7))
            for how in ("first", "none")
        )  # fmt: skip
        saved.append(bare.price - named.price)
    assert saved[0] > 0 and saved[0] >= saved[1] - 12


def test_words_that_all_names_begin_with_are_a_title() -> None:
    body = "".join(f"{k:<8}{k + 3}.50\n" for k in range(6))
    prices = []
    for top in ("Tolls of June   \nBoat    Toll", "Boat    Toll"):
        text = PricedText(f"{top}\n{body}".encode())
        heading = 2 if "\n" in top else "first"
        split = Split(delimiter="none", edges=(8,), heading=heading, fields=2)
        priced = text.price(Chain((split,), 0, len(text.lines)))
        prices.append(priced.bits["names"])
    assert prices[0] > prices[1] + 30


def test_lines_outside_cost_more_than_in_a_column() -> None:
    source = "".join(f"boat {k};{'AB'[k % 2]}\n" for k in range(8))
    text = PricedText((source + "A\nB\n" * 4).encode())
    split = Split(delimiter="semicolon", heading="none", fields=2, quote="none")
    priced = text.price(Chain((split,), 0, 8))
    assert priced.bits["raw"] > PricedText(source.encode()).price(Chain((split,), 0, 8)).bits["raw"] + 8 * 0.5  # fmt: skip


@pytest.mark.parametrize(
    ("good", "bad", "text"),
    [
        # a word of the heading is cut in two
        (Split(edges=(6,), heading="first"), Split(edges=(3,), heading="first"), "Boat  Toll\nTan    4.5\nWre    3.0\nCoo    2.2\n"),
        # a rule says where the columns part
        (Split(edges="rule", heading="first"), Split(delimiter="space", cuts="last:1", heading="first"), "Boat        Toll\n----------- ----\nOld Regret  4.50\nTwo Sisters 1.00\nTansy       3.25\n"),
        # what parts fields stands in a name
        (Split(delimiter="comma", heading="first"), Split(delimiter="comma", cuts="first:1", heading="first"), "no,boat,toll\n1,Tansy,4.50\n2,Wren,3.00\n3,Coot,2.25\n"),
        # a mark within every value
        (Split(delimiter=" / ", heading="none", fields=3), Split(delimiter=" / ", cuts="first:1", heading="none", fields=2), "LK-1 / Tansy / 4.50\nLK-2 / Wren / 3.00\nLK-3 / Coot / 2.25\nLK-4 / Teal / 1.75\nLK-5 / Rook / 9.00\n"),
    ],
)  # fmt: skip
def test_a_reading_that_leaves_something_unsaid_costs_more(
    good: Split, bad: Split, text: str
) -> None:
    priced = PricedText(text.encode())
    best, other = (priced.price(Chain((split,), 0, text.count("\n"))) for split in (good, bad))
    assert best.price < other.price, (best.bits, other.bits)


def test_lines_with_words_in_a_rule_are_paid_for() -> None:
    """A rule of marks alone is layout; words in it are text that leaves the table."""
    for rule, is_text in (
        ("=========================", False),
        ("===== tolls of June =====", True),
    ):
        text = PricedText(f"boat=Tansy\n{rule}\nboat=Wren\n{rule}\nboat=Coot\n".encode())
        priced = text.price(Chain((Pull(label=("boat",), blocks="first-label"),), 0, 5))
        assert (priced.bits["raw"] > 0) is is_text


def test_an_indent_that_nothing_tells_of_costs() -> None:
    """Records further in than others are entries of a level, or go on; where a tab parts fields it is a blank cell."""
    for text, delimiter, is_odd in (
        ("a;1\n    b;2\nc;3\n    d;4\n", "semicolon", True),
        ("a;1\nb;2\nc;3\nd;4\n", "semicolon", False),
        ("  9;1\n 10;2\n111;3\n", "semicolon", False),
        ("a\t1\n\t\t2\nc\t3\n", "tab", False),
    ):
        lines = text.splitlines()
        split = Split(delimiter=delimiter, heading="none", fields=2)
        assert bool(price_indents(lines, ["r"] * len(lines), (split,))) is is_odd, text


@pytest.mark.parametrize(
    ("heading", "lines", "taken"),
    [
        ("No     Tons    Toll", 1, False),
        ("No     Tons    Toll", 2, True),
        ("No     Tons    Toll", 3, True),
        ("Lock   Span 1  Span 2", 1, False),  # a figure of a name is none of those below
        ("Lock   2030    2031", 1, False),  # nor is one that stands alone
    ],
)
def test_a_heading_that_takes_in_a_record(heading: str, lines: int, taken: bool) -> None:
    rows = "".join(
        f"LK-{k}  {k * 37 % 900:>6}.5  {k * 71 % 97 + 100:>6}.25\n" for k in range(11, 29)
    )
    text = PricedText(f"{heading}\n{rows}".encode())
    table = text.price(Chain((Split(edges=(7, 17), heading=lines),), 0, 18 + 1)).batch.table
    assert table is not None and takes_in_record(table) == taken, table.names
