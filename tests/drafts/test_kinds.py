"""Texts as programs print and people write them: what a draft makes of them by itself, and where it doubts."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import wetcomb
from wetcomb.drafts.labels import find_pull
from wetcomb.drafts.mail_fields import find_each_head, list_mail_fields
from wetcomb.drafts.pricing.chains import PricedText
from wetcomb.drafts.proposals.surroundings import find_recurring
from wetcomb.drafts.search import search

DAYS = ["Mon, 02 Jun 2031 08:58:23 +0100", "Tue, 03 Jun 2031 08:07:14 +0100", "Wed, 04 Jun 2031 13:16:21 +0100", "Thu, 05 Jun 2031 09:40:02 +0100"]  # fmt: skip
ABOUT = [
    "Gate shut for wind",
    "Buoy 14 adrift",
    "Soundings above the weir",
    "Lamp out at the basin",
]
SAID = [
    "The upper gate stays shut until the wind\ndrops.",
    "It was seen below the bridge.\n\nSubject: this line was copied and is none.",
    "3.4 m in the middle.",
    "The keeper has been told.",
]
MAILS = [
    f"Notice: {k}\nDate: {day}\nFrom: Ruth Pell <pell{k}@halden.example>\nSubject: {about}\n\n{said}\n\n{'-' * 30}\n\n"
    for k, (day, about, said) in enumerate(zip(DAYS, ABOUT, SAID, strict=True), 1)
]
FORMS = [
    f"From: boat{k}@orrin.example\nTo: berths@halden.example\nSubject: Berth for boat {k}\nDate: {DAYS[k]}\n\nGood day,\n\nBoat: Tansy {k}\nDraught: 1.{k} m\nCargo: coal\n\nThe master\n\n"
    for k in range(4)
]
WORK = ["scrape the beam", "two coats of black", "grease", "count them", "renew the third", "oil"]
HUTS = [("Sallow Hut", "24", "15 June", "a"), ("Weir Cabin", "6", "always", ""), ("Old Pump House", "80", "1 June", "b, c"), ("Lamb Shed", "", "1 July", "a"), ("Orrin Loft", "12", "Easter", "d"), ("Mill Barn", "9", "1 June", ""), ("Top Bothy", "32", "20 June", "c")]  # fmt: skip
OUTLINE = {
    "Upper Reach": ("The gate was shut for wind in the second\nweek of May, and nobody was hurt.", "Two beams were scraped; a third one waits\nfor dry days."),
    "Lower Reach": ("Soundings were taken above the weir by\nthe younger keeper.", "A boat with coal lay there, in spite of\nwhat the board says."),
    "Mill": ("Nothing has been done since the flood.", "Pay for the rope is due, 12 marks or\nmore if it rains."),
}  # fmt: skip
HEAD = f"{'Hut':<18}{'Beds':>6}   {'Opens':<12}Note\n"
RULE = f"{'-' * 16}  ------   {'-' * 12}\n"
LOW = "".join(
    f"{name:<18}{k:>6}   {k + 3} June\n" for k, name in enumerate(("Sallow", "Weir", "Mill"), 4)
)


def print_huts(rows: list[tuple[str, ...]]) -> str:
    return HEAD + "".join(f"{a:<18}{b:>6}   {c:<12}{d}\n" for a, b, c, d in rows)


QUAYS = {
    "Una Coot": [("866/31", "Orrin", 76), ("867/31", "Sallow", 11), ("868/31", "Withy", 30)],
    "Ed Mire": [("876/31", "Sallow", 130), ("878/31", "Withy", 42), ("879/31", "Halden", 37), ("880/31", "Weir", 5)],
    "Sam Wherry": [("900/31", "Wick", 48), ("901/31", "Sallow", 53), ("902/31", "Ford", 66)],
}  # fmt: skip
#: Groups that end with what they come to, under a word that is none of those for totals.
FETCHED = f"     {'Sailing':<10}{'From':<12}{'Foot':>5}\n" + "".join(
    f"  {who}\n" + "".join(f"     {no:<10}{place:<12}{foot:>5}\n" for no, place, foot in sailed)
    + f"     {'Fetched':<22}{sum(foot for *_, foot in sailed):>5}\n"
    for who, sailed in QUAYS.items()
)  # fmt: skip

#: A text, the records that a person would make of it, and whether the names are told.
TEXTS: dict[str, tuple[str, list[list[str]]]] = {
    "totals by another name": (FETCHED, [
        [who, no, place, str(foot)] for who, sailed in QUAYS.items() for no, place, foot in sailed
    ]),
    "mails one under another": ("The notices of the week\n\n" + "".join(MAILS) + "End of the notices\n", [
        [str(k), day, f"Ruth Pell <pell{k}@halden.example>", about, " ".join(said.split())]
        for k, (day, about, said) in enumerate(zip(DAYS, ABOUT, SAID, strict=True), 1)
    ]),
    "three levels of signs": ("To do\n\n" + "".join(f"• Gate {g}\n" + "".join(f"   – Part {g}{p}\n" + "".join(f"      › {w}, and what\n        belongs to it\n" for w in WORK[p : p + 2]) for p in (1, 3)) for g in (1, 2)), [
        [f"Gate {g}", f"Part {g}{p}", f"{w}, and what belongs to it"] for g in (1, 2) for p in (1, 3) for w in WORK[p : p + 2]
    ]),
    "a page line and the heading again": (print_huts(HUTS[:4]) + "\n          - 2 -\n\n" + print_huts(HUTS[4:]), [list(hut) for hut in HUTS]),
    "events between a beginning and an end": ("BEGIN:LIST\nVERSION:2\n" + "".join(f"BEGIN:EVENT\nSUMMARY:Walk {k}\nUID:{k * 7}-orrin\n" + "PLACE:Quay\n" * (k % 2) + "END:EVENT\n" for k in range(9)) + "END:LIST\n", [
        [f"Walk {k}", f"{k * 7}-orrin", "Quay" * (k % 2)] for k in range(9)
    ]),
    "values that hold the mark of labels": ("\n".join(f"  boat = Tansy {k}\n  lock = Orrin\n  note = {['', 'rope = lent', 'rope = lent; oil = none'][k % 3]}\n" for k in range(9)), [
        [f"Tansy {k}", "Orrin", ["", "rope = lent", "rope = lent; oil = none"][k % 3]] for k in range(9)
    ]),
    "a foot below the last block": ("\n".join(f"{k}. row\n    boat: Tansy {k}\n    toll: {k}.50\n  remark: {'late' * (1 - k % 2)}" for k in range(1, 7)) + "\n6 rows in all\n", [
        [f"Tansy {k}", f"{k}.50", "late" * (1 - k % 2)] for k in range(1, 7)
    ]),
    "a mark with blanks around, and within codes": ("".join(f"{place}\n" + "".join(f"    {k}KX/00{k}0 / 16:3{k} / {k}7 / no\n" for k in (1, 2, 3)) for place in ("Upper Sallow", "Weir Gate")), [
        [place, f"{k}KX/00{k}0", f"16:3{k}", f"{k}7", "no"] for place in ("Upper Sallow", "Weir Gate") for k in (1, 2, 3)
    ]),
    "a word of a short list between names": ("".join(f"HD-05{k:02} {pot} {yes} {who} {k % 9 + 1}/06/2031 {k + 3}\n" for k, (pot, yes, who) in enumerate(zip(["jug", "tall vase", "wide bowl", "jug"] * 5, ["yes", "no"] * 10, ["Ida Marsh", "Una", "Tom Coot", "Ann van Holt", "Bea Reed"] * 4, strict=True))), [
        [f"HD-05{k:02}", pot, yes, who, f"{k % 9 + 1}/06/2031", str(k + 3)] for k, (pot, yes, who) in enumerate(zip(["jug", "tall vase", "wide bowl", "jug"] * 5, ["yes", "no"] * 10, ["Ida Marsh", "Una", "Tom Coot", "Ann van Holt", "Bea Reed"] * 4, strict=True))
    ]),
    "a rule of single marks": ("".join(f"{n:<4}{boat:<14}{points:>4}\n" + "- - - - - - - - - - - - - -\n" * (n in (2, 5)) for n, boat, points in ((1, "Tansy", 22), (2, "Heron Wake", 20), (3, "Wren 1927", 16), (4, "Rook", 15), (5, "Coot", 14), (6, "Teal", 3))), [
        [str(n), boat, str(points)] for n, boat, points in ((1, "Tansy", 22), (2, "Heron Wake", 20), (3, "Wren 1927", 16), (4, "Rook", 15), (5, "Coot", 14), (6, "Teal", 3))
    ]),
    "names with commas glued to their numbers": ("".join(f"{200 + 9 * k}{name}, {first}\n" for k, (name, first) in enumerate([("Marsh", "Ida"), ("Wąż", "Wit"), ("Coot", "Tom"), ("Reed", "Una"), ("Teal", "Ben"), ("Rook", "Sam"), ("Lark", "Col"), ("Gęś", "Zoë")])), [
        [str(200 + 9 * k), f"{name}, {first}"] for k, (name, first) in enumerate([("Marsh", "Ida"), ("Wąż", "Wit"), ("Coot", "Tom"), ("Reed", "Una"), ("Teal", "Ben"), ("Rook", "Sam"), ("Lark", "Col"), ("Gęś", "Zoë")])
    ]),
    "pages in a reply": ("Can you use it?\n\n" + "".join(f"> {line}\n" for page, month in enumerate(("May", "June", "July"), 1) for line in (f"{HEAD.replace('Note', '')}{RULE}{LOW.replace('June', month)}\nHut list, sheet {page}\n").split("\n")), [
        [name, str(k), f"{k + 3} {month}"] for month in ("May", "June", "July") for k, name in enumerate(("Sallow", "Weir", "Mill"), 4)
    ]),
    "figures and words glued, few lines": ("".join(f"{k * 37:03}{part}{k * 61}{place}\n" for k, (part, place) in enumerate([("clamp", "Fenny Hythe"), ("flange", "Halden"), ("tee", "Upper Sallow"), ("bolt", "Ash"), ("washer", "Orrin"), ("elbow", "Lamb Lock")], 1)), [
        [f"{k * 37:03}", part, f"{k * 61}", place] for k, (part, place) in enumerate([("clamp", "Fenny Hythe"), ("flange", "Halden"), ("tee", "Upper Sallow"), ("bolt", "Ash"), ("washer", "Orrin"), ("elbow", "Lamb Lock")], 1)
    ]),
    "figures and signs without case": ("".join(f"{k * 37:03}{part}{k * 7 % 90}{who}\n" for k, (part, who) in enumerate(zip(["鉛筆", "糊", "万年筆", "封筒"] * 3, ["水門岬", "小舟歩", "霧島田春", "柳瀬環", "苔野茂", "葦原歩"] * 2, strict=True), 1)), [
        [f"{k * 37:03}", part, f"{k * 7 % 90}", who] for k, (part, who) in enumerate(zip(["鉛筆", "糊", "万年筆", "封筒"] * 3, ["水門岬", "小舟歩", "霧島田春", "柳瀬環", "苔野茂", "葦原歩"] * 2, strict=True), 1)
    ]),
    "an outline whose outer numbers stand in running text": ("".join(f"{k} {name}\n" + "".join(f"{k}.{n} {HUTS[k + n][0]}\n{said}\n" for n, said in enumerate(pair, 1)) for k, (name, pair) in enumerate(OUTLINE.items(), 1)), [
        [f"{k}", name, f"{k}.{n}", HUTS[k + n][0], said.replace("\n", " ")] for k, (name, pair) in enumerate(OUTLINE.items(), 1) for n, said in enumerate(pair, 1)
    ]),
    "a yes or no between names, and a note below": ("".join(f"0{130 + k} {who} {'YN'[k % 2]} {what} {k % 7 + 3} £{k * 3}.{k % 10}8\n" for k, (who, what) in enumerate(zip(["Ida Marsh", "Una", "Tom Coot", "Ann van Holt"] * 6, ["rye", "long tin", "oat"] * 8, strict=True))) + "\n* as entered by 2 keepers\n", [
        [f"0{130 + k}", who, "YN"[k % 2], what, str(k % 7 + 3), f"£{k * 3}.{k % 10}8"] for k, (who, what) in enumerate(zip(["Ida Marsh", "Una", "Tom Coot", "Ann van Holt"] * 6, ["rye", "long tin", "oat"] * 8, strict=True))
    ]),
    "words for nothing among figures": ("".join(f"{toll} {tool} {day} {who} FA-00{20 + k}\n" for k, (toll, tool, day, who) in enumerate(zip(["(£4.97)", "n/a", "£7.42", "n/a", "£1.05"] * 4, ["Hand saw", "Long ladder", "Sander", "Post driver"] * 5, [*["18-Jun-31", "n/a"] * 7, *["21-Jun-31"] * 6], ["Ida Marsh", "Una", "Tom Coot", "Ann van Holt", "Bea"] * 4, strict=True))), [
        [toll, tool, day, who, f"FA-00{20 + k}"] for k, (toll, tool, day, who) in enumerate(zip(["(£4.97)", "n/a", "£7.42", "n/a", "£1.05"] * 4, ["Hand saw", "Long ladder", "Sander", "Post driver"] * 5, [*["18-Jun-31", "n/a"] * 7, *["21-Jun-31"] * 6], ["Ida Marsh", "Una", "Tom Coot", "Ann van Holt", "Bea"] * 4, strict=True))
    ]),
    "days at the margin, decoded wrongly": ("  Course   Title              Fee\n\n" + "".join(f"2031-02-1{d}\n" + "".join(f"  TH.{d}.{k * 7 + 10}  {title:<17} Â£{k * 9 + d}.50\n" for k, title in enumerate(("Welding", "Dry stone walls", "Bread"), 1)) + "\n" for d in range(1, 5)), [
        [f"2031-02-1{d}", f"TH.{d}.{k * 7 + 10}", title, f"£{k * 9 + d}.50"] for d in range(1, 5) for k, title in enumerate(("Welding", "Dry stone walls", "Bread"), 1)
    ]),
    "leaders under names with commas": ("".join(f"{name} {'·' * (40 - len(name))} May {k}, 2031\n" for k, name in enumerate(("Tarn, Zoë", "van der Reed, Ann", "Wherry, Ben", "Coot, Col", "Teal, Sam", "Rook, Ida"), 4)), [
        [name, f"May {k}, 2031"] for k, name in enumerate(("Tarn, Zoë", "van der Reed, Ann", "Wherry, Ben", "Coot, Col", "Teal, Sam", "Rook, Ida"), 4)
    ]),
}  # fmt: skip


@pytest.mark.parametrize("name", TEXTS)
def test_the_records_are_found(name: str) -> None:
    text, records = TEXTS[name]
    comb = wetcomb.draft(text)
    rows = [[value or "" for value in row] for row in comb.run(text).rows()]
    assert rows == records, (comb.notes, comb.doubts)


#: A text of which something cannot be known, and the doubt that says so.
DOUBTED = {
    "lines cut within words": ("joined-torn", "".join(f"PLACE:Basin {k}\nTEXT:{('gatekeeper' * 9)[k : k + 40]}\n {('as he said' * 9)[: 20 + k]}\n\n" for k in range(9))),
    "a word cut at the end of a line": ("joined-unsure", "".join(f"0{k}167;{name};lent to the keeper;36{k};late\n" for k, name in enumerate(("elbow", "tee", "clamp", "flange", "pin", "bolt"))) + "91355;bolt, hex;not seen since the great st\norm of the year;609;late\n"),
    "a record beside others that have the same text": ("foreign-value", "".join(f"0{k}167;elbow;lent to the keeper;36{k};late\n" for k in range(6)) + "91355;bolt, hex;not seen since the great st\norm of the year;609;late\n"),
    "sections in a text that is cut at a mark": ("joined-unsure", "".join(f"{k} {name}\n" + "".join(f"{k}.{n} {HUTS[k + n][0]}\n{ABOUT[k]} and {WORK[n]}; the keeper was told in\nspring, {WORK[k]} and {WORK[n + 1]}.\n" for n in (1, 2)) for k, name in enumerate(("Upper Reach", "Lower Reach", "Mill"), 1))),
    "a yes or no before words of a list": ("fields-inside", "".join(f"{'YN'[k % 2]} {('rye', 'oat', 'plain')[k % 3]} {k * 707 % 5000}.{k % 10}5 {who}, {first} ME-07{k}\n" for k, (who, first) in enumerate([("Marsh", "Ida"), ("Coot", "Tom"), ("Reed", "Una"), ("Teal", "Ben"), ("van Holt", "Ann"), ("Lark", "Col"), ("Gill", "Zoë"), ("Rook", "Sam"), ("Wren", "Bea")], 11))),
    "a number within all values": ("fields-inside", "".join(f"1{k}-Feb-31;{who} {160 + 3 * k} {what}\n" for k, (who, what) in enumerate(zip(["Una Marsh", "Hester", "Ed Sedge", "Tom"] * 2, ["Hand saw", "Long ladder"] * 4, strict=True)))),
    "a total that no column adds up to": ("total-off", "".join(f"LK-0{k};Tansy {k};{k}.50\n" for k in range(1, 9)) + "Total 41.00\n"),
    "one day that is left out": ("first-blank", "".join(f"{day:<14}{name:<8}{k}.50\n" for k, (day, name) in enumerate([("1 June 2031", "Tansy"), ("3 June 2031", "Wren"), ("", "Coot"), ("4 June 2031", "Teal"), ("9 June 2031", "Rook"), ("12 June 2031", "Lark")]))),
}  # fmt: skip


@pytest.mark.parametrize("name", DOUBTED)
def test_what_cannot_be_known_is_doubted(name: str) -> None:
    doubt, text = DOUBTED[name]
    comb = wetcomb.draft(text)
    assert doubt in {one.name for one in comb.doubts}, comb.run(text).rows()


@pytest.mark.parametrize(
    "last", ["Total 40.00", "Sum: 40.00 marks", "Total 8 locks", "Boats 41.00"]
)
def test_a_total_that_agrees_or_is_none_is_not_doubted(last: str) -> None:
    text = "".join(f"LK-0{k};Tansy {k};{k}.50\n" for k in range(1, 9)) + last + "\n"
    assert "total-off" not in {one.name for one in wetcomb.draft(text).doubts}


def test_heads_before_blocks_are_told_and_not_taken() -> None:
    """What a mail's head says is a column only where that is asked for; the note says how."""
    found = find_pull("".join(FORMS))
    assert found is not None
    pull, notes = found
    assert pull.label == ("Boat", "Draught", "Cargo")
    assert any("--label mail.From --label mail.Subject --label mail.Date" in note for note in notes)
    lines = "".join(FORMS).splitlines()
    heads = find_each_head(lines, [k for k, line in enumerate(lines) if line.startswith("Boat")])
    fields = [name for name, _ in list_mail_fields(lines, heads)]
    assert len(heads) == 4 and fields == ["From", "Subject", "Date"]  # `To` is the same in all
    assert find_each_head(lines[:20], []) == []  # two are no pile


