"""What is beside records is found where it is certain, and left alone where it is not."""

from __future__ import annotations

import re
import shlex
from itertools import accumulate

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from program import wetcomb
from wetcomb import Split, draft
from wetcomb.steps.unwrap.options import Unwrap

BOATS = ["Tansy", "Plover", "Sallow", "Brindle"]


def make_report(lines: list[str], heading: str = "Date        Boat         Toll  Remark") -> str:
    """Return a report in columns; a line that begins with a figure is a record."""
    made = [heading, "----------  ----------  -----  --------------------"]
    return "\n".join(made + lines) + "\n"


def record(k: int, remark: str = "") -> str:
    return f"2031-06-{k + 1:02}  {BOATS[k % 4]:10}  {k + 1:2}.50  {remark}".rstrip()


RECORDS = [record(k) for k in range(12)]
ON = " " * 31


def options_of(text: str) -> tuple[Split, list[Unwrap]]:
    comb = draft(text)
    (split,) = [step for step in comb.steps if isinstance(step, Split)]
    return split, [step for step in comb.steps if isinstance(step, Unwrap)]


FOUND = [
    (["Reach: Halden", *RECORDS[:3], "Reach: Orrin Bay", *RECORDS[3:6]], {"group": ("Reach: {words as Reach}",)}),
    (["Year: 2031", "Reach: Halden", *RECORDS[:3], "Reach: Orrin", *RECORDS[3:5], "Year: 2032", "Reach: Mill", *RECORDS[5:]], {"group": ("Year: {any as Year}", "Reach: {words as Reach}")}),
    ([*RECORDS[:3], "Total                  7.50"], {"totals": ("Total {number as Toll}",)}),
    ([*RECORDS[:2], "Sub-total Halden       4.00", *RECORDS[2:4], "Sub-total Orrin        8.00", "Total                 12.00"], {"totals": ("Sub-total {words} {number as Toll}", "Total {number as Toll}")}),
    ([*RECORDS[:2], "Sub-total Halden       4.00", *RECORDS[2:4], "Sub-total Orrin        8.00", "Total                 99.00"], {"totals": ("Sub-total {words} {number as Toll}", "Total {number as Toll}")}),
    ([*RECORDS[:2], "Total 01               4.00", *RECORDS[2:4], "Total 02               8.00"], {"totals": ("Total {digits} {number as Toll}",)}),
    ([*RECORDS[:4], ON + "estimated", *RECORDS[4:]], {"wrapped": True}),  # once is enough for the price
    ([record(0, "waits for the"), ON + "gate", *RECORDS[1:4], record(4, "see the"), ON + "keeper"], {"wrapped": True}),
]  # fmt: skip

LEFT = [
    ["Reach: Halden", *RECORDS],  # once says nothing
    [*RECORDS[:3], "Note: one rope", *RECORDS[3:6], "Note: two ropes", *RECORDS[6:]],  # behind records
    [*RECORDS[:3], "Total                 99.00"],  # no figure agrees
    [record(0, "Total 1.50"), record(1, "Total 2.50"), *RECORDS[2:]],  # a remark
    ["2031-06-01  Tansy       1.50  dry", *["            Plover      2.50  wet", "            Teal        3.50  dry"] * 3],  # the same date
]  # fmt: skip


@pytest.mark.parametrize(("lines", "wanted"), FOUND)
def test_what_is_certain_is_found(lines: list[str], wanted: dict[str, object]) -> None:
    split, _ = options_of(make_report(lines))
    for name in ("group", "totals", "wrapped"):
        assert getattr(split, name) == wanted.get(name, getattr(Split(), name)), name


@pytest.mark.parametrize("lines", LEFT)
def test_what_is_not_is_left_alone(lines: list[str]) -> None:
    split, unwraps = options_of(make_report(lines))
    assert (split.group, split.totals, split.wrapped, unwraps) == ((), (), False, [])


def test_cells_centred_between_blank_lines() -> None:
    blocks = [f"{ON}waits for\n{record(k)}\n{ON}the gate\n" for k in range(5)]
    split, _ = options_of(make_report(["\n".join(blocks)]))
    assert (split.wrapped, split.parted_by) == (True, "blank-line")


