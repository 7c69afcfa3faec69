"""Tasks for examples: texts with columns that want cutting, and the tables that a person means.

    make_tasks(300, seed)

Everything in them is invented. A task has a text, the table that is wanted, and whether a second
rule fits its first example as well.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Sequence
from typing import NamedTuple

__all__ = ["KINDS", "Task", "make_tasks"]

Cells = list[str]


class Task(NamedTuple):
    """One task: a record of the table that is wanted, and its line in the text, for each record."""

    kind: str
    text: str
    rows: list[Cells]
    lines: list[int]
    is_open: bool


FIRST = ["Ada", "Bram", "Cleo", "Dov", "Edda", "Finn", "Greta", "Hugo", "Ilse", "Jon", "Kaja", "Levi", "Mona", "Nils", "Olga", "Piet", "Rosa", "Sven", "Tilda", "Uwe", "Vera", "Wim", "Zoë", "Åse", "Mary-Ann"]  # fmt: skip
LAST = ["Marsh", "Oake", "Sallow", "Tarn", "Ferris", "Lind", "Brandt", "Crow", "Hale", "Iven", "Juul", "Kettle", "Moor", "Nye", "Orme", "Penn", "Quill", "Reed", "Stoat", "Thorn", "Unger", "Vale", "Wick", "Yarrow"]  # fmt: skip
LONG = ["van Dyke", "de la Mare", "von Halden", "Le Grand", "Lee Crow"]
CYRILLIC = [["Анна", "Борис", "Вера", "Глеб", "Дарья", "Егор", "Инна"], ["Маслова", "Орлов", "Тарн", "Линд", "Рогов", "Седова", "Широв"]]  # fmt: skip
GREEK = [["Άννα", "Βασίλης", "Γιώργος", "Δήμητρα", "Ελένη", "Ηλίας"], ["Μάρσης", "Όρριν", "Ταρνός", "Λίνδος", "Ρήγας", "Σάλος"]]  # fmt: skip
CHINESE = [list("李王张刘陈杨赵"), ["伟", "芳", "小明", "静", "建国", "秀英", "磊"]]
STREETS = ["Mill Lane", "Quay", "Long Acre Street", "High Row", "Lock Cottages", "Canal Walk", "Tow Path", "Weir Road", "Coal Wharf"]  # fmt: skip
TOWNS = ["Orrin", "Halden", "Sallow Reach", "Upper Halden", "Mere", "Tarnby", "Low Weir"]
MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"]
GOODS = ["coal", "slate", "lime", "barley", "pig iron", "bricks", "salt", "timber", "clay"]
UNITS = ("t", "kg", "cwt", "m")
HOSTS = ("halden.example", "orrin-canal.example", "tolls.example")


class Column(NamedTuple):
    """Raw values and what each is to become."""

    raw: list[str]
    cells: list[Cells]
    is_open: bool = False


def _draw_names(chance: random.Random, number: int, *, long: bool = False) -> list[tuple[str, str]]:
    script = chance.choice(["latin"] * 4 + ["cyrillic", "greek"])
    firsts, lasts = {"latin": (FIRST, LAST), "cyrillic": CYRILLIC, "greek": GREEK}[script]
    made = [(chance.choice(firsts), chance.choice(lasts)) for _ in range(number)]
    if long and script == "latin":
        for row in chance.sample(range(1, number), max(1, number // 8)):
            made[row] = (made[row][0], chance.choice(LONG))
    elif long:
        for row in chance.sample(range(1, number), max(1, number // 8)):
            made[row] = (made[row][0], f"{chance.choice(lasts)} {made[row][1]}")
    return made


def first_and_rest(chance: random.Random, n: int) -> Column:
    names = _draw_names(chance, n, long=True)
    return Column([f"{a} {b}" for a, b in names], [[a, b] for a, b in names], is_open=True)


def all_but_last(chance: random.Random, n: int) -> Column:
    names = _draw_names(chance, n, long=True)
    said = [f"{a} {b}" for a, b in names]
    return Column(said, [said_one.rsplit(" ", 1) for said_one in said], is_open=True)


def plain_names(chance: random.Random, n: int) -> Column:
    names = _draw_names(chance, n)
    return Column([f"{a} {b}" for a, b in names], [[a, b] for a, b in names])


def last_word(chance: random.Random, n: int) -> Column:
    names = _draw_names(chance, n, long=True)
    said = [f"{a} {b}" for a, b in names]
    return Column(said, [[one.rsplit(" ", 1)[1]] for one in said], is_open=True)


def first_word(chance: random.Random, n: int) -> Column:
    names = _draw_names(chance, n, long=True)
    return Column([f"{a} {b}" for a, b in names], [[a] for a, _ in names], is_open=True)


def initials(chance: random.Random, n: int) -> Column:
    names = _draw_names(chance, n)
    form = chance.choice(["{}. {}.", "{}.{}.", "{}{}", "{} {}"])
    return Column([f"{a} {b}" for a, b in names], [[form.format(a[0], b[0])] for a, b in names])


def initial_and_last(chance: random.Random, n: int) -> Column:
    names = _draw_names(chance, n)
    form = chance.choice(["{}. {}", "{1}, {0}."])
    return Column([f"{a} {b}" for a, b in names], [[form.format(a[0], b)] for a, b in names])


def reversed_names(chance: random.Random, n: int) -> Column:
    names = _draw_names(chance, n)
    if chance.random() < 0.5:
        return Column([f"{b}, {a}" for a, b in names], [[f"{a} {b}"] for a, b in names])
    return Column([f"{a} {b}" for a, b in names], [[f"{b}, {a}"] for a, b in names])


def unreversed_parts(chance: random.Random, n: int) -> Column:
    names = _draw_names(chance, n, long=True)
    return Column([f"{b}, {a}" for a, b in names], [[a, b] for a, b in names])


def codes(chance: random.Random, n: int) -> Column:
    mark = chance.choice("-/.")
    parts = [[chance.choice(("LK", "MR", "HO")), str(chance.randrange(2029, 2033)), f"{chance.randrange(9999):04d}"] for _ in range(n)]  # fmt: skip
    return Column([mark.join(one) for one in parts], parts)


def glued_codes(chance: random.Random, n: int) -> Column:
    parts = [[chance.choice(("LK", "MR", "HO")), str(chance.randrange(2029, 2033)), f"{chance.randrange(9999):04d}"] for _ in range(n)]  # fmt: skip
    return Column(["".join(one) for one in parts], parts)


def last_of_code(chance: random.Random, n: int) -> Column:
    parts = [[chance.choice(("LK", "MR", "HO")), str(chance.randrange(2029, 2033)), f"{chance.randrange(9999):04d}"] for _ in range(n)]  # fmt: skip
    return Column(["-".join(one) for one in parts], [[one[2]] for one in parts])


def letters_of_code(chance: random.Random, n: int) -> Column:
    parts = [[chance.choice(("LK", "M", "HOC")), str(chance.randrange(1, 9999))] for _ in range(n)]
    return Column(["".join(one) for one in parts], parts)


def addresses(chance: random.Random, n: int) -> Column:
    parts = [[str(chance.randrange(1, 99)), chance.choice(STREETS), chance.choice(TOWNS)] for _ in range(n)]  # fmt: skip
    return Column([f"{a} {b}, {c}" for a, b, c in parts], parts)


def towns(chance: random.Random, n: int) -> Column:
    parts = [[str(chance.randrange(1, 99)), chance.choice(STREETS), chance.choice(TOWNS)] for _ in range(n)]  # fmt: skip
    return Column([f"{a} {b}, {c}" for a, b, c in parts], [[c] for _, _, c in parts])


def addresses_lacking(chance: random.Random, n: int) -> Column:
    parts = [[f"{chance.randrange(1, 99)} {chance.choice(STREETS)}", chance.choice(TOWNS)] for _ in range(n)]  # fmt: skip
    for row in chance.sample(range(2, n), max(1, n // 7)):
        parts[row][1] = ""
    return Column([", ".join(filter(None, one)) for one in parts], parts)


def _draw_mails(chance: random.Random, n: int) -> list[tuple[str, str, str]]:
    return [
        (chance.choice(FIRST[:22]), chance.choice(LAST), chance.choice(HOSTS)) for _ in range(n)
    ]


def mails_to_names(chance: random.Random, n: int) -> Column:
    made = _draw_mails(chance, n)
    return Column([f"{a}.{b}@{c}".lower() for a, b, c in made], [[f"{a} {b}"] for a, b, _ in made])


def mail_parts(chance: random.Random, n: int) -> Column:
    made = _draw_mails(chance, n)
    return Column([f"{a}.{b}@{c}".lower() for a, b, c in made], [[f"{a}.{b}".lower(), c] for a, b, c in made])  # fmt: skip


def named_mails(chance: random.Random, n: int) -> Column:
    made = _draw_mails(chance, n)
    return Column([f"{a} {b} <{a.lower()}@{c}>" for a, b, c in made], [[f"{a} {b}", f"{a.lower()}@{c}"] for a, b, c in made])  # fmt: skip


def _draw_days(chance: random.Random, n: int) -> list[tuple[int, int, int]]:
    return [(chance.randrange(1, 29), chance.randrange(1, 13), chance.randrange(2029, 2033)) for _ in range(n)]  # fmt: skip


def date_parts(chance: random.Random, n: int) -> Column:
    days, mark = _draw_days(chance, n), chance.choice("./-")
    parts = [[f"{d:02d}", f"{m:02d}", str(y)] for d, m, y in days]
    return Column([mark.join(one) for one in parts], parts)


def years(chance: random.Random, n: int) -> Column:
    days = _draw_days(chance, n)
    return Column([f"{d} {MONTHS[m - 1]} {y}" for d, m, y in days], [[str(y)] for _, _, y in days])


def dates_to_iso(chance: random.Random, n: int) -> Column:
    days, form = _draw_days(chance, n), chance.choice(["{0:02d}.{1:02d}.{2}", "{0} {3} {2}", "{2}/{1:02d}/{0:02d}"])  # fmt: skip
    return Column([form.format(d, m, y, MONTHS[m - 1]) for d, m, y in days], [[f"{y}-{m:02d}-{d:02d}"] for d, m, y in days])  # fmt: skip


def _draw_figures(chance: random.Random, n: int) -> list[tuple[str, str]]:
    return [(f"{chance.randrange(1, 400)}" + (f".{chance.randrange(10)}" if chance.random() < 0.5 else ""), chance.choice(UNITS)) for _ in range(n)]  # fmt: skip


def figures_and_units(chance: random.Random, n: int) -> Column:
    made = _draw_figures(chance, n)
    return Column([f"{a} {b}" for a, b in made], [[a, b] for a, b in made])


def units_off(chance: random.Random, n: int) -> Column:
    made, glue = _draw_figures(chance, n), chance.choice(["", " "])
    return Column([f"{a}{glue}{b}" for a, b in made], [[a] for a, _ in made])


def units_lacking(chance: random.Random, n: int) -> Column:
    made = [[a, b] for a, b in _draw_figures(chance, n)]
    for row in chance.sample(range(2, n), max(1, n // 7)):
        made[row][1] = ""
    return Column([" ".join(filter(None, one)) for one in made], made)


def numbers(chance: random.Random, n: int) -> Column:
    made = [chance.randrange(100000, 9999999) for _ in range(n)]
    return Column([f"{v // 100:,}".replace(",", ".") + f",{v % 100:02d}" for v in made], [[f"{v // 100}.{v % 100:02d}"] for v in made])  # fmt: skip


def brackets(chance: random.Random, n: int) -> Column:
    parts = [[chance.choice(TOWNS), chance.choice(GOODS)] for _ in range(n)]
    return Column([f"{a} ({b})" for a, b in parts], parts)


def inside(chance: random.Random, n: int) -> Column:
    parts = [[chance.choice(TOWNS), chance.choice(GOODS)] for _ in range(n)]
    form = chance.choice(["{} ({})", "{} [{}]"])
    return Column([form.format(a, b) for a, b in parts], [[b] for _, b in parts])


def brackets_lacking(chance: random.Random, n: int) -> Column:
    parts = [[chance.choice(TOWNS), chance.choice(GOODS)] for _ in range(n)]
    for row in chance.sample(range(2, n), max(1, n // 7)):
        parts[row][1] = ""
    return Column([f"{a} ({b})" if b else a for a, b in parts], parts)


def chinese_names(chance: random.Random, n: int) -> Column:
    parts = [[chance.choice(CHINESE[0]), chance.choice(CHINESE[1])] for _ in range(n)]
    parts[0][1] = "伟"
    return Column(["".join(one) for one in parts], parts)


def capitals(chance: random.Random, n: int) -> Column:
    names = [chance.choice(TOWNS) for _ in range(n)]
    if chance.random() < 0.5:
        return Column(names, [[one.upper()] for one in names])
    return Column([one.upper() for one in names], [[one.title()] for one in names])


#: Every kind of task.
KINDS: dict[str, Callable[[random.Random, int], Column]] = {
    made.__name__: made
    for made in (
        first_and_rest, all_but_last, plain_names, last_word, first_word, initials, initial_and_last,
        reversed_names, unreversed_parts, codes, glued_codes, last_of_code, letters_of_code,
        addresses, towns, addresses_lacking, mails_to_names, mail_parts, named_mails, date_parts,
        years, dates_to_iso, figures_and_units, units_off, units_lacking, numbers, brackets, inside,
        brackets_lacking, chinese_names, capitals,
    )
}  # fmt: skip


_OPEN = ("first_and_rest", "all_but_last", "last_word", "first_word")


def _lay_delimited(rows: Sequence[Cells], names: Cells, chance: random.Random) -> list[str]:
    mark = chance.choice([";", "\t", " | "])
    return [mark.join(row) for row in [names, *rows]]


def _lay_padded(rows: Sequence[Cells], names: Cells, chance: random.Random) -> list[str]:
    lines = [names, *rows]
    widths = [max(len(row[k]) for row in lines) + 2 + chance.randrange(3) for k in range(len(names))]  # fmt: skip
    return ["".join(cell.ljust(width) for cell, width in zip(row, widths, strict=True)).rstrip() for row in lines]  # fmt: skip


def _lay_alone(rows: Sequence[Cells], names: Cells, chance: random.Random) -> list[str]:
    return [" ".join(row) for row in rows]


def make_tasks(number: int, seed: int) -> list[Task]:
    """Return tasks, the kinds in turn; those whose examples allow two rules come four times a round, a third of all."""
    chance = random.Random(seed)
    kinds = [*KINDS, *_OPEN * 3]
    tasks = []
    for k in range(number):
        kind = kinds[k % len(kinds)]
        n = chance.randrange(9, 26)
        column = KINDS[kind](chance, n)
        numbers = [f"{100 + 3 * row}" for row in range(n)]
        goods = [chance.choice(GOODS) for _ in range(n)]
        layout = chance.choice([_lay_delimited, _lay_delimited, _lay_padded, _lay_padded, _lay_alone])  # fmt: skip
        if layout is _lay_alone:
            raw, wanted = [[one] for one in column.raw], [[*one] for one in column.cells]
            names = ["Value"]
        else:
            place = chance.randrange(2)
            raw = [[no, value, good] if place else [value, no, good] for no, value, good in zip(numbers, column.raw, goods, strict=True)]  # fmt: skip
            wanted = [[no, *cells, good] if place else [*cells, no, good] for no, cells, good in zip(numbers, column.cells, goods, strict=True)]  # fmt: skip
            names = ["No", "Value", "Cargo"] if place else ["Value", "No", "Cargo"]
        lines = layout(raw, names, chance)
        first = len(lines) - n + 1
        tasks.append(Task(kind, "\n".join(lines) + "\n", wanted, [first + row for row in range(n)], column.is_open))  # fmt: skip
    return tasks
