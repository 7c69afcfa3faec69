"""Made-up notices of the Halden & Orrin Canal, as many megabytes as are wanted."""

from __future__ import annotations

import random
from collections.abc import Callable
from pathlib import Path

__all__ = [
    "KINDS",
    "PERMIT_LABELS",
    "make_columns",
    "make_joined",
    "make_permits",
    "make_pile",
    "make_text",
]

HEADING = "no,issued,place,boat,notice,days,toll,keeper\n"
PLACES = ["Halden Top Lock", "Sallow Bridge", "Orrin Basin", "Lamb Lock", "Mill Reach", "Weir Gate"]
BOATS = ["Brindle", "Heron Wake", "Mother Carey", "Tansy", "Old Regret", "Two Sisters", "Plover"]
KEEPERS = ["A. Dunmore", "Ruth Pell", "Ines Mallow", "Tom Ashby", "Edda Lorn"]
NOTICES = [
    "Open again after cleaning; the keeper is back on Monday",
    '"Low water, 3 ft at the sill, take half a load until the rain comes"',
    "Chain across the mouth at night; ring the bell twice",
    '"Painting, a boat with trestles lies under the arch until Friday"',
    "Bollard 7 is loose; moor at 8 or at the far bank",
    "Crane tested to 2 tons by the company's engineer",
    "Swans are nesting below the weir; pass slowly and keep dogs aboard",
    '"Eel traps in the tail race, do not touch"',
]
CARGOES = ["coal", "slate", "hay", "lime", "timber", "bricks", "barley"]
#: One record in forty has this one.
DOUBLED = '"The board reads ""Slow"", please keep to it"'
LINES = [
    '"Gate work:\n1. upper gate, 24 March\n2. lower gate, 26 March"',
    '"Toll office moved:\nring the bell at the red door"',
    '"Regatta on the 24th:\nno cargo boats\nfrom 9 to 5"',
]
#: What the places, boats and notices are called in the text that is not ASCII.
FOREIGN = {
    "Halden Top Lock": "Häldener Schleuse",
    "Sallow Bridge": "Pont des Saules à l'écluse",
    "Orrin Basin": "Оррин гавань",
    "Mill Reach": "水車の区間",
    "Brindle": "Brünhild",
    "Tansy": "Τανσύ",
    "Plover": "Čejka",
    "Open again after cleaning; the keeper is back on Monday": "Nach der Reinigung wieder geöffnet; Wärter ab Montag zurück",
    "Swans are nesting below the weir; pass slowly and keep dogs aboard": "Лебеди гнездятся ниже плотины; идите медленно",
    "Crane tested to 2 tons by the company's engineer": "クレーンは二トンまで検査済み",
}

LOCKS = ["Orrin", "Halden Top", "Lamb", "Weir Gate"]


def make_columns(path: Path, megabytes: int) -> None:
    """Write a report in display columns, a third of its tons blank."""

    def make_line(chance: random.Random) -> str:
        day = f"2031-{chance.randrange(1, 13):02d}-{chance.randrange(1, 29):02d}"
        tons = f"{chance.randrange(1, 4000) / 10:.1f}" if chance.random() < 0.67 else ""
        toll = f"{chance.randrange(100, 4000) / 100:.2f}"
        place = f"{chance.choice(BOATS):<16} {chance.choice(LOCKS):<11}"
        return f"{day} {place} {tons:>5} {toll:>7}  {chance.choice(NOTICES[2::2])}\n"

    heading = "Day        Boat             Lock         Tons    Toll  Remark\n"
    _write_lines(path, megabytes, heading, make_line)


def make_joined(path: Path, megabytes: int, end: str = "") -> None:
    """Write figures glued to words, six pieces a line, with a code in front."""

    def make_line(chance: random.Random) -> str:
        boat = chance.choice(BOATS).replace(" ", "")
        return f"LK{chance.randrange(1, 400)}{boat}{chance.randrange(1, 100)}down{chance.randrange(100)}\n"

    _write_lines(path, megabytes, "", make_line, end)


def make_wrapped(path: Path, megabytes: int, kind: str) -> None:
    """Write records of two or three lines: indented, beginning with a number, or in columns."""

    def make_record(chance: random.Random) -> str:
        boat, place = chance.choice(BOATS), chance.choice(PLACES)
        notice = chance.choice([n for n in NOTICES if '"' not in n]).replace(",", "")
        first, second = notice[:24].strip(), notice[24:48].strip()
        if kind == "columns":
            more = f"{'':42}{second}\n" if second else ""
            return f"LK-{chance.randrange(1000, 9999)}    {boat:14}{place:17}{first}\n{more}"
        more = f"   {second}\n" if second else ""
        return f"LK-{chance.randrange(1000, 9999)} {boat} at {place}: {first}\n{more}"

    in_columns = f"{'no':11}{'boat':14}{'place':17}notice\n"
    _write_lines(path, megabytes, in_columns if kind == "columns" else "notice\n", make_record)


#: The labels of a permit.
PERMIT_LABELS = ["Permit no", "Holder", "Boat", "Berth", "From", "Fee"]


