"""What speaks against the way a table is built: doubts, each with a text that has it and one that has not."""

from __future__ import annotations

import pytest

from wetcomb import draft
from wetcomb.combs.memory import make_batch
from wetcomb.core.text import Text
from wetcomb.drafts.doubts.built import find_built_doubts
from wetcomb.drafts.doubts.find import raise_doubts
from wetcomb.drafts.doubts.headings import find_heading_doubts
from wetcomb.drafts.doubts.joined import find_join_doubts
from wetcomb.drafts.doubts.seen import Drafted
from wetcomb.drafts.first_draft import draft_once
from wetcomb.drafts.whole import Whole
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step
from wetcomb.steps.unwrap.options import Unwrap

BOATS = ["Tansy", "Heron Wake", "Wren", "Plover", "Coot", "Rook"]


def see(text: str, *steps: Step, behind: tuple[str, ...] = ()) -> set[tuple[str, str]]:
    """Return the doubts about a table that some steps make, with how they are said."""
    batch = make_batch(steps, Text.of(text.encode()))
    split = next(step for step in steps if isinstance(step, Split))
    seen = Drafted({}, text.encode(), (), behind, 1, steps, split, None, batch)
    return {
        (raised.doubt.name, raised.doubt.said)
        for raised in (*find_built_doubts(seen), *find_join_doubts(seen))
    }


def lines(form: str) -> str:
    return "".join(form.format(boat=boat, k=k, n=412 + 3 * k) for k, boat in enumerate(BOATS))


BARE = Split(delimiter="semicolon", heading="none", fields=2, quote="none")
BLANK = Split(delimiter="space", heading="none", fields=2, cuts="first:1", quote="none")


@pytest.mark.parametrize(
    ("text", "split", "said"),
    [
        (lines("boat={boat};{k}\n"), BARE, "all 6 values of field-1 begin with 'boat='"),
        (lines("[ {boat};{k} ]\n"), BARE, "all 6 values of field-1 begin with '['"),
        (lines("{boat};{k} (tons)\n"), BARE, "all 6 values of field-2 end with '(tons)'"),
        (lines("{boat};{k} at 0{k}:30 Orrin\n"), BARE, "6 values of field-2 hold figures and words in the same order, like '0 at 00:30 Orrin'"),
        (lines("{k} {boat} 3 coal\n"), BLANK, "6 values of field-2 hold figures and words in the same order, like 'Tansy 3 coal'"),
        (lines("{n} {boat};{k}\n"), BARE, "all values of field-1 begin with a number that rises, like '412 Tansy'"),
        ("Tansy;4\n" + "".join(f"2031 {boat};{k}\n" for k, boat in enumerate(BOATS)), BARE, "6 of 7 values of field-1 begin with '2031': it may belong to the field before"),
        (lines("{k} {boat}\n").replace("2 Wren", "2 31").replace("3 Plover", "3 32"), BLANK, "field-2 holds figures in some records and words in others: cells may have slipped"),
        ("".join(f"{k} {'yes' if k % 2 else 'no'} {boat}\n" for k, boat in enumerate(BOATS)), BLANK, "all 6 values of field-2 begin with 'no' or 'yes': that may be a field"),
        (lines("{boat}   coal;{k}\n"), BARE, "6 values of field-1 hold a gap, like 'Tansy   coal'"),
    ],
)  # fmt: skip
def test_what_a_value_holds_more(text: str, split: Split, said: str) -> None:
    assert said in {words for _, words in see(text, split)}


@pytest.mark.parametrize(
    "text",
    [
        lines("{boat};Jun {k}, 2031\n"),  # days have marks of their own
        lines("{boat};(0{n}) 55{k}0\n"),
        lines("LK-{n};{k} t\n"),
        lines("{boat};https://halden.example/{k}\n"),
        lines("{boat};seen by {boat}, then {k} left\n"),
        "a=1;x\nb=2;y\n",  # too few to tell
    ],
)
def test_what_stands_in_values_by_right(text: str) -> None:
    assert not see(text, BARE)


@pytest.mark.parametrize("is_shifted", [True, False])
def test_records_that_end_early_and_have_shifted(is_shifted: bool) -> None:
    """The cost is missing in some records, and what stands behind it takes its place; or the day is."""
    rows = [[f"{27 + 9 * k:03}", "flange", f"{k + 3}.9 mm", f"{k}.50", "Orrin", f"{k + 1} May 31"] for k in range(16)]  # fmt: skip
    for k in (2, 5, 9, 12):
        del rows[k][3 if is_shifted else 5]
    table = "Bin|Part|Size|Cost|From|Checked\n" + "".join("|".join(row) + "\n" for row in rows)
    kinds = {doubt.name for doubt in draft(table, with_commands=False).doubts}
    done = draft(table, with_commands=False).run(table)
    is_right = [row[4] for row in done.rows()] == ["Orrin"] * 16
    assert is_right or "foreign-value" in kinds or done.snags.n_records


@pytest.mark.parametrize(
    ("form", "mark", "is_doubted"),
    [
        ("{boat} SP-{n}\n", "-", True),
        ("{n}% {boat} dry\n", "%", True),
        ("{boat} - {n}\n", "-", False),
        ("{boat};{n}\n", ";", False),
    ],
)
def test_a_cut_within_words_or_figures(form: str, mark: str, is_doubted: bool) -> None:
    split = Split(delimiter=mark, heading="none", fields=2, quote="none")
    assert ("cut-inside" in {kind for kind, _ in see(lines(form), split)}) is is_doubted


