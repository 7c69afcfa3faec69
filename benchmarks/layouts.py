"""Twelve ways to print records, with what may be worn or added: texts to judge a draft by, with their true tables.

They were written after the proposals were, and nobody builds against them: they tell how a draft does on
a hand that it does not know. All names and figures are made up by the seed.
"""

from __future__ import annotations

import random
import textwrap
from collections.abc import Callable, Iterator

import msgspec

__all__ = ["LAYOUTS", "WEARS", "Case", "make_cases"]

_BOATS = ("Tansy", "Heron Wake", "Old Regret", "Wren", "Mother Carey", "Plover", "Coot", "Two Sisters", "Rook", "Dunlin", "Teal", "Sallow", "Brindle", "Grey Lady", "Avocet")  # fmt: skip
_PLACES = ("Orrin Basin", "Halden Top", "Lamb Lock", "Weir Gate", "Pitchford", "Sallow Bridge", "Mill Cut")  # fmt: skip
_GOODS = ("coal", "slate", "timber", "lime", "grain", "salt", "brick")
_REMARKS = ("paid at the gate", "waited two hours for water", "one rope left as a pledge", "second passage this week", "held at the stop lock, then let go", "empty on return", "paddle mended at night")  # fmt: skip
_KEEPERS = ("A. Dunmore", "Ruth Pell", "P. Quill", "Ida Marsh", "Tom Sedge", "J. Orme")

Rows = list[list[str]]
#: The names where they are printed, the records, the lines of each record, lines before all of them.
Printed = tuple[list[str], Rows, list[list[str]], list[str]]


class Case(msgspec.Struct, frozen=True):
    """A text, how it was printed and worn, and its true table; no names where none are printed."""

    layout: str
    wear: str
    text: str
    names: list[str]
    rows: Rows


def _draw(chance: random.Random) -> Iterator[dict[str, str]]:
    """Yield passages in the order of their days."""
    day = chance.randrange(1, 9)
    for number in range(chance.randrange(100, 900), 10**6, chance.randrange(1, 8)):
        day += chance.randrange(0, 3)
        yield {
            "no": f"P-{number}", "day": f"2031-{4 + day // 28:02}-{day % 28 + 1:02}",
            "boat": chance.choice(_BOATS), "place": chance.choice(_PLACES), "goods": chance.choice(_GOODS),
            "tons": f"{chance.randrange(10, 300) / 10:.1f}", "toll": f"{chance.randrange(100, 2000) / 100:.2f}",
            "remark": chance.choice(_REMARKS), "keeper": chance.choice(_KEEPERS),
        }  # fmt: skip


def _take(chance: random.Random, names: str, least: int = 6, most: int = 30) -> Rows:
    passages = _draw(chance)
    return [
        [one[name] for name in names.split()]
        for one, _ in zip(passages, range(chance.randrange(least, most)), strict=False)
    ]


def _statement(chance: random.Random) -> Printed:
    """Money in two columns, of which each record fills one; the text beside it goes on below."""
    rows, lines = [], []
    names = ["Day", "Entry", "Paid in", "Paid out"]
    for day, boat, remark, toll in _take(chance, "day boat remark toll"):
        entry, is_in = f"{boat}, {remark}", chance.random() < 0.6
        wrapped = textwrap.wrap(entry, 24)
        first = f"{day}  {wrapped[0]:26}{toll if is_in else '':>9}{'' if is_in else toll:>10}"
        lines.append([first.rstrip(), *(" " * 12 + more for more in wrapped[1:])])
        rows.append([day, entry, toll if is_in else "", "" if is_in else toll])
    return names, rows, lines, [f"{'Day':12}{'Entry':26}{'Paid in':>9}{'Paid out':>10}", "-" * 57]


def _timetable(chance: random.Random) -> Printed:
    """Times at some places; a dash where a boat does not call."""
    rows = []
    for (boat,) in _take(chance, "boat", 6, 14):
        hour = chance.randrange(6, 15)
        times = [
            f"{hour + k:02}:{chance.randrange(60):02}" if chance.random() < 0.85 else "-"
            for k in range(4)
        ]
        rows.append([boat, *times])
    names = ["Boat", *chance.sample(["Orrin", "Halden", "Lamb", "Weir", "Mill"], 4)]
    print_row = "{:16}{:8}{:8}{:8}{}".format
    return names, rows, [[print_row(*row)] for row in rows], [print_row(*names)]


def _cards(chance: random.Random) -> Printed:
    """The value, and what it is in brackets behind it; a card ends at a blank line."""
    rows = _take(chance, "boat keeper goods toll", 5, 16)
    words = ["boat", "keeper", "goods", "toll"]
    lines = [
        [*(f"{value} ({word})" for value, word in zip(row, words, strict=True)), ""] for row in rows
    ]
    return [], rows, lines, []


def _items(chance: random.Random) -> Printed:
    """Numbered items with labels within the line."""
    rows = [
        [str(k), *row] for k, row in enumerate(_take(chance, "boat place goods toll", 5, 25), 1)
    ]
    lines = [
        [f"{no}) {boat}; at: {place}; with: {goods}; paid: {toll}"]
        for no, boat, place, goods, toll in rows
    ]
    return [], rows, lines, []


def _arrows(chance: random.Random) -> Printed:
    """A mark of several characters."""
    rows = _take(chance, "boat place goods toll")
    return [], rows, [[" => ".join(row)] for row in rows], []


