"""realign: put shifted fields back under their columns.

It decides for every record that does not fit how many of its pieces each column takes: a
record fits if it has the right number of pieces and no value stands in a foreign shape, outside
a closed list or against a rising order. Each way to lay the pieces under the columns, in order,
has a cost (`COSTS`); the cheapest is taken if the next one costs at least `margin` more and
nothing foreign is left in it. Afterwards every piece stands in a cell or the record is a snag,
exactly as it was cut. It is known to be wrong where a value fits a column that it does not
belong to and nothing else in its record tells: of two columns of names, one of them optional,
a record that lost the other is read as one that lost the optional one.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Annotated, ClassVar, Literal

import msgspec
from msgspec.structs import replace

from wetcomb.core.errors import UsageError
from wetcomb.match.patterns import compile_pattern, read_shape
from wetcomb.steps.step import Step, option

__all__ = ["COSTS", "Cost", "Realign", "Shift"]

_COLUMNS, _TAKING = "what the columns hold", "what is taken"


class Cost(msgspec.Struct, frozen=True):
    """What one thing in a reading costs."""

    cost: int
    what: str


#: What a reading costs, each thing that there is in it.
COSTS = {
    "blank-optional": Cost(1, "a column of --optional takes nothing"),
    "blank": Cost(12, "another column takes nothing"),
    "merge-absorb": Cost(1, "a column of --absorb takes several pieces: for each beyond the first"),
    "merge": Cost(12, "another column that has a shape or a list takes two pieces"),
    "passed-over": Cost(4, "an empty piece at the record's start is passed over"),
    "foreign": Cost(16, "a value is not of its column's shape"),
    "unlisted": Cost(8, "a value is not in its column's closed list"),
    "stray": Cost(
        16,
        "a value is in the closed list of another column, or of its shape where its own has none",
    ),
    "against": Cost(8, "a value stands against the order of a rising column"),
    "empty": Cost(3, "an empty piece stands in a column that is not optional"),
}

_SHIFT = r"(?s)([1-9]\d{0,14}):([^:]+):([+-]?[1-9]\d?)(?::(.*))?"


class Shift(msgspec.Struct, frozen=True):
    """Cells moved by hand, so many columns to the right, or values so many records down.

    Attributes
    ----------
    line : source line the record stands on, from 1
    text : the record's text; the shift holds only where it stands; empty: wherever the line is
    """

    line: int
    column: str
    by: int
    text: str = ""

    @property
    def key(self) -> str:
        """The shift as it is typed, without the text."""
        return f"{self.line}:{self.column}:{self.by}"


class Realign(Step, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Options of realign. A single text may stand for a list of one.

    Raises
    ------
    UsageError : options that contradict each other, or values that mean nothing
    """

    name: ClassVar[str] = "realign"
    takes_tables: ClassVar[bool] = True
    summary: ClassVar[str] = "put shifted fields back under their columns"
    usage: ClassVar[str] = """\
Read every record that does not fit anew: how many of its pieces each column takes, going by
what the columns hold. What is certain is moved and told; all else stays as it is, a snag.
It reads a table (--read), or text that it cuts as split would.

  wetcomb realign register.txt --optional Cargo,Tons --shape 'Toll={digits}.{2 digits}' --moves
  wetcomb split crew.txt -d space + realign --absorb Boat --shape Tons=number -o crew.csv
  wetcomb realign log.csv --read comma --optional Cargo --figure log.png -o log-mended.csv
"""

    optional: Annotated[
        tuple[str, ...] | str,
        option("columns that may be missing; parted by commas", group=_COLUMNS, example="Cargo"),
    ] = ()
    absorb: Annotated[
        tuple[str, ...] | str,
        option(
            "columns that take several pieces where a record has too many; parted by commas",
            group=_COLUMNS,
            example="Boat",
        ),
    ] = ()
    shape: Annotated[
        tuple[str, ...] | str,
        option(
            "what the values of a column look like: NAME=SHAPE, a shape or a pattern",
            group=_COLUMNS,
            example="'Toll={digits}.{2 digits}'",
        ),
    ] = ()
    values: Annotated[
        tuple[str, ...] | str,
        option(
            "all values a column can have: NAME=VALUE and others behind it, a comma between them",
            group=_COLUMNS,
            example="Cargo=coal,slate,hay",
        ),
    ] = ()
    rising: Annotated[
        tuple[str, ...] | str,
        option(
            "columns whose values never fall from one record to the next; parted by commas",
            group=_COLUMNS,
            example="Day",
        ),
    ] = ()
    particles: Annotated[
        tuple[str, ...] | str,
        option(
            "words that belong to the one behind them; parted by commas",
            group=_COLUMNS,
            example="'van,de la'",
        ),
    ] = ()
    margin: Annotated[
        int,
        option(
            "how much more the next best reading must cost",
            group=_TAKING,
            example="4",
            ge=1,
            le=1000,
        ),
    ] = 4
    prefer: Annotated[
        Literal["", "optional", "absorb"],
        option(
            "where both would do: fill columns of --optional first, or let those of --absorb take all they can",
            group=_TAKING,
            example="optional",
        ),
    ] = ""
    shift: Annotated[
        tuple[str, ...] | str,
        option(
            "move the cells of one record, from a column on: LINE:COLUMN:N, N columns to the right (-N: left)",
            group=_TAKING,
            example="14:Cargo:2",
        ),
    ] = ()
    slide: Annotated[
        tuple[str, ...] | str,
        option(
            "move the values of one column, from a record to the table's end: LINE:COLUMN:N, N records down (-N: up)",
            group=_TAKING,
            example="14:Toll:1",
        ),
    ] = ()

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.prefer and not (self.optional and self.absorb):
            raise UsageError(
                f"--prefer {self.prefer} chooses between columns of --optional and of --absorb; name both"
            )
        shapes, lists = self.shapes, self.lists
        for name in shapes.keys() & lists.keys():
            covers = compile_pattern(shapes[name]).covers
            odd = next((value for value in lists[name] if not covers(value.encode())), None)
            if odd is not None:
                raise UsageError(
                    f"--values and --shape contradict each other: {odd!r} is listed for {name!r}, but is not of its shape {self.said_shapes[name]!r}"
                )
        known = [shift.key for shift in self.shifts]
        twice = next((key for key in known if known.count(key) > 1), None)
        if twice:
            raise UsageError(f"--shift {twice} is given twice")
        if any(slide.text for slide in self.slides):
            raise UsageError("--slide is LINE:COLUMN:N; nothing stands behind that")

    @property
    def said_shapes(self) -> dict[str, str]:
        """The shape of each column, as it was given."""
        return _read_pairs("shape", self.shape, "Toll=number")

    @property
    def shapes(self) -> dict[str, str]:
        """The pattern of each column whose shape is given."""
        patterns = {}
        for name, text in self.said_shapes.items():
            try:
                patterns[name] = read_shape(text)
            except UsageError as error:
                raise UsageError(f"--shape {name}: {error}") from error
        return patterns

    @property
    def lists(self) -> dict[str, tuple[str, ...]]:
        """The closed list of each column that has one; a comma in a value is written with a backslash."""
        lists = {}
        for name, text in _read_pairs("values", self.values, "Cargo=coal,slate").items():
            words = [word.replace("\\,", ",").strip() for word in re.split(r"(?<!\\),", text)]
            lists[name] = tuple(dict.fromkeys(filter(None, words)))
        return lists

    @property
    def shifts(self) -> tuple[Shift, ...]:
        """The records whose cells are moved by hand."""
        return _read_shifts("shift", self.shift, "14:Cargo:2 (N below 0 moves to the left)")

    @property
    def slides(self) -> tuple[Shift, ...]:
        """The columns whose values are moved by hand to other records."""
        return _read_shifts("slide", self.slide, "14:Toll:1 (N below 0 moves up)")

    def remember(self, texts: Mapping[str, str], digest: str) -> Realign:
        """Return the step with the texts of the records that cells are shifted in."""
        return replace(self, shift=tuple(_add_text(shift, texts) for shift in self.shifts))

    @property
    def reads(self) -> str:
        return "table"

    @property
    def reach(self) -> str:
        """Each record by itself, where no column rises and no line is named."""
        if self.slide:
            return "whole"
        return "state" if self.rising or self.shift else "record"