@pytest.mark.parametrize(
    ("above", "begin"),
    [
        ("Sighting {} of the year", "Sighting {digits} of the year"),
        ("Seen on June {}, 2031", "first-label"),  # two figures
        ("Seen on day {}4", "first-label"),  # rises by ten
    ],
)
def test_a_line_that_counts_begins_blocks(above: str, begin: str) -> None:
    text = "".join(
        f"{above.format(k)}\nBird: bird {k * 7}\nAt: hide {k % 3}\n\n" for k in range(1, 8)
    )
    found = find_pull(text)
    assert found is not None and found[0].blocks == begin, found


@pytest.mark.parametrize(
    ("text", "patterns"),
    [
        (print_huts(HUTS[:3]) + "\n - 2 -\n\n" + print_huts(HUTS[3:]), ("- {digits} -",)),
        (print_huts(HUTS[:3]) + "\nSheet 2 of 2\n\n" + print_huts(HUTS[3:]), ("Sheet {digits} of {digits}",)),
        (print_huts(HUTS[:3]) + "\nbeds in all, of which 12 free\n\n" + print_huts(HUTS[3:]), ()),  # a sentence
        (print_huts(HUTS[:3]) + print_huts(HUTS[3:]), ()),  # nothing stands between
        ("".join(MAILS), ()),  # a number that rises begins blocks of labels
        (f"        Upper     Lower\n{HEAD}{RULE}{LOW}" * 3, ()),  # a heading of two lines
        ("".join(f"{HEAD}{RULE}{LOW.replace('June', month)}{LOW}{RULE}Hut list, sheet {k}\n\n" for k, month in enumerate(("May", "June", "July"), 1)), ("Hut list, sheet {digits}",)),  # rules may part
    ],
)  # fmt: skip
def test_lines_that_tell_the_page(text: str, patterns: tuple[str, ...]) -> None:
    assert find_recurring(text.splitlines()) == patterns


