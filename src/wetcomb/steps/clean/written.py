"""How the values of clean's options are written: columns before an `=`, cells by line, what must hold."""

from __future__ import annotations

import re
from typing import NamedTuple

from wetcomb.core.errors import UsageError
from wetcomb.match.patterns import Pattern

__all__ = [
    "FIELD", "Fix", "Must", "check_replace", "cut_name", "read_fix", "read_must", "read_named", "read_span", "write_name",
]  # fmt: skip

FIELD = re.compile(r"\{([^{}]*)\}")  # in the text that takes the place of a pattern

_NAME = re.compile(r'\s*(?:"((?:[^"]|"")*)"|([^=,"][^=,]*?))\s*(,|=|:|$)')
_FIX = re.compile(r"(\d+):(?:\"([^\"]*)\"|([^=\"]+?))=(.*)", re.DOTALL)
_WAS = re.compile(r"(.*) \(was (.*)\)", re.DOTALL)
_RANGE = re.compile(r"(\d+)(?:-(\d+))?")
_MUST_FORMS = re.compile(
    r"(?P<what>records|fields)=(?P<number>\d+)|sum (?P<summed>.+)=(?P<sum>-?\d+(?:\.\d+)?)"
    r"|(?P<kind>unique|rising|filled) (?P<column>.+)|(?P<listed>.+?) in (?P<values>.+)"
)


class Fix(NamedTuple):
    """A cell that is mended by hand: source line, column, what it is to be, what stood there."""

    line: int
    column: str
    value: str
    was: str | None


class Must(NamedTuple):
    """Something that must hold: as it is written, its kind, the column, and what it is held against."""

    text: str
    kind: str
    column: str = ""
    wanted: str = ""


def read_named(flag: str, text: str) -> tuple[list[str], str]:
    """Return the columns that an option names before its first `=`, and what stands behind that.

    Raises
    ------
    UsageError : there is no `=`, or no name before it
    """
    names, place = [], 0
    while True:
        found = _NAME.match(text, place)
        if found is None or found[3] == ":":
            break
        names.append(found[1].replace('""', '"') if found[1] is not None else found[2])
        place = found.end()
        if found[3] == "=":
            return names, text[place:]
        if not found[3]:
            break
    raise UsageError(
        f'{flag} {text!r}: it takes NAME=VALUE; a name with a comma or = stands in "marks"'
    )


def cut_name(text: str) -> tuple[str, bool, str]:
    """Return the column before a colon, whether there is one, and what stands behind it."""
    found = re.match(r'\s*(?:"([^"]*)"|([^:"]+?))\s*:', text)
    if found is None:
        return "", False, text
    return found[1] if found[1] is not None else found[2], True, text[found.end() :]


def read_must(text: str) -> Must:
    """Return what must hold.

    Raises
    ------
    UsageError : it is not written so
    """
    found = _MUST_FORMS.fullmatch(text.strip())
    if found is None:
        raise UsageError(
            f"--must {text!r}: it takes records=26, fields=6, 'sum Toll=226.50', 'unique No', 'rising Day', 'filled Lock' or 'Cargo in coal,slate'"
        )
    if found["what"]:
        return Must(text, found["what"], "", found["number"])
    if found["summed"]:
        return Must(text, "sum", _bare(found["summed"]), found["sum"])
    if found["kind"]:
        return Must(text, found["kind"], _bare(found["column"]))
    return Must(text, "in", _bare(found["listed"]), found["values"])


def _bare(name: str) -> str:
    name = name.strip()
    return name[1:-1] if len(name) > 1 and name[0] == name[-1] == '"' else name


def read_fix(text: str) -> Fix:
    """Return a cell that is mended by hand.

    Raises
    ------
    UsageError : it is not written so
    """
    match = _FIX.fullmatch(text)
    if match is None:
        raise UsageError(f"--fix takes LINE:COLUMN=VALUE, found {text!r}; for example 14:Toll=3.50")
    was = _WAS.fullmatch(match[4])
    value, stood = (was[1], was[2]) if was else (match[4], None)
    return Fix(int(match[1]), match[2] or match[3], value, stood)


def read_span(text: str) -> tuple[int, int]:
    """Return the first and the last of some source lines.

    Raises
    ------
    UsageError : it is not written so
    """
    found = _RANGE.fullmatch(text.strip())
    if found is None or (found[2] and int(found[2]) < int(found[1])):
        raise UsageError(f"--drop-records takes source lines as 14 or 17-19, found {text!r}")
    return int(found[1]), int(found[2] or found[1])


def check_replace(pattern: Pattern, new: str) -> None:
    """Refuse a field in the new text that its pattern does not name.

    Raises
    ------
    UsageError : as said
    """
    if pattern.fields:
        odd = next((name for name in FIELD.findall(new) if name not in pattern.fields), None)
        if odd is not None:
            raise UsageError(
                f"--replace: {{{odd}}} is no field of the pattern {pattern.source!r}; it names: {', '.join(pattern.fields)}"
            )


def write_name(name: str) -> str:
    """Return the name of a column as it is written before a mark: quoted where it holds one."""
    return name if _NAME.fullmatch(name) else '"' + name.replace('"', '""') + '"'