def _read_shifts(option_name: str, texts: tuple[str, ...] | str, example: str) -> tuple[Shift, ...]:
    shifts = []
    for text in texts:
        found = re.fullmatch(_SHIFT, text)
        if not found:
            raise UsageError(
                f"--{option_name} is LINE:COLUMN:N, found {text!r}; for example --{option_name} {example}"
            )
        shifts.append(Shift(int(found[1]), found[2], int(found[3]), found[4] or ""))
    return tuple(shifts)


def _add_text(shift: Shift, texts: Mapping[str, str]) -> str:
    text = texts.get(shift.key, shift.text)
    return f"{shift.key}:{text}" if text else shift.key


def _read_pairs(option_name: str, texts: tuple[str, ...] | str, example: str) -> dict[str, str]:
    pairs: dict[str, str] = {}
    for text in texts:
        name, mark, value = text.partition("=")
        if not mark or not name.strip() or not value.strip():
            raise UsageError(
                f"--{option_name} is NAME=VALUE, found {text!r}; for example {example}"
            )
        if pairs.setdefault(name.strip(), value.strip()) != value.strip():
            raise UsageError(
                f"--{option_name} says two things of {name.strip()!r}: {pairs[name.strip()]!r} and {value.strip()!r}"
            )
    return pairs
