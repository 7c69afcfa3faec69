"""Proposals and moves, one by one: what each brings, and from which evidence."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import pytest

from wetcomb.drafts.moves.fields import (
    carry_down,
    join_columns,
    quote,
    realign,
    space_once,
    strip_drawn,
    take_frame_off,
)
from wetcomb.drafts.moves.headings import leave_out, take_heading, take_in
from wetcomb.drafts.moves.lines import (
    group_by_margin,
    join_bare,
    join_wrapped,
    mend_hyphens,
    name_lines,
    wash_first,
)
from wetcomb.drafts.pricing.chains import Chain, Priced, PricedText
from wetcomb.drafts.proposals import (
    displayed,
    listed,
    mails,
    marked,
    numbered,
    outlined,
    patterned,
    running,
)
from wetcomb.drafts.proposals.body import Body, make_body
from wetcomb.drafts.proposals.starts import begins_so, find_bullet, find_starts
from wetcomb.drafts.search import search
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step
from wetcomb.steps.unwrap.options import Unwrap
from wetcomb.steps.wash.options import Wash

Propose = Callable[[Body], Iterator[Chain]]


def bring(propose: Propose, text: str) -> list[tuple[Step, ...]]:
    return [chain.steps for chain in propose(make_body(text.encode(), ()))]


@pytest.mark.parametrize(
    ("lines", "first"),
    [
        (["a; b; c", "d; e; f", "g; h; i"], "; "),
        (["a | b, c | d", "e | f | g, h", "i | j | k"], " | "),
        (["a~|~b|c", "d~|~e", "f~g~|~h"], "~|~"),
        (["12\tMill, Lane", "13\tWeir", "14\tLock, Top"], "\t"),
        (["LK-1 / a b / 4", "LK-2 / c / 5", "LK-3 / d, e / 6"], " / "),
    ],
)  # fmt: skip
def test_the_likeliest_mark_comes_first(lines: list[str], first: str) -> None:
    assert marked.list_marks(lines)[0] == first


@pytest.mark.parametrize(
    ("lines", "found"),
    [
        (["LK-412 a", "b", "LK-415 c", "LK-418 d"], ["LK-{digits}"]),
        (["2 June 2031 a", "3 June 2031 b", "and so on", "5 June 2031 c"], ["{date}"]),
        (["0412; a", "0413; b", "0414; c", "late"], ["{4 digits};"]),
        (["8:05 a", "9:15 b", "10:20 c"], ["{time}"]),
        (["– a", "– b", "c", "– d"], ["text:– "]),
        (["one", "two", "three"], []),
    ],
)  # fmt: skip
def test_beginnings_that_recur(lines: list[str], found: list[str]) -> None:
    assert find_starts(lines) == found
    for pattern in found:
        assert sum(begins_so(pattern, line) for line in lines) >= 3


@pytest.mark.parametrize(
    ("lines", "sign"),
    [(["• a", "• b", "• c"], "•"), (["- a", "b", "c"], ""), (["* 1", "  * 2"], "*"), (["-5", "-7"], ""), ([], "")],
)  # fmt: skip
def test_bullets(lines: list[str], sign: str) -> None:
    assert find_bullet(lines) == sign


#: What brings it, a text, and options that one of the chains must have (of its last step, or any).
BROUGHT: dict[str, tuple[Propose, str, dict[str, object]]] = {
    "a hanging indent": (marked.propose, "LK-1 | a b\n   c d\nLK-2 | e\n   f\nLK-3 | g h\n", {"indent": True}),
    "blank lines between": (marked.propose, "1; a\nb; c\n\n2; d\ne; f\n\n3; g\nh; i\n\n4; j\nk; l\n", {"blank_lines": True}),
    "a free last field": (marked.propose, "a: b: c\nd: e\nf: g: h: i\n", {"cuts": "first:1"}),
    "display columns": (displayed.propose, "No   Boat    Toll\n1    Tansy    4.5\n2    Wren    12.0\n3    Coot     3.0\n", {"edges": (5, 13)}),
    "panels": (displayed.propose, "1  Tansy    4  Coot\n2  Wren     5  Teal\n3  Rook     6  Lark\n", {"panels": 2}),
    "stacked blocks": (displayed.propose, "No  Boat\n1   Tansy\n2   Wren\n3   Coot\n\nNo  Toll\n1   4.50\n2   3.00\n3   2.25\n", {"stacked": True}),
    "cells of a line each": (listed.propose, "LK-1\nTansy\n4.50\nLK-2\nWren\n3.00\nLK-3\nCoot\n2.25\nLK-4\nTeal\n1.00\n", {"per_record": 3}),
    "blocks of lines": (listed.propose, "Ann\n1 Mill Lane\n\nBen\n2 Mill Lane\n\nCol\n3 Weir\n", {"records_at": "blank-line"}),
    "columns under headings": (listed.propose, "No\n1\n2\n3\nBoat\nTansy\nWren\nCoot\n", {"names": ("No", "Boat")}),
    "columns between blank lines": (listed.propose, "No\n1\n2\n3\n\nBoat\nTansy\nWren\nCoot\n", {"column_by_column": True}),
    "an outline": (outlined.propose, "1. Locks\n1.1 Top\nshut\n1.2 Low\nopen\n2. Boats\n2.1 Tansy\nlate\n", {"records_at": "heading:2"}),
    "a tree": (outlined.propose, "Halden\n  a; 1\n  b; 2\nOrrin\n  c; 3\n  d; 4\n", {"delimiter": ("; ",)}),
    "one long line": (running.propose, " * ".join(f"LK-{k}, Boat {k}, {k}.50" for k in range(9)) + "\n", {"records_at": " * "}),
    "leaders": (running.propose, "".join(f"Boat {k} {'.' * (20 - k)} {k}\n" for k in range(4)), {"cut_runs_once": True}),
    "a change of kind": (running.propose, "12Tansy\n7Wren\n140Coot\n", {"boundary": ("9|A",)}),
    "single blanks": (running.propose, "1 Old Regret 4.50\n2 Two Sisters 3.00\n3 Tansy 2.25\n", {"cuts": "first:1"}),
    "numbered entries": (numbered.propose, "[1] Ropes: one to a\nboat.\n[2] Fires: out by dusk, and\nin 1990 too.\n[3] Dogs: ashore.\n", {"starts": (r"regex:^\s*\[\d{1,4}\]\s",)}),
    "bullets of levels": (outlined.propose, "• Gate\n  – paint\n  – oil\n• Basin\n  – chain\n", {"strip": ("2=–",)}),
    "a tree of two levels": (outlined.propose, "Orrin\n  0815\n    Tansy | 12\n  0816\n    Wren | 34\n    Coot | 45\nHalden\n  0820\n    Teal | 52\n", {"group": (r"regex:^(?P<level_1>\S.*)$", r"regex:^\ \ (?P<level_2>\S.*)$")}),
    "a heading on every page": (displayed.propose, "No  Boat   Toll\n1   Tansy  4.50\n2   Wren   3.00\n\nNo    Boat   Toll\n3     Coot   2.25\n4     Teal   1.75\n", {"edges": "heading"}),
    "too few marks": (marked.propose, "c4e;coat;lent to the\nkeeper\nf33;apron;late\n80d;bonnet;kept at\nthe store\nff6;ruff;late\n", {"starts": ("regex:^[^;]{0,200};[^;]{0,200};",)}),
    "one order of rigid pieces": (patterned.propose, "LK-1 Old Regret 4.50\nLK-2 Two Sisters 3.00\nLK-3 Tansy 2.25\nLK-4 Wren 1.00\n", {"blocks": "line"}),
}  # fmt: skip


@pytest.mark.parametrize("name", BROUGHT)
def test_a_proposal_is_brought_and_runs(name: str) -> None:
    propose, text, wanted = BROUGHT[name]
    chains = [*propose(make_body(text.encode(), ()))]
    fitting = [
        chain for chain in chains
        if any(all(getattr(step, key, None) == value for key, value in wanted.items()) for step in chain.steps)
    ]  # fmt: skip
    assert fitting, [chain.steps for chain in chains]
    assert all(chain.notes for chain in fitting)
    priced = PricedText(text.encode()).price(fitting[0])
    assert priced.batch.table is not None and priced.batch.table.n_records >= 2


@pytest.mark.parametrize("propose", [marked.propose, displayed.propose, listed.propose, outlined.propose, running.propose, patterned.propose, numbered.propose, mails.propose])  # fmt: skip
@pytest.mark.parametrize("text", ["", "\n\n", "a", "a\n", "----\n====\n", "\f\n\f\n", "é\n漢\nß\n"])
def test_nothing_is_brought_of_next_to_nothing_that_cannot_be_said(
    propose: Propose, text: str
) -> None:
    for chain in propose(make_body(text.encode(), ())):
        assert 0 <= chain.first < chain.last <= max(1, text.count("\n") + 1)


#: A move, a text, the step it grows, and what the cheapest of its chains then says.
MOVES: dict[str, tuple[Callable[[PricedText, Priced], Iterator[Chain]], str, Step, tuple[int, int], dict[str, object]]] = {
    "a heading": (take_heading, "Boat;Toll\nTansy;4.50\nWren;3.00\nCoot;2.25\nTeal;1.75\n", Split(delimiter="semicolon", heading="none", fields=2), (0, 5), {"heading": "first"}),
    "a heading above": (take_in, "No  Toll\n1   4.50\n2   3.00\n3   2.25\n", Split(edges=(4,), heading="none", fields=2), (1, 4), {"heading": "first"}),
    "a frame": (take_frame_off, "| a | 1 |\n| b | 2 |\n| c | 3 |\n", Split(delimiter="pipe", heading="none", fields=4), (0, 3), {"frame": True}),
    "cells that go on": (join_wrapped, "412  Tansy  waits for    4.50\n            the gate\n415  Wren   late         3.25\n418  Coot   empty on     2.00\n            return\n421  Teal   waits        6.75\n424  Rook   late again   1.50\n            and cold\n", Split(edges=(5, 12, 25), heading="none", fields=4), (0, 8), {"wrapped": True}),
    "group lines": (name_lines, "Reach: Halden\na;1\nb;2\nReach: Mill\nc;3\nd;4\n", Split(delimiter="semicolon", heading="none", fields=2), (0, 6), {"group": ("Reach: {any as Reach}",)}),
    "lines cut at a width": (join_bare, "LK-1;Old Reg\nret;4.50\nLK-2;Two Sis\nters;3.00\nLK-3;Wren;2.\n25\n", Unwrap(starts="LK-{digits}"), (0, 6), {"glue": ""}),
    "lines at the margin": (group_by_margin, "3 May\n  10:00  Quay\n  16:30  Hall\n\n5 May\n  19:00  Quay\n  20:30  Attic\n9 May\n  12:00  Hall\n  14:00  Yard\n", Split(edges=(9,), heading="none", fields=2), (0, 10), {"group": (r"regex:(?P<group>\S.*)",)}),
    "what a tree is drawn of": (strip_drawn, "/;12\n├─/locks;4\n│ ├─/orrin;1\n│ ├─/lamb;3\n│ └─/mill;2\n├─/tolls;7\n│ ├─/bills;5\n│ └─/books;2\n└─/boats;1\n", Split(delimiter="semicolon", heading="none", fields=2), (0, 9), {"strip": ("1= ─│└├",)}),
    "a quote mark": (quote, "1;'long; tin';4.50\n2;rye;3.00\n3;'oat; thin';2.25\n4;seed;1.75\n5;white;2.00\n", Split(delimiter="semicolon", heading="none", fields=3), (0, 5), {"quote": ("single",)}),
    "a column that takes the surplus": (realign, "LK-1;coal;4.50\nLK-2;lime;burnt;3.00\nLK-3;coal;2.25\nLK-4;oak;dry;1.75\nLK-5;coal;2.00\nLK-6;slate;7.25\nLK-7;coal;9.50\n", Split(delimiter="semicolon", heading="none", fields=3), (0, 7), {"absorb": ("field-2",)}),
    "an edge less": (join_columns, "LK-1  lent (2. cabin)   4.50\nLK-2  lent (2. cabin)   3.00\nLK-3  shut              2.25\nLK-4  lent (2. cabin)   1.75\nLK-5  open              7.75\nLK-6  lent (2. cabin)   9.00\n", Split(edges=(6, 14, 23), heading="none", fields=4), (0, 6), {"edges": (6, 23)}),
    "text filled to the line": (space_once, "".join(f"LK-{k} the  keeper  of the upper  gate {k}\nhas  seen  it from the bridge, and  says\nso\n" for k in range(4)), Unwrap(starts="LK-{digits}"), (0, 12), {"one_space": True}),
    "a wash": (wash_first, "1;He\u200bron;4.50\n2;Wr\u200ben;3.00\n3;Heron;2.25\n4;Wren;1.75\n", Split(delimiter="semicolon", heading="none", fields=3), (0, 4), {"plain_spaces": False}),
    "parted words": (mend_hyphens, "LK-1;paid for pas-\nsage\nLK-2;free passage\nLK-3;no pas-\nsage\n", Unwrap(starts="LK-{digits}"), (0, 5), {"hyphens": "mend"}),
}  # fmt: skip


@pytest.mark.parametrize("name", MOVES)
def test_a_move_grows_a_chain_and_lowers_its_price(name: str) -> None:
    move, source, step, (first, last), wanted = MOVES[name]
    text = PricedText(source.encode())
    steps = (step,)
    if isinstance(step, Unwrap):
        steps = (
            step,
            Split(
                delimiter="semicolon",
                heading="none",
                fields=3 if "4.50" in source else 2,
                quote="none",
            ),
        )
    before = text.price(Chain(steps, first, last))
    grown = [text.price(chain) for chain in move(text, before)]
    best = min(grown, key=lambda priced: priced.price)
    assert best.price < before.price
    assert any(
        all(getattr(s, key, None) == value for key, value in wanted.items())
        for s in best.chain.steps
    )


def test_what_is_printed_once_is_carried_only_where_it_changes() -> None:
    split = Split(delimiter="semicolon", heading="none", fields=2)
    for first, is_carried in (("Top;1\n;2\n;3\nWeir;4\n;5\n", True), ("Top;1\n;2\n;3\nTop;4\n;5\n", False), (";1\nTop;2\n;3\n;4\n", False), ("Total;1\n;2\n;3\nWeir;4\n", False)):  # fmt: skip
        text = PricedText(first.encode())
        chains = [*carry_down(text, text.price(Chain((split,), 0, first.count("\n"))))]
        assert bool(chains) is is_carried, first


@pytest.mark.parametrize(
    ("move", "source", "split"),
    [
        (carry_down, "Top;ab;1\n;c;2\n;d;3\nWe\nir;e;4\n", Split(delimiter="semicolon", heading="none", fields=3)),  # a snag among the printed
        (group_by_margin, "coal\n  6  3.79\nlime\n  7  2.22\nsalt\n  1  4.00\n", Split(edges=(5,), heading="none", fields=2)),  # two lines a record
        (group_by_margin, "3 May   late\n  10:00  Quay\n  11:00  Hall\n5 May\n  12:00  Yard\n  13:00  Quay\n", Split(edges=(9,), heading="none", fields=2)),
        (strip_drawn, "/;12\n├─/locks;4\nx;1\ny;3\nz;2\n", Split(delimiter="semicolon", heading="none", fields=2)),  # once
        (quote, "1;'long\n2;rye\n3;oat\n", Split(delimiter="semicolon", heading="none", fields=2)),  # nothing closes it
        (realign, "Tansy;coal;4.50\nWren;lime;3.00\n", Split(delimiter="semicolon", heading="none", fields=3)),
        (join_columns, "LK-1  Tansy   12 no\nLK-2  Wren     7 yes\nLK-3  Coot    40 no\nLK-4  Teal     3 yes\n", Split(edges=(6, 12, 17), heading="none", fields=4)),  # a figure and another field
        (join_columns, "No    Boat   Toll\nLK-1  Tansy  4.50\nLK-2  Wren   3.00\n", Split(edges=(6, 13), heading="first")),  # the heading names them all
        (space_once, "LK-1;the  keeper\nLK-2;of  the gate\n", Split(delimiter="semicolon", heading="none", fields=2)),  # nothing was joined
        (wash_first, "1;Heron\n2;Wren\n", Split(delimiter="semicolon", heading="none", fields=2)),
        (leave_out, "No\n1\n2\n\nBoat\na\nb\n\nToll\n4\n5\n", Split(column_by_column=True, heading="first", names=("No", "Boat", "Toll"))),
    ],
)  # fmt: skip
def test_a_move_that_nothing_speaks_for_is_not_made(
    move: Callable[[PricedText, Priced], Iterator[Chain]], source: str, split: Split
) -> None:
    text = PricedText(source.encode())
    assert not [*move(text, text.price(Chain((split,), 0, source.count("\n"))))]


def test_a_remark_that_looks_like_a_group_line_is_told_from_one_by_its_margin() -> None:
    source = (
        "Reach: Halden\na    1\nb    2\n     Reach: dry\nReach: Mill\nc    3\n     Reach: wet\n"
    )
    text = PricedText(source.encode())
    split = Split(edges=(5,), heading="none", fields=2)
    grown = [*name_lines(text, text.price(Chain((split,), 0, 7)))]
    tables = [text.price(chain).batch.table for chain in grown]
    rows = [table.rows() for table in tables if table is not None and table.names[0] == "Reach"]
    assert rows and rows[0][:2] == [["Halden", "a", "1"], ["Halden", "b", "2"]]
    assert ["Halden", "", "Reach: dry"] in rows[0]


@pytest.mark.parametrize(
    ("mark", "before", "stated"),
    [
        ("||", "", "||"),  # the last record ends with it, and no blank
        (" || ", "x", " || "),
    ],
)
def test_the_last_of_records_that_run_on_may_end_as_the_others_do(
    mark: str, before: str, stated: str
) -> None:
    records = " || ".join(f"LK-{412 + k} | boat {k} | {k}.50" for k in range(6))
    text = f"{before}{records}{' ||' if mark == '||' else ''}\n"
    ends = [
        split.records_at
        for chain in running.propose(make_body(text.encode(), ()))
        for split in chain.steps
        if isinstance(split, Split) and split.records_at != "newline"
    ]
    assert stated in ends


def test_records_whose_codes_begin_otherwise_begin_too() -> None:
    lines = ["LK-1;a", "goes on", "MP-2;b", "LK-3;c", "QR-4;d", "and on", "ST-5;e"]
    (pattern, *_) = find_starts(lines)
    assert [begins_so(pattern, line) for line in lines] == [line[0].isupper() for line in lines]
    assert find_starts([f"LK-{k};a" for k in range(5)])[0] == "LK-{digits}"


def test_panels_say_the_same_or_hold_figures_from_the_first_line_on() -> None:
    table = "Out     Loan  Back    Fine\n" + "".join(f"{k} June  {k + 70}    {k + 2} July  {k}.50\n" for k in range(1, 8))  # fmt: skip
    twice = table.replace("Back    Fine", "Out     Loan")
    bare = table.split("\n", 1)[1]
    for text, is_one in ((table, False), (twice, True), (bare, True)):
        splits = [step for chain in displayed.propose(make_body(text.encode(), ())) for step in chain.steps if isinstance(step, Split)]  # fmt: skip
        assert any(split.panels > 1 for split in splits) is is_one


def test_last_columns_may_be_missing_and_lines_left_outside() -> None:
    source = "Dear Ann,\n\na;1;x\nb;2\nc;3;y\nd;4\n\nYours\n"
    text = PricedText(source.encode())
    split = Split(delimiter="semicolon", heading="none", fields=3)
    short = text.price(Chain((split,), 2, 6))
    (optional,) = realign(text, short)
    assert text.price(optional).price < short.price
    wide = text.price(Chain((split,), 0, 8))
    spans = {(chain.first, chain.last) for chain in leave_out(text, wide)}
    assert (2, 8) in spans and (0, 6) in spans


def test_a_search_tells_what_it_tried_cheapest_first() -> None:
    found = search(b"a;1\nb;2\nc;3\nd;4\n")
    prices = [way.price for way in found.ways]
    assert prices == sorted(prices) and 1 < found.n_trials <= 160
    assert all(step.reach != "whole" for way in search(b"No\n1\n2\n3\nBoat\na\nb\nc\n", is_whole=False).ways for step in way.chain.steps)  # fmt: skip


def test_a_body_knows_where_its_lines_were() -> None:
    body = make_body(b"x\r\n\r\nHalden 1\na\nb\n", (Wash(drop_lines="Halden {digits}"),))
    assert [*body.lines] == ["x", "", "a", "b"] and [*body.places] == [0, 1, 3, 4]
    assert body.stretches == [(0, 1), (2, 4)] and body.full == [0, 2, 3]
    assert next(iter(body.list_windows())) == (0, 4)
    chain = body.make_chain((Split(delimiter="none", heading="none", fields=1),), 2, 4)
    assert (chain.first, chain.last) == (3, 5)
