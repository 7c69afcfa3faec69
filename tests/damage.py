"""Tables with known truth whose records lost empty cells or gained pieces; all of it made up."""

from __future__ import annotations

import random
from collections.abc import Callable
from typing import NamedTuple

__all__ = ["TABLES", "Damaged", "Kind", "damage", "spoil"]

_BOATS = [
    "Tansy",
    "Sallow",
    "Plover",
    "Brindle",
    "Mother Carey",
    "Old Regret",
    "Heron Wake",
    "Lady of the Lake",
]
_LOCKS = ["Halden Top", "Orrin", "Lamb", "Pitchford", "Weir Gate", "Mill Reach"]
_CARGOES = ["coal", "slate", "hay", "lime", "timber", "bricks", "barley"]
_GIVEN = ["Ada", "Bram", "Cora", "Dov", "Elsa", "Finn", "Greta", "Hale", "Ines", "Joss"]
_FAMILY = ["Marl", "Weyburn", "Stoke", "Amble", "Carrow", "Penhale", "Rusk", "Thorne"]
_WORDS = [
    "Waits for the keeper",
    "Gate stiff",
    "Low water at the sill",
    "Paid in advance",
    "Left at dusk",
]
_MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"]

Make = Callable[[random.Random, int], str]


def _pick(values: list[str]) -> Make:
    return lambda rng, nth: rng.choice(values)


def _number(low: int, high: int, decimals: int = 0) -> Make:
    return lambda rng, nth: f"{rng.uniform(low, high):.{decimals}f}"


def _day(rng: random.Random, nth: int) -> str:
    return f"2031-{1 + nth // 150 % 12:02}-{1 + nth // 6 % 25:02}"


def _long_day(rng: random.Random, nth: int) -> str:
    return f"{1 + nth // 6 % 25:02} {_MONTHS[nth // 150 % 12]} 2031"


def _any_day(rng: random.Random, nth: int) -> str:
    return f"2032-{rng.randint(1, 12):02}-{rng.randint(1, 28):02}"


def _time(rng: random.Random, nth: int) -> str:
    return f"{rng.randint(5, 21):02}:{rng.randint(0, 59):02}"


def _name(rng: random.Random, nth: int) -> str:
    return f"{rng.choice(_GIVEN)} {rng.choice(_FAMILY)}"


def _code(head: str, low: int, high: int) -> Make:
    return lambda rng, nth: f"{head}{rng.randint(low, high)}"


class Kind(NamedTuple):
    """A kind of table: its columns, which may be empty, which may come in several pieces, the options."""

    name: str
    columns: dict[str, Make]
    optional: tuple[str, ...]
    absorb: tuple[str, ...]
    options: dict[str, tuple[str, ...]]


TABLES = [
    Kind(
        "passages",
        {
            "Day": _long_day, "Boat": _pick(_BOATS), "Lock": _pick(_LOCKS), "Cargo": _pick(_CARGOES),
            "Tons": _number(4, 40, 1), "Toll": _number(1, 12, 2),
        },
        ("Cargo", "Tons"),
        (),
        {
            "shape": ("Day=date", "Tons={digits}.{1 digits}", "Toll={digits}.{2 digits}"),
            "values": ("Cargo=" + ",".join(_CARGOES), "Lock=" + ",".join(_LOCKS)),
        },
    ),
    Kind(
        "permits",
        {
            "Permit": _code("MP-", 1000, 9999), "Holder": _name, "Berth": _code("B", 1, 40),
            "From": _any_day, "Fee": _number(10, 90, 2), "Mail": lambda r, n: f"keeper{n}@halden-orrin.example",
        },
        ("Berth", "Mail"),
        ("Holder",),
        {"shape": ("Permit=MP-{digits}", "Holder=words", "Berth=B{digits}", "From=date", "Fee=number", "Mail=email")},
    ),
    Kind(
        "lock log",
        {
            "Time": _time, "Lock": _pick(_LOCKS), "Way": _pick(["up", "down"]), "Boat": _pick(_BOATS),
            "Level": _number(100, 240), "Crew": _number(1, 9),
        },
        ("Way", "Level"),
        (),
        {
            "shape": ("Time=time", "Boat=words", "Level={3 digits}", "Crew={1 digits}"),
            "values": ("Lock=" + ",".join(_LOCKS), "Way=up,down"),
        },
    ),
    Kind(
        "crew",
        {
            "No": lambda rng, nth: f"{nth:05}", "Name": _name, "Trade": _pick(["steerer", "mate", "keeper"]),
            "Born": _number(1961, 2012), "Share": lambda rng, nth: f"{rng.randint(1, 60)} %",
            "Phone": lambda rng, nth: f"+44 20 5550 {rng.randint(100, 999)}",
        },
        ("Trade", "Share", "Phone"),
        ("Name",),
        {
            "shape": ("No={5 digits}", "Name=words", "Born={4 digits}", "Share=percent", "Phone=phone"),
            "values": ("Trade=steerer,mate,keeper",),
        },
    ),
    Kind(
        "meters",
        {
            "Meter": _code("W", 10, 99), "Read": _day, "Before": _number(10000, 99999), "Used": _number(1, 900, 1),
            "Time": _time, "Place": _pick(_LOCKS),
        },
        ("Meter", "Time"),
        ("Place",),
        {"shape": ("Meter=code", "Read=date", "Before={5 digits}", "Used=number", "Time=time", "Place=words")},
    ),
    Kind(
        "account",
        {
            "Posted": _day, "Ref": _code("R", 100, 999), "Paid": _number(1, 999, 2), "Remark": _pick(_WORDS),
        },
        ("Ref", "Remark"),
        (),
        {"shape": ("Posted=date", "Ref=R{digits}", "Paid=number")},
    ),
]  # fmt: skip


