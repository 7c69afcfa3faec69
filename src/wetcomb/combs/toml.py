"""The comb file: TOML 1.0, read with exact places for errors, written with its reasons.

Keys are the options under their command-line names, with underscores for dashes.
Comments survive: a comb that was loaded is saved into the text it came from.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import msgspec
import tomlkit
from tomlkit.exceptions import ParseError, TOMLKitError
from tomlkit.items import AoT, InlineTable
from tomlkit.items import Table as TomlTable

from wetcomb.combs.comb import Comb, Fits
from wetcomb.combs.part import Part
from wetcomb.combs.usual import RunSeen
from wetcomb.core.errors import CombError, UsageError, find_nearest
from wetcomb.steps.registry import STEPS
from wetcomb.steps.step import AUTO, Step, list_options

__all__ = ["load_comb", "parse_comb", "render_comb"]

_VERSION = 1
_PART_FIELDS = {"from": "from_"}
_TOP_KEYS = ("wetcomb", "source", "step", "fits")


def load_comb(path: str | Path) -> Comb:
    """Return the comb in a file.

    Raises
    ------
    CombError : it cannot be read, or anything in it cannot be used; all faults are told at once
    """
    try:
        text = Path(path).read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        reason = error.strerror if isinstance(error, OSError) else "it is not UTF-8 text"
        raise CombError(f"{path}: cannot read this comb: {reason}") from error
    return parse_comb(text, str(path))


def parse_comb(text: str, source: str = "comb") -> Comb:
    """Return the comb a TOML text describes; see `load_comb`."""
    try:
        document = tomlkit.parse(text)
    except ParseError as error:
        raise CombError(f"{source}:{error.line}:{error.col}: this is not TOML: {error}") from error
    except TOMLKitError as error:
        raise CombError(f"{source}: this is not TOML: {error}") from error
    return _Parser(text, source).parse(document.unwrap())


class _Parser:
    """Checks one document and gathers everything that is wrong with it."""

    def __init__(self, text: str, source: str) -> None:
        self._places = _find_places(text)
        self._source = source
        self._faults: list[tuple[int, str]] = []

    def _fault(self, table: str, key: str, message: str) -> None:
        places = [(table, key), (key, ""), (table, "")]
        line = next((self._places[place] for place in places if place in self._places), 1)
        self._faults.append((line, f"{self._source}:{line}: {message}"))

    def parse(self, document: dict[str, Any]) -> Comb:
        for key in document:
            if key not in _TOP_KEYS:
                self._fault("", key, f"unknown key {key!r}{find_nearest(key, _TOP_KEYS)}")
        if document.get("wetcomb") != _VERSION:
            found = document.get("wetcomb", "nothing")
            self._fault(
                "", "wetcomb", f"a comb begins with 'wetcomb = {_VERSION}', found {found!r}"
            )
        encoding, part = self._parse_source(document.get("source", {}))
        fits = self._parse_struct("fits", document.get("fits", {}), Fits)
        tables = document.get("step", [])
        if not isinstance(tables, list) or not tables:
            self._fault("step.0", "", "a comb needs at least one [[step]]")
            tables = []
        steps = [self._parse_step(number, table) for number, table in enumerate(tables)]
        if self._faults:
            raise CombError("\n".join(message for _, message in sorted(self._faults)))
        try:
            kept = tuple(step for step in steps if step is not None)
            return Comb(kept, encoding, fits or Fits(), part=part)
        except CombError as error:
            line = self._places.get(("step.1", ""), 1)
            raise CombError(f"{self._source}:{line}: {error}") from error

    def _parse_source(self, table: Any) -> tuple[str, Part]:
        known = {"encoding": str} | {
            entry.encode_name: entry.type for entry in msgspec.structs.fields(Part)
        }
        values = self._convert_all("source", "[source]", table, known)
        if values is None:
            return "", Part()
        encoding = values.pop("encoding", "")
        try:
            return encoding, Part(**{_PART_FIELDS.get(k, k): v for k, v in values.items()})
        except UsageError as error:
            self._fault("source", next(iter(values)), str(error))
            return encoding, Part()

    def _parse_struct(self, name: str, table: Any, kind: type[Fits]) -> Fits | None:
        known = {entry.name: entry.type for entry in msgspec.structs.fields(kind)}
        values = self._convert_all(name, f"[{name}]", table, known)
        if values is None:
            return None
        for key, high in (("max_odd", 1.0), ("max_snags", None)):
            value = values.get(key) or 0
            if not value >= 0 or (high is not None and value > high):
                what = "a share from 0 to 1" if high else "a number from 0"
                self._fault(name, key, f"option {key!r} of [{name}] is {what}, found {value}")
                return None
        return kind(**values)

    def _parse_step(self, number: int, table: Any) -> Step | None:
        place = f"step.{number}"
        do = table.get("do") if isinstance(table, dict) else None
        if not isinstance(do, str) or do not in STEPS:
            what = (
                f"unknown step {do!r}{find_nearest(str(do), STEPS)}"
                if do
                else 'a step needs do = "split"'
            )
            self._fault(place, "do", what)
            return None
        step = STEPS[do]
        options = {entry.key: entry for entry in list_options(step)}
        known = {name: entry.value_type for name, entry in options.items()}
        given = {key: value for key, value in table.items() if key != "do"}
        values = self._convert_all(place, do, given, known)
        if values is None:
            return None
        try:
            for key, value in values.items():
                if options[key].is_number:
                    options[key].check_limits(value)
            made = step(**{options[key].name: value for key, value in values.items()})
        except UsageError as error:
            self._fault(place, "", str(error))
            return None
        for key in made.unsettled():
            why = f"option {key!r} of {do} is not stated; a comb states what draft would work out"
            self._fault(place, "", why)
        return made

    def _convert_all(
        self, place: str, owner: str, table: Any, known: dict[str, Any]
    ) -> dict[str, Any] | None:
        if not isinstance(table, dict):
            self._fault("", place, f"{owner} is a table")
            return None
        before, values = len(self._faults), {}
        for key, value in table.items():
            if key not in known:
                self._fault(
                    place, key, f"unknown option {key!r} of {owner}{find_nearest(key, known)}"
                )
                continue
            try:
                values[key] = msgspec.convert(value, known[key], strict=True)
            except msgspec.ValidationError as error:
                what = str(error).split(" - at")[0].replace("`", "")
                self._fault(
                    place,
                    key,
                    f"option {key!r} of {owner}: {what[0].lower()}{what[1:]}, found {value!r}",
                )
        return values if len(self._faults) == before else None


_CONTROLS = re.compile(r"[\x00-\x08\x0a-\x1f\x7f]")  # none of which may stand in a comment
_HEADER = re.compile(r"\s*(\[\[?)\s*([A-Za-z0-9_.\"'-]+)\s*\]\]?")
_KEY = re.compile(r"\s*([A-Za-z0-9_-]+|\"[^\"]*\"|'[^']*')\s*=")
_STRINGS = re.compile(r"\"\"\"|'''|\"(?:\\.|[^\"\\])*\"|'[^']*'|#.*")


def _find_places(text: str) -> dict[tuple[str, str], int]:
    """Return the line (from 1) of every table header and key; a step's table is `step.N`, N from 0."""
    places: dict[tuple[str, str], int] = {}
    table, steps, open_string, depth = "", 0, "", 0
    for number, line in enumerate(text.splitlines(), 1):
        if not open_string and depth == 0:
            header, key = _HEADER.match(line), _KEY.match(line)
            if header:
                table = header[2]
                if table == "step":
                    table, steps = f"step.{steps}", steps + 1
                places.setdefault((table, ""), number)
                continue
            if key:
                places.setdefault((table, key[1].strip("\"'")), number)
        open_string, depth = _skip_strings(line, open_string, depth)
    return places


