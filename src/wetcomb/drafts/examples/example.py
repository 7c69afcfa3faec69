"""Examples: what one record should become, as it is typed or stands in a file."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

import msgspec

from wetcomb.combs.memory import make_table
from wetcomb.core.errors import UsageError
from wetcomb.steps.split.options import Split

__all__ = [
    "MARK",
    "OPEN",
    "Example",
    "check_examples",
    "read_cells",
    "read_example",
    "read_examples",
]

MARK = " | "
OPEN = "?"  # a cell that is left open
_LINE = re.compile(r"\s*@(\d+)\s*=(.*)", re.S)
_NAMED = re.compile(r"\s*([^=\\]*[^=\\\s])\s*=(.*)", re.S)
_AT = "@"  # the column or key that says the source line
_MOST = 100  # examples, and cells of one


class Example(msgspec.Struct, frozen=True):
    """A record that is wanted.

    Attributes
    ----------
    cells : its values in order; None is left open
    names : of the columns that they stand in; none where they are all columns there are
    line : of the source, from which it is to come; 0 where that is open
    said : as it was written, for messages
    """

    cells: tuple[str | None, ...]
    names: tuple[str, ...] = ()
    line: int = 0
    said: str = ""


def read_example(text: str, mark: str = MARK) -> Example:
    r"""Return an example as it is typed: `@4 = Ada Marsh | 12 Mill Lane | ?`, or `Toll=3.50 | Boat=Tansy`.

    `\?`, `\@` and `\=` are the signs themselves.

    Raises
    ------
    UsageError : nothing is wanted, or a column is named twice
    """
    found = _LINE.match(text)
    line, rest = (int(found[1]), found[2]) if found else (0, text)
    parts = _cut(rest, mark)
    pairs = [_NAMED.fullmatch(part) for part in parts]
    if all(pairs):
        names = tuple(pair[1].strip() for pair in pairs if pair)
        parts = [pair[2].strip() for pair in pairs if pair]
    else:
        names = ()
    return _make([_read_cell(part) for part in parts], names, line, text)


def read_cells(text: str, mark: str = MARK) -> list[str | None]:
    """Return the cells of an example, None for one that is left open.

    Raises
    ------
    UsageError : none says what is wanted
    """
    cells = [_read_cell(part) for part in _cut(text, mark)]
    _make(cells, (), 0, text)
    return cells


def _make(cells: Sequence[str | None], names: Sequence[str], line: int, said: str) -> Example:
    if not any(cells):
        raise UsageError(f"--example {said!r}: no cell says what is wanted")
    if len(cells) > _MOST:
        raise UsageError(f"--example {said[:60]!r}: {len(cells)} cells; an example has {_MOST} at most")  # fmt: skip
    twice = next((name for name in names if [*names].count(name) > 1), None)
    if twice is not None:
        raise UsageError(f"--example {said!r}: the column {twice!r} stands there twice")
    return Example(tuple(cells), tuple(names), line, said)


def _cut(text: str, mark: str) -> list[str]:
    """Cut at a mark; one with blanks around it also where a value beside it is empty."""
    bare = mark.strip()
    if not bare or bare == mark:
        return [part.strip() for part in text.split(mark)]
    return [part.strip() for part in re.split(rf"(?:(?<=\s)|^){re.escape(bare)}(?=\s|$)", text)]


def _read_cell(text: str) -> str | None:
    return None if text == OPEN else re.sub(r"\\([?@=])", r"\1", text)


def read_examples(name: str, raw: str) -> list[Example]:
    """Return the examples of a file: JSON lines, a table with a heading (csv), or one a line as it is typed.

    A key or column `@` says the source line. In JSON, null is left open.

    Raises
    ------
    UsageError : a line is no example, or there is none
    """
    readers = {".jsonl": _read_json, ".csv": _read_table}
    ending = next((ending for ending in readers if name.lower().endswith(ending)), "")
    made = [*readers[ending](name, raw)] if ending else [read_example(text) for text in raw.splitlines() if text.strip()]  # fmt: skip
    if not made:
        raise UsageError(f"{name}: there is no example in it")
    return made


def _read_json(name: str, raw: str) -> Iterator[Example]:
    for number, text in enumerate(raw.splitlines(), 1):
        if not text.strip():
            continue
        try:
            found = msgspec.json.decode(text, type=dict[str, str | int | float | None] | list[str | int | float | None])  # fmt: skip
        except msgspec.DecodeError as error:
            raise UsageError(f"{name}, line {number}: {error}; a line is a list of values, or an object of names and values") from error  # fmt: skip
        if isinstance(found, list):
            yield _make([_say(value) for value in found], (), 0, text)
            continue
        line = found.pop(_AT, 0)
        if not isinstance(line, int):
            raise UsageError(f"{name}, line {number}: {_AT!r} takes the number of a source line, found {line!r}")  # fmt: skip
        yield _make([_say(value) for value in found.values()], [*found], line, text)


def _say(value: str | float | None) -> str | None:
    return None if value is None else str(value)


def _read_table(name: str, raw: str) -> Iterator[Example]:
    table = make_table([Split(delimiter=("comma",), heading="first", fields=0, quote=("double",))], raw)  # fmt: skip
    at = table.names.index(_AT) if _AT in table.names else -1
    names = [column for column in table.names if column != _AT]
    for row, values in enumerate(table.rows()):
        line = values.pop(at) if at >= 0 else ""
        if line and not line.isdecimal():
            raise UsageError(f"{name}, record {row + 1}: {_AT!r} takes the number of a source line, found {line!r}")  # fmt: skip
        cells = [_read_cell(value or "") for value in values]
        yield _make(cells, names, int(line or 0), ",".join(value or "" for value in values))


def check_examples(examples: Sequence[Example]) -> None:
    """Refuse examples that cannot all be wanted.

    Raises
    ------
    UsageError : two want other columns, or another record of the same line
    """
    first = examples[0]
    for other in examples[1:]:
        if bool(first.names) != bool(other.names):
            raise UsageError(f"--example: {first.said!r} and {other.said!r} contradict each other: one names its columns, the other does not")  # fmt: skip
        if not first.names and len(first.cells) != len(other.cells):
            raise UsageError(f"--example: {first.said!r} and {other.said!r} contradict each other: {len(first.cells)} cells and {len(other.cells)}")  # fmt: skip
    for place, one in enumerate(examples):
        for other in examples[place + 1 :]:
            if one.line and one.line == other.line:
                mine, theirs = (dict(zip(e.names or range(len(e.cells)), e.cells, strict=True)) for e in (one, other))  # fmt: skip
                odd = [key for key in mine if key in theirs and None not in (mine[key], theirs[key]) and mine[key] != theirs[key]]  # fmt: skip
                if odd:
                    raise UsageError(f"--example: {one.said!r} and {other.said!r} contradict each other: both are of line {one.line}")  # fmt: skip