ROWS = [f"J{k:03}|{BOATS[k % 4]} of the long reach|{k}.50|paid" for k in range(40)]


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        (re.sub("long ", "long\n", "\n".join(ROWS[:20])), Unwrap(fields=4, delimiter="pipe")),
        (re.sub("rea(?=ch.[1-9]\\.)", "rea-\n", "\n".join(ROWS[:20])), Unwrap(fields=4, delimiter="pipe", hyphens="listed", words=("reach",))),
        ("\n".join(f"{row[:24]}\n{row[24:]}" for row in ROWS), Unwrap(starts=("J{digits}|",), glue="")),
        ("\n".join(f"{row[1:25]}\n{row[25:]}" for row in ROWS), Unwrap(starts=("{digits}|",), glue="")),
        ("\n".join(f"x{row[:24]}\n{row[24:]}" for row in ROWS), Unwrap(starts=("xJ{digits}|",), glue="")),
        ("\n".join(f"{BOATS[k % 4]}|{row}"[:25] + "\n" + f"{BOATS[k % 4]}|{row}"[25:] for k, row in enumerate(ROWS)), Unwrap(width=25, glue="")),
        ("\n".join(ROWS), None),
    ],
)  # fmt: skip
def test_lines_that_were_cut_off(text: str, wanted: Unwrap | None) -> None:
    is_long = "Tansy|J" in text
    head = "where|no|boat|toll|how\n" if is_long else "no|boat|toll|how\n"
    split, unwraps = options_of(head + text + "\n")
    assert unwraps == ([wanted] if wanted else [])
    rows = draft(head + text).run(head + text).rows()
    assert len(rows) == text.count("paid") and split.heading == "first"


def test_the_toll_report_by_rebuild_alone(tmp_path) -> None:
    from importlib import resources

    demo = resources.files("wetcomb") / "demo"
    (tmp_path / "tolls.txt").write_bytes((demo / "tolls.txt").read_bytes())
    done = wetcomb(
        tmp_path, "rebuild", "tolls.txt", "-o", "tolls.csv", "--save-comb", "t.comb.toml"
    )
    assert (tmp_path / "tolls.csv").read_bytes() == (demo / "tolls.true.csv").read_bytes()
    said = done.stderr.decode()
    assert "3 figures of total lines agree; 1 does not" in said
    assert "Toll printed 236.50, the records give 226.50" in said
    looked = wetcomb(tmp_path, "inspect", "tolls.txt", "--evidence").stdout.decode()
    stated = shlex.split(looked[looked.index("wetcomb wash") :])[1:-1]
    for words in (["rebuild", "tolls.txt", "--comb", "t.comb.toml", "-o"], stated):
        again = wetcomb(tmp_path, *words, "again.csv", "--force")
        assert again.returncode == 0
        assert (tmp_path / "again.csv").read_bytes() == (tmp_path / "tolls.csv").read_bytes()


def test_stacked_blocks_are_put_side_by_side() -> None:
    text = "boat    in  out \\\n" + "".join(
        f"{boat:8}{k:2}  {k:3}\n" for k, boat in enumerate(BOATS)
    )
    other = "        tons\n" + "".join(f"{boat:8}{k:4}\n" for k, boat in enumerate(BOATS))
    comb = draft(text + "\n" + other)
    table = comb.run(text + "\n" + other)
    assert table.names == ("boat", "in", "out", "tons")
    assert table.rows() == [[boat, *[str(k)] * 3] for k, boat in enumerate(BOATS)]
    mixed = other.replace("Sallow", "Linnet")
    assert not any(step.stacked for step in draft(text + "\n" + mixed).steps)


@st.composite
def reports(draw: st.DrawFn) -> tuple[str, list[tuple[str, str, str]]]:
    """A report with all that can stand beside records, and its records: date, boat, toll."""
    dates_say_ditto, has_groups = draw(st.booleans()), draw(st.booleans())
    totals = draw(st.sampled_from(["", "Sub-total", "Total"]))
    lines, truth, running = [], [], 0
    for k in range(draw(st.integers(3, 14))):
        if has_groups and (not k or draw(st.booleans())):
            lines.append(f"Reach: {draw(st.sampled_from(['Halden', 'Orrin Bay', 'Mill 2']))}")
        is_ditto = dates_say_ditto and k % 3 > 0
        date = "" if is_ditto else f"2031-06-{k + 1:02}"
        boat, toll = draw(st.sampled_from(BOATS)), draw(st.integers(1, 9))
        running += toll
        words = draw(
            st.lists(
                st.sampled_from(["Total 3", "see the keeper", "Reach: dry", "-", "wet"]), max_size=3
            )
        )
        lines.append(f"{date:12}{boat:12}{toll:2}.00  {words[0] if words else ''}".rstrip())
        lines += [ON + word for word in words[1:]]
        truth.append((date, boat, f"{toll}.00"))
        if totals and draw(st.integers(0, 3)) == 0:
            off = draw(st.sampled_from([0, 0, 1]))
            lines.append(f"{totals:24}{running + off:2}.00")
            running = 0
    return make_report(lines), truth