def _skip_strings(line: str, open_string: str, depth: int) -> tuple[str, int]:
    """Follow strings and brackets that run over lines."""
    position = 0
    while position < len(line):
        if open_string:
            end = line.find(open_string, position)
            if end < 0:
                return open_string, depth
            position, open_string = end + 3, ""
            continue
        found = _STRINGS.search(line, position)
        stop = found.start() if found else len(line)
        depth += line.count("[", position, stop) - line.count("]", position, stop)
        position = found.end() if found else len(line)
        if found and found[0] in ('"""', "'''"):
            open_string = found[0]
    return open_string, max(depth, 0)


def render_comb(comb: Comb, base: str = "") -> str:
    """Return the text of a comb file; in the text it was loaded from, where that is given."""
    if base:
        return _update(tomlkit.parse(base), comb)
    document = tomlkit.document()
    document.add("wetcomb", tomlkit.item(_VERSION))
    told = msgspec.to_builtins(comb.part)
    if comb.encoding or told:
        source = tomlkit.table()
        for key, value in (({"encoding": comb.encoding} if comb.encoding else {}) | told).items():
            source.add(key, value)
        document.add(tomlkit.nl())
        document.add("source", source)
    document.add(tomlkit.nl())
    for note in comb.notes:
        document.add(tomlkit.comment(_CONTROLS.sub("\ufffd", note)))
    steps = tomlkit.aot()
    for step in comb.steps:
        steps.append(_render_step(step))
    document.add("step", steps)
    fits = {key: value for key, value in msgspec.to_builtins(comb.fits).items() if value}
    if comb.fits.run:
        fits["run"] = _render_runs(comb.fits.run)
    if fits:
        table = tomlkit.table()
        for key, value in fits.items():
            table.add(key, value)
        document.add(tomlkit.nl())
        document.add("fits", table)
    return tomlkit.dumps(document)


