"""JSON lines (an object a line, RFC 8259), laid out as a table of text with a heading.

The columns are all keys that there are, in the order in which they first come. Figures stand as they
are written, objects and lists within a value as JSON; null is an empty field.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from typing import IO, Any

from wetcomb.core.errors import InputError

__all__ = ["lay_out_json"]


class _Figure(str):
    """A number as it is written."""


def lay_out_json(file: IO[bytes], spool: IO[bytes], name: str) -> int:
    """Write the objects of a file as fields parted by commas, all of them quoted; return how many there are.

    Raises
    ------
    InputError : a line is no object, or says a key twice
    """
    keys: dict[str, None] = {}
    for pairs in _read(file, name):
        keys |= dict.fromkeys(key for key, _ in pairs)
    if not keys:
        raise InputError("there is no object in it, or none has a key", source=name)
    spool.write(_join(list(keys)))
    n_objects = 0
    for pairs in _read(file, name):
        values = dict(pairs)
        spool.write(_join([_say(values.get(key)) for key in keys]))
        n_objects += 1
    return n_objects


def _read(file: IO[bytes], name: str) -> Iterator[list[tuple[str, Any]]]:
    """Yield the keys and values of each object."""
    file.seek(0)
    for number, raw in enumerate(file, 1):
        if not raw.strip() or (number == 1 and raw.strip() == b"\xef\xbb\xbf"):
            continue
        try:
            text = raw.decode("utf-8-sig" if number == 1 else "utf-8")
            found = json.loads(
                text,
                object_pairs_hook=list,
                parse_int=_Figure,
                parse_float=_Figure,
                parse_constant=_Figure,
            )
        except (ValueError, RecursionError) as error:
            column = error.colno if isinstance(error, json.JSONDecodeError) else None
            raise InputError(
                "this is no line of JSON; each line must be an object, {...}",
                source=name,
                line=number,
                column=column,
            ) from error
        if not isinstance(found, list) or not text.lstrip().startswith("{"):
            raise InputError("this line of JSON is no object, {...}", source=name, line=number)
        names = [key for key, _ in found]
        twice = next((key for key in names if names.count(key) > 1), None)
        if twice is not None:
            raise InputError(f"the key {twice!r} stands twice in it", source=name, line=number)
        yield found


def _say(value: Any) -> str | None:
    """Return a value as the text of a field."""
    if value is None or type(value) is str:
        return value
    return _write(value)


def _write(value: Any) -> str:
    """Return a value as JSON, its figures as they were written."""
    if isinstance(value, _Figure):
        return str(value)
    if isinstance(value, list) and value and all(isinstance(one, tuple) for one in value):
        return "{" + ", ".join(f"{_write(key)}: {_write(one)}" for key, one in value) + "}"
    if isinstance(value, list):
        return "[" + ", ".join(map(_write, value)) + "]"
    return json.dumps(value, ensure_ascii=False)


def _join(values: Sequence[str | None]) -> bytes:
    """Return a line of fields."""
    fields = ("" if value is None else '"' + value.replace('"', '""') + '"' for value in values)
    return (",".join(fields) + "\n").encode("utf-8", "surrogatepass")