def _report(lines: str, truth: str) -> tuple[str, list[tuple[str, str, str]]]:
    """A report of a line a record: what stands on it, and its date, boat and toll."""
    rows = [tuple(cell.strip() for cell in row.split("|")) for row in truth.split("/")]
    return make_report(lines.split("/")), [(date, boat, toll) for date, boat, toll in rows]


#: Reports that once came out wrong: two tolls taken for page numbers, a remark that looks like a
#: group line, a sub-total taken for a record as most lines go on, records joined as less was doubted.
_PAGED = _report(
    "2031-06-01  Tansy        1.00/            Tansy        8.00  Total 3/"
    f"{ON}Total 3/{ON}Total 3/            Sallow       3.00/2031-06-04  Tansy        1.00  Total 3/"
    f"{ON}see the keeper/            Tansy        1.00  Total 3/{ON}Total 3/{ON}Total 3/"
    f"            Sallow       4.00/2031-06-07  Sallow       1.00  Total 3/{ON}see the keeper",
    "2031-06-01|Tansy|1.00/|Tansy|8.00/|Sallow|3.00/2031-06-04|Tansy|1.00/|Tansy|1.00/|Sallow|4.00"
    "/2031-06-07|Sallow|1.00",
)
_REMARKED = _report(
    "Reach: Orrin Bay/2031-06-01  Tansy        2.00/            Tansy        1.00/Reach: Halden/"
    f"            Tansy        1.00  Total 3/{ON}Total 3/2031-06-04  Tansy        1.00  see the keeper/"
    f"{ON}Reach: dry/{ON}Reach: dry",
    "2031-06-01|Tansy|2.00/|Tansy|1.00/|Tansy|1.00/2031-06-04|Tansy|1.00",
)
_SUMMED = _report(
    f"2031-06-01  Tansy        3.00  Total 3/{ON}see the keeper/2031-06-02  Tansy        7.00  see the keeper/"
    f"{ON}-/{ON}wet/Sub-total               10.00/2031-06-03  Brindle      8.00/2031-06-04  Sallow       4.00/"
    "Sub-total               12.00",
    "2031-06-01|Tansy|3.00/2031-06-02|Tansy|7.00/2031-06-03|Brindle|8.00/2031-06-04|Sallow|4.00",
)


_JOINED = _report(
    "2031-06-01  Tansy        1.00/            Tansy        1.00/Sub-total                2.00/            Tansy        1.00/"
    "2031-06-04  Tansy        1.00/            Tansy        1.00/Sub-total                3.00/            Tansy        1.00",
    "2031-06-01|Tansy|1.00/|Tansy|1.00/|Tansy|1.00/2031-06-04|Tansy|1.00/|Tansy|1.00/|Tansy|1.00",
)


@settings(deadline=None, max_examples=40)
@given(made=reports())
@example(made=_JOINED)
@example(made=_PAGED)
@example(made=_REMARKED)
@example(made=_SUMMED)
def test_no_record_swallows_another_and_no_figure_is_lost(
    made: tuple[str, list[tuple[str, str, str]]],
) -> None:
    """Whatever is found beside them, all records come out, each with its own figures, or the joining is doubted."""
    text, truth = made
    comb = draft(text)
    table = comb.run(text)
    if "joined-unsure" in {doubt.name for doubt in comb.doubts}:
        return  # six lines that say the same may be anything
    if not {"Date", "Boat", "Toll"} <= set(table.names):
        return  # cut another way: with so few lines the rule may be no table's
    places = [table.names.index(name) for name in ("Date", "Boat", "Toll")]
    rows = [tuple(row[place] or "" for place in places) for row in table.rows()]
    rows = [row for row in rows if row[1] in BOATS and row[2]]
    assert [row[1:] for row in rows] == [row[1:] for row in truth]
    days = [*accumulate((date for date, *_ in truth), lambda above, date: date or above)]
    is_carried = any(getattr(step, "carry", ()) for step in comb.steps)
    for (date, *_), (printed, *_), day in zip(rows, truth, days, strict=True):
        assert date == printed or (is_carried and date == day)  # a day that is printed once holds
    for step in comb.steps:  # what left as a group or total line was no record
        for pattern in (*getattr(step, "group", ()), *getattr(step, "totals", ())):
            assert pattern.startswith(("Reach: {", "regex:Reach:", "Total {", "Sub-total {"))