def test_a_wrong_spelling_costs_no_more_than_the_right_one() -> None:
    """Texts are priced in the words that a wash leaves: signs that cannot be seen make no word a new one."""
    plain = "".join(f"{k};Heron Wake;late and seen twice\n" for k in range(8))
    hidden = plain.replace("Wake", "Wa\u200bke").replace("seen", "se\u00aden")
    assert PricedText(hidden.encode()).plain == PricedText(plain.encode()).plain
    mended = PricedText("naÃ¯ve cafÃ©\n".encode())
    assert mended.said == ["naïve café"] and mended.lines == ["naÃ¯ve cafÃ©"]


@given(
    st.lists(
        st.lists(
            st.sampled_from(["LK-1", "2031", "a b", "seen", "|", "0.5", ",", "x/y", "@", "–"]),
            min_size=1,
            max_size=14,
        ),
        min_size=3,
        max_size=12,
    )
)
@settings(max_examples=25, deadline=None)
def test_a_search_ends_whatever_a_text_is_of(lines: list[list[str]]) -> None:
    """Patterns of many fields over long lines have one way to match each piece, or this would not end."""
    text = "".join(" ".join(line * 6) + "\n" for line in lines)
    found = search(text.encode())
    assert found.n_trials <= 220
    assert all(way.batch.table is not None and way.batch.table.n_records for way in found.ways)
