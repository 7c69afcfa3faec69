"""The sheet, the extremes and the steps: what a person looks at, held against the source and the table."""

from __future__ import annotations

import csv
import hashlib
import re
from html.parser import HTMLParser
from importlib import resources
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from program import wetcomb
from wetcomb.combs.extremes import ExtremesSeen
from wetcomb.combs.memory import make_batch
from wetcomb.combs.part import Part
from wetcomb.combs.sheets import make_sheet
from wetcomb.combs.stages import hold_source, run_stages, tell_stages
from wetcomb.core.decoded import Decoded
from wetcomb.core.sheet import Sheet
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.realign.options import Realign
from wetcomb.steps.split.options import Split
from wetcomb.steps.unwrap.options import Unwrap
from wetcomb.steps.wash.options import Wash
from wetcomb.views import sheet as sheet_view
from wetcomb.views.sheet import build_sheet

DEMO = resources.files("wetcomb") / "demo"


class Page(HTMLParser):
    """What is on a page: tags, places, links, the text of the source's lines."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.tags: list[str] = []
        self.ids: list[str] = []
        self.links: list[str] = []
        self.lines: list[str] = []
        self._in_code = False
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        found = dict(attrs)
        self.tags.append(tag)
        self.ids += [found["id"] or ""] if "id" in found else []
        self.links += [found["href"] or ""] if "href" in found else []
        assert not {"src", "onclick", "onerror", "onload"} & found.keys()
        if tag == "code":
            self._in_code = True
            self.lines.append("")

    def handle_endtag(self, tag: str) -> None:
        self._in_code = self._in_code and tag != "code"

    def handle_data(self, data: str) -> None:
        if self._in_code:
            self.lines[-1] += data


def check(page: Page) -> None:
    """Every link leads somewhere on the page, and no place has two owners."""
    assert len(page.ids) == len(set(page.ids))
    assert all(link.startswith("#") and link[1:] in page.ids for link in page.links)
    assert not {"img", "link", "iframe", "form", "object"} & set(page.tags)
    assert page.tags.count("script") == 1 == page.tags.count("style")


@pytest.mark.parametrize("name", ["notices", "permits", "register", "tolls"])
def test_a_sheet_has_the_source_and_the_table(tmp_path: Path, name: str) -> None:
    (tmp_path / "in.txt").write_bytes((DEMO / f"{name}.txt").read_bytes())
    words = ["rebuild", "in.txt", "-o", "out.csv", "--sheet", "s.html", "--save-comb", "c.toml"]
    done = wetcomb(tmp_path, *words)
    assert done.returncode == 0, done.stderr
    text = (tmp_path / "s.html").read_text(encoding="utf-8")
    page = Page(text)
    check(page)
    source = (tmp_path / "in.txt").read_text(encoding="utf-8").split("\n")
    assert page.lines == [line.replace("\f", "␌") for line in source[: len(page.lines)]]
    for path in ("in.txt", "out.csv", "c.toml"):  # they tell which text, table and comb it is of
        assert hashlib.sha256((tmp_path / path).read_bytes()).hexdigest() in text
    assert not any(link.startswith("http") for link in page.links) and "@import" not in text


STEPS = (Wash(reply_mark=">", drop_lines="- {digits} -"), Unwrap(starts="LK-{digits}"), Split(delimiter=";", heading="none", fields=3))  # fmt: skip
PIECES = st.sampled_from(["> LK-1;Tansy;3\n", "> LK-22;He\u200bron Wake;\n", ">   goes on;4\n", "> - 7 -\n", "> \n", "> LK-3\n", "> LK-4;é;ü;ß\n"])  # fmt: skip


def make(steps: tuple, text: str) -> Sheet:
    return make_sheet(steps, hold_source([Decoded.of(text)], Part()))


@settings(max_examples=80, deadline=None)
@given(st.lists(PIECES, min_size=1, max_size=12))
def test_every_value_stands_in_its_place_through_all_texts_between(pieces: list[str]) -> None:
    text = "> LK-9;first;1\n" + "".join(pieces)
    sheet = make(STEPS, text)
    lines = text.splitlines(keepends=True)
    found: dict[tuple[int, int], str] = {}
    for line in sheet.lines:
        assert "".join(piece.text for piece in line.pieces) == lines[line.number - 1]
        assert all(piece.kind != "plain" for piece in line.pieces)  # every character has a home
        for piece in line.pieces:
            if piece.kind in ("cell", "rest"):
                key = piece.row, piece.column
                found[key] = found.get(key, "") + piece.text
    for row in sheet.rows:
        for column, value in enumerate(row.cells):
            assert (value or "").replace(" ", "") == found.get((row.row, column), "").replace(
                " ", ""
            )


HOSTILE = ['<script>alert(1)</script>', "<b>&amp;</b>", '"onmouseover="x', "a\u202ecod", "x\x1b[31m", "]]>", "'--!>", "\x00nul", "é\u0301"]  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(st.lists(st.lists(st.sampled_from(HOSTILE), min_size=2, max_size=3), min_size=1, max_size=5))
def test_hostile_text_is_no_markup(rows: list[list[str]]) -> None:
    text = "".join(";".join(row) + "\n" for row in [["<i>", "</td>"], *rows])
    sheet = make((Split(delimiter=";", heading="first", fields=2, quote="none"),), text)
    raw = build_sheet(sheet, "<title>&", [], [("</h2>", [])], "<!-- comb -->", {1: "<u>"})
    page = Page(raw)
    check(page)
    assert not {"b", "i", "u"} - {"b", "i"} & set(page.tags)
    assert "alert" not in re.findall(r"<script>(.*?)</script>", raw, re.DOTALL)[0]
    assert not re.search("[\x00-\x08\x0b-\x1f\x7f\u202a-\u202e]", raw)


def test_a_long_text_is_shown_in_part_and_says_so() -> None:
    rows = [f"{k};Tansy;{k % 90}\n" for k in range(5000)]
    rows[2500] = "2500;Tansy\n"
    sheet = make((Split(delimiter=";", heading="none", fields=3),), "".join(rows))
    numbers = [line.number for line in sheet.lines]
    assert not sheet.is_whole and len(numbers) < 500 and sheet.n_records == 5000
    assert {1, 300, 2499, 2501, 2503, 5000} <= set(numbers) and 1000 not in numbers
    raw = build_sheet(sheet, "long", [], [], "", {})
    assert "lines not shown" in raw and "records not shown" in raw and "Shown in part" in raw
    check(Page(raw))
    wide = make((Split(delimiter=";", heading="none", fields=1),), "é" * 50_000 + "\n")
    assert wide.lines[0].n_more > 40_000 and "more characters" in build_sheet(
        wide, "", [], [], "", {}
    )


def list_contrasts(style: str) -> list[float]:
    """Return the contrast of every text with every ground it stands on (WCAG 2)."""
    found = []
    for block in re.findall(r":root\{(.*?)\}", style, re.DOTALL):
        colors = dict(re.findall(r"--(\w+):(#[0-9a-f]{3,6})", block))
        grounds = [colors["page"], *(colors[f"t{k}"] for k in range(8))]
        pairs = [(colors["ink"], ground) for ground in grounds]
        pairs += [(colors[name], colors["page"]) for name in ("faint", "snag", "good", "bad")]
        pairs.append((colors["onink"], colors["on"]))
        found += [find_contrast(*pair) for pair in pairs]
    return found


def find_contrast(one: str, other: str) -> float:
    def weigh(color: str) -> float:
        full = color[1:] if len(color) == 7 else "".join(sign * 2 for sign in color[1:])
        parts = [int(full[k : k + 2], 16) / 255 for k in (0, 2, 4)]
        linear = [p / 12.92 if p <= 0.03928 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    light, dark = sorted((weigh(one), weigh(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def test_all_text_can_be_read_in_light_and_dark() -> None:
    contrasts = list_contrasts(sheet_view._STYLE)
    assert len(contrasts) == 28 and min(contrasts) >= 4.5, contrasts


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--sheet", "s.txt"], "name a file that ends in .html"),
        (["--sheet", "in.txt"], "name a file that ends in .html"),
        (["--sheet", "there.html"], "there already"),
        (["--sheet", "no/s.html"], "does not exist"),
        (["more.txt", "--sheet", "s.html"], "one input at a time"),
        (["--sheet", "out.html", "--snags", "out.html"], "two outputs cannot go to one file"),
        (["--stop-after", "9"], "--stop-after 9: there is 1 step"),
        (["--stop-after", "0"], "no number of a step"),
    ],
)
def test_what_cannot_be_shown_is_refused_and_nothing_is_written(
    tmp_path: Path, words: list[str], said: str
) -> None:
    for name in ("in.txt", "more.txt", "there.html"):
        (tmp_path / name).write_text("a;b\n1;2\n3;4\n")
    done = wetcomb(tmp_path, "split", "in.txt", *words, "-d", "semicolon", "-o", "o.csv")
    assert done.returncode == 2 and said in done.stderr.decode(), done.stderr
    assert sorted(p.name for p in tmp_path.iterdir()) == ["in.txt", "more.txt", "there.html"]


def test_the_extremes_of_columns_records_and_signs() -> None:
    text = "No;Boat;Toll\n" + "".join(f"{k:03};Tansy {'I' * (k % 4)};{k}.50\n" for k in range(1, 40)) + "040;Ox;soon\n041;§\n"  # fmt: skip
    whole = make_batch([Split(delimiter=";", heading="first", fields=3)], text)
    seen = ExtremesSeen()
    seen.add(whole)
    told = seen.tell()
    no, boat, toll = told.columns
    assert no.shortest is None and no.last is not None and no.last.text == "041"  # all as long
    assert boat.shortest is not None and (boat.shortest.line, boat.shortest.text) == (42, "§")
    assert boat.longest is not None and boat.longest.text == "Tansy III"
    assert toll.rarest is not None and toll.rarest.text == "soon" and "1 of 40" in toll.rarest.said
    assert told.emptiest is not None and told.emptiest.line == 42
    assert (
        told.rarest_sign is not None
        and told.rarest_sign.text == "§"
        and told.rarest_sign.line == 42
    )
    parts = ExtremesSeen()  # the same, whatever the batches
    for piece in run_in_parts(text):
        parts.add(piece)
    assert parts.tell() == told


def run_in_parts(text: str):  # type: ignore[no-untyped-def]
    from laws import blocks_of, run

    pieces, _ = run(Split(delimiter=";", heading="first", fields=3), blocks_of(text, 100))
    return pieces


def test_each_step_says_what_it_left_out_changed_and_settled() -> None:
    text = (
        "> Day;Boat;Toll\n> 2031-06-01;Tansy;3.50\n> \n> 2031-06-02;1.25\n> 2031-06-03;Wren;0.75\n"
    )
    steps = (
        Wash(reply_mark=">"), Split(delimiter=";", heading="first", fields=3),
        Realign(optional="Boat", shape=("Day=date", "Toll=number", "Boat=words")), Clean(rename="Toll=Paid"),
    )  # fmt: skip
    held = hold_source([Decoded.of(text)], Part())
    washed, cut, aligned, named = tell_stages(run_stages(steps, held.text), held.text)
    assert (washed.n_before, washed.n_after, washed.unit_after) == (5, 5, "line")
    assert dict(washed.dropped) == {"reply-mark": 10} and washed.rows[0] == (1, ("Day;Boat;Toll",))
    assert (cut.n_after, cut.snags_made, cut.snags_settled) == (3, 1, 0)
    assert "reply-mark" not in dict(cut.dropped) and dict(cut.dropped)["delimiter"] == 7
    assert (aligned.snags_settled, aligned.n_changed) == (1, 1)
    assert (4, ("2031-06-02", None, "1.25")) in aligned.rows and not aligned.dropped
    assert named.names == ("Day", "Boat", "Paid") and named.n_changed == 0


def test_steps_are_shown_and_a_chain_stops_where_it_is_told(tmp_path: Path) -> None:
    (tmp_path / "in.txt").write_text("> a;b\n> 1;2\n> 3;4\n")
    chain = ["wash", "in.txt", "--reply-mark", ">", "+", "split", "-d", "semicolon"]
    shown = wetcomb(tmp_path, *chain, "--show-steps", "-o", "o.csv").stderr.decode()
    assert "step 1 wash --reply-mark" in shown and "3 lines in, 2 records out, 2 columns" in shown
    assert "the text after step 1" in shown and "the table after step 2" in shown
    stopped = wetcomb(tmp_path, *chain, "--stop-after", "1")
    assert stopped.stdout.decode() == "a;b\n1;2\n3;4\n", stopped.stderr
    drafted = wetcomb(tmp_path, "rebuild", "in.txt", "--stop-after", "1")
    assert drafted.stdout.decode().splitlines()[0] == "a;b", drafted.stderr
    refused = wetcomb(tmp_path, *chain, "--stop-after", "1", "-o", "x.csv")
    assert refused.returncode == 2 and not (tmp_path / "x.csv").exists()
    told = wetcomb(tmp_path, *chain, "--extremes", "--format", "csv")
    assert "where to look: the extremes of each column" in told.stderr.decode()
    assert [*csv.reader(told.stdout.decode().splitlines())] == [["a", "b"], ["1", "2"], ["3", "4"]]


def test_a_part_and_signs_that_are_no_text_keep_their_places(tmp_path: Path) -> None:
    (tmp_path / "in.txt").write_bytes(b"intro\nboat;toll\nTansy\xff;3\nWren;4\n\nend\n")
    words = ["split", "in.txt", "--lines", "2-4", "-d", "semicolon", "--encoding", "utf-8"]
    done = wetcomb(tmp_path, *words, "-o", "o.csv", "--sheet", "s.html")
    assert done.returncode == 0, done.stderr
    page = Page((tmp_path / "s.html").read_text(encoding="utf-8"))
    check(page)
    assert page.lines == ["intro", "boat;toll", r"Tansy\xFF;3", "Wren;4", "", "end"]


def test_what_is_outside_and_what_is_odd_stand_in_their_places() -> None:
    text = "intro\nboat;toll\nTansy;3\nWren\nCoot;5;x\nend\n"
    blocks = [Decoded.of(text[:9]), Decoded.of(text[9:20]), Decoded.of(text[20:])]
    held = hold_source(blocks, Part("2-5"))
    assert held.data.decode() == text and held.start == 6 and held.text.first_line == 2
    sheet = make_sheet((Split(delimiter=";", heading="first", fields=2),), held)
    told = [
        [(p.kind, p.row, p.column, p.reason, p.text) for p in line.pieces] for line in sheet.lines
    ]
    assert told == [
        [("drop", -1, -1, "outside", "intro\n")],
        [("name", -1, 0, "", "boat"), ("drop", -1, -1, "delimiter", ";"), ("name", -1, 1, "", "toll"), ("drop", -1, -1, "line-end", "\n")],
        [("cell", 0, 0, "", "Tansy"), ("drop", -1, -1, "delimiter", ";"), ("cell", 0, 1, "", "3"), ("drop", -1, -1, "line-end", "\n")],
        [("cell", 1, 0, "", "Wren"), ("drop", -1, -1, "line-end", "\n")],
        [("cell", 2, 0, "", "Coot"), ("drop", -1, -1, "delimiter", ";"), ("cell", 2, 1, "", "5"), ("drop", -1, -1, "delimiter", ";"), ("rest", 2, 2, "", "x"), ("drop", -1, -1, "line-end", "\n")],
        [("drop", -1, -1, "outside", "end\n")],
    ]  # fmt: skip
    assert [(row.line, row.odd, row.cells) for row in sheet.rows] == [
        (3, "", ("Tansy", "3", None)), (4, "short", ("Wren", None, None)), (5, "long", ("Coot", "5", "x")),
    ]  # fmt: skip
    page = Page(build_sheet(sheet, "", [], [], "", {2: "doubted"}))
    check(page)
    assert {"L2", "L4", "s1-1", "t3-3"} <= set(page.ids)


def test_a_step_tells_only_what_it_left_out_itself() -> None:
    text = "LK-1 a\n  b\nLK-2 c\n\nLK-3 d\n" + "LK-4 " + "e" * 3000 + "\n"
    steps = (Unwrap(starts="LK-{digits}"), Split(delimiter="space", heading="none", fields=3))
    held = hold_source([Decoded.of(text)], Part())
    joined, cut = tell_stages(run_stages(steps, held.text), held.text)
    assert (joined.n_before, joined.n_after) == (6, 4)
    assert dict(joined.dropped)["line-end"] == 1 and dict(cut.dropped)["line-end"] == 4
    assert [line for line, _ in joined.rows] == [1, 3, 5, 6] and len(
        joined.rows[3][1][0] or ""
    ) == 200
    assert cut.n_changed == 0 and cut.rows[0] == (1, ("LK-1", "a", "b"))


def test_extremes_of_what_is_even_or_rare_by_its_outline() -> None:
    text = "".join(f"LK-{k};{'x' * (k % 3)}-;{k % 2}\n" for k in range(10, 40)) + "LK7/a;ÿ;1\n"
    seen = ExtremesSeen()
    seen.add(make_batch([Split(delimiter=";", heading="none", fields=3)], text))
    code, marks, bit = seen.tell().columns
    assert (
        code.rarest is not None
        and code.rarest.text == "LK7/a"
        and "most are like A-9" in code.rarest.said
    )
    assert bit.shortest is None and bit.longest is None and bit.rarest is None
    assert marks.shortest is not None and marks.shortest.said == "1 character"
    assert seen.tell().fullest is None and seen.tell().emptiest is None  # all as full
    assert seen.tell().rarest_sign is not None
    assert (seen.tell().rarest_sign.line, seen.tell().rarest_sign.text) == (31, "ÿ")  # type: ignore[union-attr]