def test_a_piece_of_a_column() -> None:
    text = "".join(f"{boat:<12}{n:>5}\n" for boat, n in zip(BOATS * 2, range(88, 100), strict=True))
    split = Split(edges=(12, 15), heading="none", fields=3)
    assert "cut-inside" not in {kind for kind, _ in see(text, split)}
    said = "field-2 holds '<' and is blank in nearly all records: it may be a piece of the column beside it"
    assert ("cut-inside", said) in see(text + "Teal        <   98\n", split)


def test_a_piece_of_a_record_by_itself() -> None:
    full = "".join(f"{boat};{k}.50;Orrin;late\n" for k, boat in enumerate(BOATS))
    split = Split(delimiter="semicolon", heading="none", fields=4, quote="none")
    said = "a record fills one column only: ';;;seen since the storm'"
    assert ("thin-records", said) in see(full + ";;;seen since the storm\n", split)
    assert not see(full + "Teal;;;\n", split)


def test_names_that_only_a_line_above_tells_apart() -> None:
    split = Split(delimiter="semicolon", heading="first", fields=3)
    for top, is_doubted in (("No;Toll;Toll\n", True), ("No;Toll;Fee\n", False)):
        text = top + "".join(f"{k};{k + 3}.50;{k + 4}.25\n" for k in range(6))
        batch = make_batch((split,), Text.of(text.encode()))
        seen = Drafted({}, text.encode(), (), (), 1, (split,), split, None, batch)
        kinds = {raised.doubt.name for raised in find_heading_doubts(seen)}
        assert ("heading-joined" in kinds) is is_doubted


def test_what_was_decoded_wrongly_is_seen_in_other_alphabets() -> None:
    boats = ["قارب الرمل", "باب الساقية", "عين النخل", "رأس الغدير", "تل الريح"]
    right = "".join(f"{boat};{k}.50\n" for k, boat in enumerate(boats))
    wrong = right.encode().decode("cp1252", "replace").replace("\ufffd", "x")
    for text, is_odd in ((right, False), (wrong, True), ("Øl;4\nÅl;3\nØre;2\nÛr;1\n", False)):
        _, drafted = draft_once(text.encode(), {}, None)
        assert ("odd-signs" in {raised.doubt.name for raised in raise_doubts(drafted)}) is is_odd


def test_a_record_that_another_has_swallowed() -> None:
    text = "LK-1; Tansy; late\nLK-2; Wren; see the\nletter\nMP-3; Coot; dry\nLK-4; Rook; wet\n"
    cut = Split(delimiter="; ", heading="none", fields=3, cuts="first:2", quote="none")
    found = see(text, Unwrap(starts=("LK-{digits}",)), cut)
    assert ("joined-unsure", "a value of field-3 holds as many ';' as a record") in found
    assert not see(text, Unwrap(starts=("regex:[A-Z]{2}-",)), cut)


CELLS = "".join(f"{412 + k}\n{boat}\n{k}.50\n" for k, boat in enumerate(BOATS))


@pytest.mark.parametrize(
    ("text", "behind", "name"),
    [
        (CELLS, (), ""),
        (CELLS.replace("Wren\n", "", 1), (), "foreign-value"),
        (CELLS, ("Orrin", "Mill", "Weir", "Lamb"), "outside-alike"),
        (CELLS, ("Tom",), ""),
    ],
)
def test_cells_of_a_line_that_slipped_or_were_left_out(
    text: str, behind: tuple[str, ...], name: str
) -> None:
    split = Split(
        delimiter="newline", per_record=3, cell_shapes="any", heading="none", fields=3, quote="none"
    )
    found = see(text, split, behind=behind)
    assert {kind for kind, _ in found} == ({name} if name else set())


def test_a_name_with_nothing_below() -> None:
    text = "Acc. no   Toll\n" + "".join(f"{n}       {n}.50\n" for n in range(412, 418))
    split = Split(delimiter="none", edges=(5, 10), heading="first", fields=3)
    said = "nothing stands under 'no': it may be part of the name beside it"
    assert ("heading-torn", said) in see(text, split)


def test_lines_joined_over_a_blank_line() -> None:
    text = "No   Remark\n1    left open\n\n     waits for\n2    the gate\n\n3    dry\n     again\n4    wet\n"
    split = Split(delimiter="none", edges=(5,), heading="first", fields=2, wrapped=True)
    assert "joined-unsure" in {kind for kind, _ in see(text, split)}
    assert not see(text.replace("\n\n", "\n"), split)


def test_a_line_of_every_page_within_a_value() -> None:
    pages = [f"1.{k} Notice\nwaits for the\nHalden Canal  Page {k}\ngate, {9 * k} of them\nand goes on\nuntil noon\n" for k in (1, 2, 3)]  # fmt: skip
    text = "1 Notices\n" + "".join(pages)
    split = Split(delimiter="none", records_at="heading:2", heading="none")
    kinds = {kind for kind, _ in see(text, split)}
    assert "page-lines" in kinds
    still = text.replace("Page 2", "Page 7").replace("Page 3", "Page 5")  # it does not rise by one
    assert "page-lines" not in {kind for kind, _ in see(still, split)}


def test_of_ways_that_are_as_cheap_the_one_is_taken_that_less_speaks_against() -> None:
    text = "".join(f"[ {boat} :: {boat[::-1]} :: {k}.50 ]\n" for k, boat in enumerate(BOATS))
    comb, drafted = Whole(text.encode(), {}, None).best
    assert drafted.table.rows()[1] == ["Heron Wake", "ekaW noreH", "1.50"], comb.notes


def test_the_first_line_of_the_part_that_is_meant_is_known() -> None:
    text = "Notes of the week\nwhich nobody reads.\n\nboat;toll\nTansy;1\nWren;2\nCoot;3\n"
    _, drafted = draft_once(text.encode(), {}, None, first_line=10)
    assert drafted.first_line == 13 and drafted.inside.startswith(b"boat;toll")
