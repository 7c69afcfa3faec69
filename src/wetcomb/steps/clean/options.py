"""clean: the last hand on a table: values, dates and numbers, repeats, columns, what must hold.

It decides nothing by itself: each option says what is done to which columns, an example how dates
and numbers are written. Afterwards spacing at edges is gone, what was asked for is done, and what
does not read as the example says stands as text, a snag. It is known to be wrong where a value
that is a code reads as a number and was asked to.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, ClassVar, Literal

from msgspec.structs import replace

from wetcomb.core.errors import UsageError
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.clean.dates import DateReading
from wetcomb.steps.clean.month_names import LANGUAGES
from wetcomb.steps.clean.numbers import NumberReading
from wetcomb.steps.clean.written import (
    Fix,
    Must,
    check_replace,
    cut_name,
    read_fix,
    read_must,
    read_named,
    read_span,
)  # fmt: skip
from wetcomb.steps.step import Step, option

__all__ = ["LETTERS", "Clean"]

_VALUES, _TYPES, _RECORDS = "values", "dates and numbers, by example", "records"
_COLUMNS, _HAND, _MUST = "columns", "by hand", "what must hold"
LETTERS = ("upper", "lower", "first", "initials")


class Clean(Step, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Options of clean. A single text may stand for a list of one.

    Raises
    ------
    UsageError : an option is not written as it should be, or an example reads in two ways
    """

    name: ClassVar[str] = "clean"
    takes_tables: ClassVar[bool] = True
    summary: ClassVar[str] = "finish the table: values, dates, numbers, repeats, columns"
    usage: ClassVar[str] = """\
The last hand on a table. Spacing at the edges of values always goes; all else is done as you say.
Dates and numbers are read as an example is written; what does not read so stays, a snag. It reads a
table (--read), or text that it cuts as split would.

  wetcomb clean tolls.csv --read comma --number 'Toll=12.5' --date 'Date=2031-06-13' -o clean.csv
  wetcomb rebuild register.txt -o r.csv; wetcomb clean r.csv --read comma --drop-repeats -o c.csv
  wetcomb split list.txt -d semicolon + clean --carry Reach --rename 'Sum=Toll' --must 'unique No'
"""

    unquote: Annotated[
        bool, option("take off quote marks that stand around a value", group=_VALUES, example="")
    ] = False
    one_space: Annotated[
        bool, option("make one blank of several within a value", group=_VALUES, example="")
    ] = False
    strip: Annotated[
        tuple[str, ...] | str,
        option(
            "signs to take off a value's edges, whatever their order",
            group=_VALUES,
            example="'Boat=*†'",
        ),
    ] = ()
    take_out: Annotated[
        tuple[str, ...] | str,
        option(
            "signs to take out of a value, wherever they stand", group=_VALUES, example="'Toll=~'"
        ),
    ] = ()
    replace: Annotated[
        tuple[str, ...] | str,
        option(
            "a pattern to replace, wherever it stands in a value, and by what: {name} is a field that it names; the last = parts them",
            group=_VALUES,
            example="'Lock:Top Lk=Top Lock'",
        ),
    ] = ()
    letters: Annotated[
        tuple[str, ...] | str,
        option(
            "small or capital letters: upper, lower, first (of the value), initials (of each word)",
            group=_VALUES,
            example="'Boat=initials'",
        ),
    ] = ()
    missing: Annotated[
        tuple[str, ...] | str,
        option(
            "words that stand for a missing value; parted by commas",
            group=_VALUES,
            example="nil,n/a",
        ),
    ] = ()
    carry: Annotated[
        tuple[str, ...] | str,
        option(
            "columns whose value holds for the records below until another comes, outer to inner; parted by commas",
            group=_VALUES,
            example="Reach",
        ),
    ] = ()
    date: Annotated[
        tuple[str, ...] | str,
        option(
            "how dates of a column are written, by example, several behind | are tried in order; they become 2031-02-13",
            group=_TYPES,
            example="'Day=31.12.24|31 Dec 2024'",
        ),
    ] = ()
    date_mark: Annotated[
        str,
        option("what stands between day and time, where there is one", group=_TYPES, example="T"),
    ] = " "
    month_names: Annotated[
        tuple[str, ...] | str,
        option(
            f"whose names of months count; all, where none is stated: {' '.join(LANGUAGES)}; parted by commas",
            group=_TYPES,
            example="de",
        ),
    ] = ()
    first_year: Annotated[
        int,
        option(
            "the first year that two digits stand for; the hundred from there on", group=_TYPES,
            example="1950", ge=1, le=9900,
        ),
    ] = 1970  # fmt: skip
    number: Annotated[
        tuple[str, ...] | str,
        option(
            "how numbers of a column are written, by example; they become 1234.56, not a digit less",
            group=_TYPES,
            example="'Toll=1.234,56'",
        ),
    ] = ()
    currency: Annotated[
        Literal["drop", "column"],
        option("what becomes of a sign or unit beside a number", group=_TYPES, example="column"),
    ] = "drop"
    as_text: Annotated[
        tuple[str, ...] | str,
        option(
            "columns that stay as they are, said so in the comb; parted by commas",
            group=_TYPES,
            example="No",
        ),
    ] = ()
    drop_repeats: Annotated[
        bool, option("drop records that say what another says", group=_RECORDS, example="")
    ] = False
    by: Annotated[
        tuple[str, ...] | str,
        option(
            "columns that tell a repeat; all, where none is named; parted by commas",
            group=_RECORDS,
            example="No",
        ),
    ] = ()
    ignore_case: Annotated[
        bool, option("capitals do not tell records apart", group=_RECORDS, example="")
    ] = False
    ignore_spacing: Annotated[
        bool, option("spacing does not tell records apart", group=_RECORDS, example="")
    ] = False
    repeat_kept: Annotated[
        Literal["", "first", "last"],
        option(
            "which record stands where the others differ in what --by leaves out",
            group=_RECORDS,
            example="last",
        ),
    ] = ""
    drop_records: Annotated[
        tuple[str, ...] | str,
        option(
            "records to drop, by their source lines; parted by commas",
            group=_RECORDS,
            example="14,17-19",
        ),
    ] = ()
    drop_matching: Annotated[
        tuple[str, ...] | str,
        option("drop records whose text a pattern covers", group=_RECORDS, example="'Sum {any}'"),
    ] = ()
    fix: Annotated[
        tuple[str, ...] | str,
        option(
            "a cell to mend by hand: source line, column, what it is to be; what stood there is remembered in the comb",
            group=_HAND,
            example="'14:Toll=3.50'",
        ),
    ] = ()
    fix_source: Annotated[
        str,
        option(
            "the SHA-256 of the text whose cells --fix mends, as a comb keeps it; on any other text nothing is mended",
            group=_HAND,
            example="9f86d081...",
        ),
    ] = ""
    rename: Annotated[
        tuple[str, ...] | str,
        option("a column to call otherwise", group=_COLUMNS, example="'Sum=Toll'"),
    ] = ()
    only: Annotated[
        tuple[str, ...] | str,
        option(
            "the only columns to keep, in this order; parted by commas",
            group=_COLUMNS,
            example="No,Toll",
        ),
    ] = ()
    without: Annotated[
        tuple[str, ...] | str,
        option("columns to leave out; parted by commas", group=_COLUMNS, example="Remark"),
    ] = ()
    column_order: Annotated[
        tuple[str, ...] | str,
        option(
            "columns to put first, in this order; parted by commas",
            group=_COLUMNS,
            example="No,Day",
        ),
    ] = ()
    sort: Annotated[
        tuple[str, ...] | str,
        option(
            "columns to sort records by, numbers by value; -NAME from the highest down; records that did not convert come first; parted by commas",
            group=_RECORDS,
            example="Day,-Toll",
        ),
    ] = ()
    must: Annotated[
        tuple[str, ...] | str,
        option(
            "what must hold, else exit status 1; alone it changes nothing: records=26, fields=6, 'sum Toll=226.50', 'unique No', 'rising Day', 'filled Lock', 'Cargo in coal,slate'",
            group=_MUST,
            example="'sum Toll=226.50'",
        ),
    ] = ()

    def __post_init__(self) -> None:
        super().__post_init__()
        self._check_examples()
        for flag, given in (("--strip", self.strip), ("--take-out", self.take_out)):
            for text in given:
                if not read_named(flag, text)[1]:
                    raise UsageError(f"{flag} {text!r}: no signs are given behind =")
        for text in self.letters:
            how = read_named("--letters", text)[1]
            if how not in LETTERS:
                raise UsageError(f"--letters {text!r}: {how!r} is none of {' '.join(LETTERS)}")
        for _, pattern, new in self.replacements:
            check_replace(compile_pattern(pattern), new)
        for text in self.drop_matching:
            compile_pattern(text)
        odd = next((name for name in self.month_names if name not in LANGUAGES), None)
        if odd is not None:
            raise UsageError(
                f"--month-names: unknown language {odd!r}; one of: {' '.join(LANGUAGES)}"
            )
        if (
            self.by or self.repeat_kept or self.ignore_case or self.ignore_spacing
        ) and not self.drop_repeats:
            raise UsageError(
                "--by, --ignore-case, --ignore-spacing and --repeat-kept go with --drop-repeats"
            )
        if self.only and (self.without or self.column_order):
            raise UsageError(
                "--only says which columns there are and their order; --without and --column-order contradict it"
            )
        for text in self.rename:
            names, new = read_named("--rename", text)
            if len(names) != 1 or not new.strip():
                raise UsageError(f"--rename {text!r}: it takes one column and its new name")
        if self.fix_source and not self.fix:
            raise UsageError("--fix-source says which text --fix mends, and there is no --fix")
        assert self.dropped_lines is not None
        assert self.fixes is not None
        assert self.musts is not None

    def _check_examples(self) -> None:
        known: dict[str, str] = {}
        for flag, given in (("--date", self.dates), ("--number", self.numbers)):
            for name in given:
                if name in known:
                    raise UsageError(
                        f"{flag}: column {name!r} is converted twice, by {known[name]} too"
                    )
                known[name] = flag
        odd = next((name for name in self.as_text if name in known), None)
        if odd is not None:
            raise UsageError(f"--as-text {odd}: {known[odd]} converts that column")

    @property
    def dates(self) -> dict[str, list[DateReading]]:
        """How the dates of each column may be written."""
        found: dict[str, list[DateReading]] = {}
        for text in self.date:
            names, examples = read_named("--date", text)
            for name in names:
                found.setdefault(name, []).extend(
                    DateReading(one, self.month_names, self.first_year, self.date_mark)
                    for one in examples.split("|")
                )
        return found

    @property
    def numbers(self) -> dict[str, list[NumberReading]]:
        """How the numbers of each column may be written."""
        found: dict[str, list[NumberReading]] = {}
        for text in self.number:
            names, examples = read_named("--number", text)
            for name in names:
                found.setdefault(name, []).extend(map(NumberReading, examples.split("|")))
        return found

    @property
    def replacements(self) -> list[tuple[list[str], str, str]]:
        """Columns, the pattern to be replaced in them, and by what."""
        found = []
        for text in self.replace:
            name, has_column, rest = cut_name(text)
            pattern, has_new, new = rest.rpartition("=")
            if not has_column or not has_new or not pattern:
                raise UsageError(f"--replace {text!r}: it takes NAME:OLD=NEW")
            found.append(([name], pattern, new))
        return found

    @property
    def dropped_lines(self) -> list[tuple[int, int]]:
        """Source lines of records that are dropped, as first and last ones."""
        return [read_span(text) for text in self.drop_records]

    @property
    def fixes(self) -> list[Fix]:
        """Cells that are mended by hand."""
        found = [read_fix(text) for text in self.fix]
        places = [(fix.line, fix.column) for fix in found]
        twice = next((place for place in places if places.count(place) > 1), None)
        if twice is not None:
            raise UsageError(f"--fix: line {twice[0]}, column {twice[1]!r} is mended twice")
        return found

    @property
    def musts(self) -> list[Must]:
        """What must hold."""
        return [read_must(text) for text in self.must]

    @property
    def is_check(self) -> bool:
        """Whether it only looks whether something holds, and changes nothing."""
        return bool(self.must) and replace(self, must=()) == Clean()

    @property
    def is_tied(self) -> bool:
        return bool(self.fix)

    def untie(self, digest: str) -> Clean:
        """Return the step without its fixes, where they belong to another text than that of a digest."""
        is_other = self.fix_source not in ("", digest)
        return replace(self, fix=(), fix_source="") if is_other else self

    def remember(self, texts: Mapping[str, str], digest: str) -> Clean | None:
        """Return the step with what stood in the cells that are mended, and without what holds for one run."""
        fixes = tuple(f"{text} (was {texts[text]})" if text in texts else text for text in self.fix)
        kept = tuple(one.text for one in self.musts if one.kind not in ("records", "sum"))
        if self.is_check and not kept:
            return None
        source = self.fix_source or (digest if self.fix else "")
        return replace(self, fix=fixes, fix_source=source, must=kept)

    @property
    def reads(self) -> str:
        return "table"

    @property
    def reach(self) -> str:
        if self.sort or self.repeat_kept == "last":
            return "whole"
        return "state" if self.carry or self.drop_repeats or self.must or self.fix else "record"