class Damaged(NamedTuple):
    """A text, its true table, and which of its records lost or gained pieces."""

    text: str
    rows: list[list[str]]
    is_damaged: list[bool]


def damage(kind: Kind, n_records: int, share: float, seed: int) -> Damaged:
    """Return a text in which a share of the records lost empty cells or came in more pieces.

    A damaged record lost one or two cells that are empty, or a value came in two pieces, or both.
    """
    rng = random.Random(seed)
    names = list(kind.columns)
    lines, rows, is_damaged = [";".join(names)], [], []
    for nth in range(n_records):
        row = [make(rng, nth) for make in kind.columns.values()]
        pieces: list[str | None] = list(row)
        odd = rng.random() < share
        if odd:
            ways = ["lose"] * 3 + (["gain", "both"] if kind.absorb else [])
            way = rng.choice(ways)
            if way != "gain":
                for name in rng.sample(kind.optional, rng.choice([1, 1, 2])):
                    row[names.index(name)], pieces[names.index(name)] = "", None
            if way != "lose":
                place = names.index(rng.choice(kind.absorb))
                if " " not in row[place]:
                    row[place] = pieces[place] = f"{row[place]} {rng.choice(['North', 'South'])}"
                pieces[place] = row[place].replace(" ", ";", 1)
                row[place] = pieces[place]
        lines.append(";".join(piece for piece in pieces if piece is not None))
        rows.append(row)
        is_damaged.append(odd)
    return Damaged("\n".join(lines) + "\n", rows, is_damaged)


def spoil(kind: Kind, n_records: int, share: float, seed: int) -> Damaged:
    """Return a text in which a share of the records is spoilt in ways that no option foresees.

    Any cells were lost, two neighbours stand in each other's place, another line stands between
    the records, a value is none. What stands in the wrong place already is the truth here: it is
    not to be moved.
    """
    rng = random.Random(seed)
    names = list(kind.columns)
    lines, rows, is_spoilt = [";".join(names)], [], []
    for nth in range(n_records):
        row = [make(rng, nth) for make in kind.columns.values()]
        pieces = list(row)
        odd = (
            2 < nth < n_records - 3 and rng.random() < share
        )  # a part would begin behind other lines
        way = rng.choice(["lose", "lose two", "swap", "line", "none"]) if odd else ""
        if way.startswith("lose"):
            lost = rng.sample(range(len(names)), 2 if way == "lose two" else 1)
            pieces = [piece for place, piece in enumerate(row) if place not in lost]
            row = ["" if place in lost else value for place, value in enumerate(row)]
        elif way == "swap":
            place = rng.randrange(len(names) - 1)
            row[place : place + 2] = pieces[place : place + 2] = row[place + 1], row[place]
        elif way == "line":
            pieces = [rng.choice(["see the keeper", "total 12.50", "paid"])]
            row = pieces + [""] * (len(names) - 1)
        elif way == "none":
            place = rng.randrange(len(names))
            row[place] = pieces[place] = "n/a"
        lines.append(";".join(pieces))
        rows.append(row)
        is_spoilt.append(odd)
    return Damaged("\n".join(lines) + "\n", rows, is_spoilt)