def _bracketed(chance: random.Random) -> Printed:
    """Each record in brackets, its fields parted by two colons."""
    rows = _take(chance, "no day boat goods tons")
    return [], rows, [["[ " + " :: ".join(row) + " ]"] for row in rows], []


def _titled(chance: random.Random) -> Printed:
    """The key as an underlined title, and a label and its value on the lines below."""
    rows = _take(chance, "no boat place remark", 5, 16)
    lines = [
        [no, "=" * len(no), f"- Boat   {boat}", f"- Place  {place}", f"- Note   {remark}", ""]
        for no, boat, place, remark in rows
    ]
    return [], rows, lines, []


def _right(chance: random.Random) -> Printed:
    """All columns at their right edge, the heading underlined."""
    rows, names = _take(chance, "no boat tons toll"), ["Number", "Boat", "Tons", "Toll"]
    print_row = "{:>8}{:>16}{:>8}{:>9}".format
    top = [print_row(*names), print_row("======", "====", "====", "====")]
    return names, rows, [[print_row(*row)] for row in rows], top


def _logged(chance: random.Random) -> Printed:
    """A day and a time, and then words with their values, quoted where they hold a blank."""
    rows = []
    for day, boat, place, toll in _take(chance, "day boat place toll"):
        rows.append([day, f"{chance.randrange(6, 20):02}:{chance.randrange(60):02}", boat, place, toll])  # fmt: skip
    lines = [
        [f'{day} {time} boat="{boat}" at="{place}" toll={toll}']
        for day, time, boat, place, toll in rows
    ]
    return [], rows, lines, []


def _slashed(chance: random.Random) -> Printed:
    """Slashes between fields; what goes on is indented."""
    rows = _take(chance, "no boat place remark goods toll")
    lines = [textwrap.wrap(" / ".join(row), 46, subsequent_indent="    ") for row in rows]
    return [], rows, lines, []


def _told(chance: random.Random) -> Printed:
    """A sentence a record."""
    rows = _take(chance, "boat place goods tons toll", 6, 20)
    lines = [
        [f"{boat} passed {place} with {tons} tons of {goods} and paid {toll}."]
        for boat, place, goods, tons, toll in rows
    ]
    return [], [[b, p, t, g, m] for b, p, g, t, m in rows], lines, []


def _receipt(chance: random.Random) -> Printed:
    """A name on one line; how many, at what price and the sum on the next."""
    rows = []
    for goods, place in _take(chance, "goods place", 5, 18):
        number, price = chance.randrange(1, 9), chance.randrange(50, 900)
        rows.append([f"{goods}, {place}", str(number), f"{price / 100:.2f}", f"{number * price / 100:.2f}"])  # fmt: skip
    lines = [[name, f"   {n} x {price:>5}{total:>16}"] for name, n, price, total in rows]
    return [], rows, lines, []


LAYOUTS: dict[str, Callable[[random.Random], Printed]] = {
    "statement": _statement, "timetable": _timetable, "cards, value first": _cards, "numbered items": _items,
    "arrows": _arrows, "bracketed": _bracketed, "titled records": _titled, "right-aligned": _right,
    "logged": _logged, "slashed, wrapped": _slashed, "sentences": _told, "receipt": _receipt,
}  # fmt: skip


def _paged(printed: Printed, chance: random.Random) -> list[str]:
    """Pages of about a dozen records, each with a head, its heading again, and a number at the foot."""
    _, _, records, top = printed
    size, lines = chance.randrange(8, 13), []
    for page, k in enumerate(range(0, len(records), size), 1):
        lines += ["Halden & Orrin Canal", "", *top]
        lines += [line for record in records[k : k + size] for line in record]
        lines += ["", f"Page {page}\f"]
    return lines


def _plain(printed: Printed, chance: random.Random) -> list[str]:
    return [*printed[3], *(line for record in printed[2] for line in record)]


def _framed(printed: Printed, chance: random.Random) -> list[str]:
    """A title and words above, a note below."""
    above = ["Passages of the season", "", "As kept in the office at Orrin, without the winter months:", ""]  # fmt: skip
    return [
        *above,
        *_plain(printed, chance),
        "",
        "Note: the books of the lower cut were not to be had.",
    ]


def _quoted(printed: Printed, chance: random.Random) -> list[str]:
    """Behind the marks of a reply."""
    lines = [f"> {line}".rstrip() for line in _plain(printed, chance)]
    return ["Ida Marsh wrote:", *lines, "", "Thank you."]


def _indented(printed: Printed, chance: random.Random) -> list[str]:
    return [f"    {line}".rstrip() + " " * chance.randrange(3) for line in _plain(printed, chance)]


WEARS: dict[str, Callable[[Printed, random.Random], list[str]]] = {
    "none": _plain, "title and note": _framed, "pages": _paged, "reply marks": _quoted, "indented": _indented,
}  # fmt: skip


def make_cases(seed: int, each: int) -> Iterator[Case]:
    """Yield so many texts of each pair of a layout and a wear."""
    for layout, print_records in LAYOUTS.items():
        for wear, put_around in WEARS.items():
            for number in range(each):
                chance = random.Random(f"{seed} {layout} {wear} {number}")
                printed = print_records(chance)
                text = "\n".join(put_around(printed, chance)) + "\n"
                yield Case(layout, wear, text, printed[0], printed[1])