def _parse_runs(document: tomlkit.TOMLDocument) -> tuple[RunSeen, ...]:
    """Return the runs that a comb file keeps."""
    kept = document.unwrap().get("fits", {}).get("run", [])
    return msgspec.convert(kept, tuple[RunSeen, ...])


def _render_runs(runs: Sequence[RunSeen]) -> AoT:
    """Return runs as tables, a column a line."""
    tables = tomlkit.aot()
    for run in runs:
        whole = msgspec.to_builtins(run)
        told = {key: value for key, value in whole.items() if value or key == "records"}
        columns = told.pop("columns", {})
        table = tomlkit.table()
        for key, value in told.items():
            table.add(key, _render_inline(value) if isinstance(value, dict) else value)
        lines = tomlkit.table()
        for name, column in columns.items():
            lines.add(name, _render_inline({key: value for key, value in column.items() if value}))
        table.add("columns", lines)
        tables.append(table)
    return tables


def _render_inline(values: dict[str, Any]) -> InlineTable:
    table = tomlkit.inline_table()
    for key, value in values.items():
        table.append(key, _render_inline(value) if isinstance(value, dict) else value)
    return table


def _render_step(step: Step) -> TomlTable:
    table = tomlkit.table()
    table.add("do", step.name)
    for key, value in _stated(step):
        table.add(key, value)
    return table


def _stated(step: Step) -> list[tuple[str, Any]]:
    """Return the options of a step that are written down, with their values.

    These are the ones that were worked out or could have been, the quote mark, and all that
    differ from their defaults; the defaults of the others hold as long as the version does.
    """
    stated = []
    for entry in list_options(type(step)):
        value = getattr(step, entry.name)
        is_default = value == entry.default and entry.name not in _ALWAYS
        if value is not AUTO and not is_default and not (entry.default is AUTO and value == ()):
            is_list = isinstance(value, Sequence) and not isinstance(value, str)
            stated.append((entry.key, list(value) if is_list else value))
    return stated


#: Options that are written down even where they have their defaults.
_ALWAYS = ("quote",)


def _update(document: tomlkit.TOMLDocument, comb: Comb) -> str:
    tables = document["step"]
    assert isinstance(tables, AoT)
    for step in comb.steps[len(tables) :]:  # what must hold was added behind them
        tables.append(_render_step(step))
    del tables[len(comb.steps) :]  # or it held for one run
    if comb.fits.run and comb.fits.run != _parse_runs(document):
        if "fits" not in document:
            document.add("fits", tomlkit.table())
        document["fits"]["run"] = _render_runs(comb.fits.run)
    for table, step in zip(tables, comb.steps, strict=True):
        assert isinstance(table, TomlTable)
        stated = dict(_stated(step))
        for entry in list_options(type(step)):
            key, default = entry.key, _default(step, entry.name)
            value = stated.get(key, default)
            is_shown = key in table or (key in stated and value != default)
            if is_shown and value is not AUTO and table.get(key) != value:
                table[key] = value
    return tomlkit.dumps(document)


def _default(step: Step, key: str) -> Any:
    default = next(entry.default for entry in list_options(type(step)) if entry.name == key)
    return list(default) if isinstance(default, tuple) else default