PASSED = "2031-04-0{} {:<10}{:>6} {:>6}\n"
BARE_HEAD = "Day        Boat        Tons   Toll\n"


@pytest.mark.parametrize(
    ("names", "last", "group"),
    [
        (["Orrin Reach", "Halden Reach", "Lower Cut"], "", ("{words as group}",)),
        (["Orrin Reach", "Orrin Reach"], "", ()),  # a title that comes again
        (["Orrin Reach", "Halden Reach"], "End of the list\n", ("{words as group}",)),
        (["Orrin Reach", "  Halden Reach"], "", ()),
        (["", "waits for the gate", "and goes on"], "", ()),  # nothing above the first record
        (["Orrin Reach"], "", ()),
        (["Total", "Orrin Reach"], "", ()),
    ],
)
@pytest.mark.parametrize("mark", [" ", ","])
def test_lines_of_words_alone_above_records(
    names: list[str], last: str, group: tuple[str, ...], mark: str
) -> None:
    text = BARE_HEAD
    for place, name in enumerate(names):
        text += f"{name}\n" if name else ""
        for k in range(3):
            text += PASSED.format(k + 1, BOATS[(k + place) % 4], f"{k + place}2.5", f"{k}.10")
    text += last
    if mark == ",":
        text = "\n".join(
            re.sub(r"(?<=[\w.]) {2,}| (?=\d|Boat|[A-Z]\w+ +\d)", ",", line)
            for line in text.split("\n")
        )
    split, _ = options_of(text)
    assert split.group == group
    table = draft(text).run(text)
    assert table.names[-3:] == ("Boat", "Tons", "Toll") and table.n_records >= 3 * len(names)
    if group:
        assert [row[0] for row in table.rows()] == [name for name in names for _ in range(3)]


def test_a_name_above_each_record_is_no_heading() -> None:
    text = "".join(f"{BOATS[k]}\n2031-04-0{k + 2}  {k + 3}.5  {k}.10\n" for k in range(4))
    rows = draft(text).run(text).rows()
    assert rows == [[BOATS[k], f"2031-04-0{k + 2}", f"{k + 3}.5", f"{k}.10"] for k in range(4)]


def test_totals_below_groups_of_words_alone() -> None:
    text = "Date        Boat         Toll\n"
    for place, name in enumerate(["ORRIN REACH", "HALDEN REACH", "LOWER CUT"]):
        text += f"{name}\n"
        text += "".join(f"2031-04-0{k + 2}  {BOATS[k]:<10} {k + place:>4}.50\n" for k in range(2))
        text += f"Total                 {2 * place + 2:>5}.00\n"
    split, _ = options_of(text + "Grand total           12.00\n")
    assert split.group == ("{words as group}",) and len(split.totals) == 2
    assert draft(text).run(text).n_records == 6


@pytest.mark.parametrize("mark", ["|", ";"])
@pytest.mark.parametrize("stray", ["", "Plover waits\n"])
def test_a_frame_is_no_column(mark: str, stray: str) -> None:
    text = "".join(
        f"{mark} {cells.replace(',', f' {mark} ')} {mark}\n"
        for cells in [
            "Day,Boat,Toll",
            *(f"2031-04-0{k},{BOATS[k % 4]},{k}.10" for k in range(1, 12)),
        ]
    )
    split, _ = options_of(text + stray)
    assert split.frame and split.heading == "first"
    table = draft(text + stray).run(text + stray)
    assert table.names == ("Day", "Boat", "Toll")
    assert table.rows()[1] == ["2031-04-02", BOATS[2], "2.10"]
    bare, _ = options_of(text.replace(f" {mark}\n", "\n"))
    assert not bare.frame


@pytest.mark.parametrize("head", ["no|boat|notice", "|boat|"])
def test_what_is_blank_in_most_records_is_no_frame(head: str) -> None:
    last = "" if head[0] == "n" else "9|Tansy|late\n"
    text = f"{head}\n" + "".join(f"|{BOATS[k % 4]} of long {k}|\n" for k in range(30)) + last
    comb = draft(text, delimiter="pipe")
    assert not any(isinstance(step, Split) and step.frame for step in comb.steps)
    assert ["", f"{BOATS[3]} of long 3", ""] in comb.run(text).rows()


def test_a_group_line_with_gaps_may_stand_first() -> None:
    text = "Reach:  Orrin\n" + "".join(
        f"2031-04-0{k}  {BOATS[k % 4]:<12}{k}.50\n" for k in range(1, 9)
    )
    table = draft(text, group=("Reach: {words as Reach}",)).run(text)
    assert [row[0] for row in table.rows()] == ["Orrin"] * 8