def make_permits(path: Path, megabytes: int) -> None:
    """Write permits, six labels each, a blank line behind every one."""
    _write_lines(path, megabytes, "", lambda chance: f"{_make_permit(chance)}\n")


def make_pile(path: Path, megabytes: int) -> None:
    """Write a pile of mails, a permit in each: subjects in encoded words, bodies quoted-printable."""

    def make_mail(chance: random.Random) -> str:
        day = chance.randrange(1, 29)
        return (
            f"From MAILER Tue Jun  3 08:55:00 2031\nFrom: Mooring Office <moorings@halden-orrin.example>\n"
            f"To: {chance.choice(KEEPERS)} <keeper@boats.example>\nDate: Tue, {day} Jun 2031 08:55:00 +0100\n"
            f"Subject: =?utf-8?q?Your_permit_f=C3=BCr_{chance.choice(BOATS).replace(' ', '_')}?=\n"
            'MIME-Version: 1.0\nContent-Type: text/plain; charset="iso-8859-1"\n'
            "Content-Transfer-Encoding: quoted-printable\n\nGr=FC=DFe,\n"
            f"please find your permit below, and keep it with you =\nat all times.\n\n{_make_permit(chance)}"
            "\nYours,\nThe Mooring Office\n\n"
        )

    _write_lines(path, megabytes, "", make_mail)


def _make_permit(chance: random.Random) -> str:
    day = f"2031-{chance.randrange(1, 13):02d}-{chance.randrange(1, 29):02d}"
    values = [
        f"MP-{chance.randrange(10**6):06d}",
        chance.choice(KEEPERS),
        chance.choice(BOATS),
        f"{chance.choice('AB')}{chance.randrange(40)}",
        day,
        f"{chance.randrange(100, 9000) / 100:.2f} marks",
    ]
    return "".join(
        f"{label}: {value}\n" for label, value in zip(PERMIT_LABELS, values, strict=True)
    )


def _write_lines(
    path: Path,
    megabytes: int,
    heading: str,
    make_line: Callable[[random.Random], str],
    end: str = "",
) -> None:
    if path.exists():
        return
    chance = random.Random(1831)
    lines = [make_line(chance) for _ in range(50_000)]
    part = path.with_suffix(".part")
    with part.open("w", newline="", encoding="utf-8") as text:
        size, number = text.write(heading), 0
        while size < megabytes * 1_000_000:
            size += text.write(lines[number % len(lines)])
            number += 1
        text.write(end)
    part.rename(path)


KINDS = {
    "ASCII": (False, 0.0),
    "non-ASCII": (True, 0.0),
    "many-line cells": (False, 0.3),
}


def make_text(path: Path, megabytes: int, kind: str) -> None:
    """Write a text of a kind, unless it is there already."""
    if path.exists():
        return
    is_foreign, share = KINDS[kind]
    names = FOREIGN if is_foreign else {}
    chance = random.Random(1831)
    rows = [_make_record(chance, names, share) for _ in range(50_000)]
    part = path.with_suffix(".part")
    with part.open("w", newline="", encoding="utf-8") as text:
        size, number = text.write(HEADING), 0
        while size < megabytes * 1_000_000:
            record = f"{number:07d},{rows[number % len(rows)]}\n"
            text.write(record)
            size += len(record) if record.isascii() else len(record.encode())
            number += 1
    part.rename(path)


def _make_record(chance: random.Random, names: dict[str, str], share: float) -> str:
    place, boat = chance.choice(PLACES), chance.choice(BOATS)
    notice = chance.choice(LINES if chance.random() < share else NOTICES)
    if chance.random() < 1 / 40:
        notice = DOUBLED
    day = f"2031-{chance.randrange(1, 13):02d}-{chance.randrange(1, 29):02d}"
    toll = f"{chance.randrange(100, 4000) / 100:.2f}"
    values = [day, place, boat, notice, str(chance.randrange(30)), toll, chance.choice(KEEPERS)]
    return ",".join(names.get(value, value) for value in values)


def make_passages(path: Path, megabytes: int) -> None:
    """Write passages of the made-up canal, eight columns parted by semicolons, all of which fit."""
    rng = random.Random(4)
    if path.exists() and path.stat().st_size >= megabytes * 1_000_000:
        return
    with path.open("w", encoding="utf-8", newline="") as file:
        size = file.write("No;Day;Boat;Lock;Cargo;Tons;Toll;Remark\n")
        number = 0
        while size < megabytes * 1_000_000:
            number += 1
            day = f"2031-{rng.randint(1, 12):02}-{rng.randint(1, 28):02}"
            boat, lock, cargo = rng.choice(BOATS), rng.choice(PLACES), rng.choice(CARGOES)
            figures = f"{rng.uniform(4, 40):.1f};{rng.uniform(1, 12):.2f}"
            remark = rng.choice(["", "Gate stiff", "Low water at the sill"])
            size += file.write(f"{number:07};{day};{boat};{lock};{cargo};{figures};{remark}\n")
