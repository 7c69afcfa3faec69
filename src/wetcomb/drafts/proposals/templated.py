"""Constant text around the fields of every record: sentences, forms on a line, logs, what programs print.

What stands in all records in one order is their frame; the rest are fields. Figures are never part of
the frame. Between two parts of the frame, rigid pieces (dates, numbers, codes) in one order part
fields, too. Wrong where a value is the same in all records: it
is taken for frame.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import islice, pairwise

import msgspec

from wetcomb.drafts.pricing.chains import Chain
from wetcomb.drafts.pricing.columns import find_rigid
from wetcomb.drafts.pricing.tokens import price_once
from wetcomb.drafts.proposals.body import Body
from wetcomb.drafts.proposals.fields import (
    EDGE,
    FIGURE,
    GAP,
    GLUE,
    LAST,
    PATTERN,
    WORDS,
    name_fields,
    tie_figures,
)  # fmt: skip
from wetcomb.drafts.proposals.frames import SIGN, find_frame, find_places
from wetcomb.drafts.proposals.starts import begins_so, find_starts
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.pull.options import Pull
from wetcomb.steps.step import Step
from wetcomb.steps.unwrap.options import Unwrap

__all__ = ["propose"]

_LEAST, _SHARE = 3, 0.3  # records, and their share of all
_COMMON = (0.9, 0.5)  # shares of the lines that hold a token of the frame
_LONGEST, _MOST = 120, 16  # tokens of a record, fields
_FIELD, _AGAIN = 3.0, 2.0  # bits of a field in a pattern, and of a mark that stood in it before
_UNIFORM = 0.9  # share of the records that have rigid pieces in one order
#: Addresses, words with what joins them inside, runs of one mark, single marks, blanks.
_TOKEN = re.compile(
    r"[\w.+-]+@[\w.-]+\w|https?://\S+|\w+(?:(?:[-'’.\0]|(?<=\d)[,:/](?=\d))\w+)*|([^\w\s])\1{2,}|[^\w\s]|\s+"
)
_CELL = re.compile(
    r"([;|,\t^~#/])\s*\w[^;|^~#]*(?:\1|$)"
)  # a mark, words, the mark again or the end
_LABEL = re.compile(r"(?:^|[\s,;([{|])([^\W\d]\w*) ?[:=] ?[\"'(\[]?$")
_LABEL_BEHIND = re.compile(r" *\(([^\W\d]\w*)\)")
_UNIT = re.compile(r"[^\W\d_]{1,4}|[%‰°]")
_CURRENCY, _FIGURE = re.compile(r"[£$€¥₽#]|[A-Z]{1,3}"), re.compile(r"[\d£$€¥₽]")
_SHAPES = ("digits", "number", "date", "time", "code")
_WORD = re.compile(r"[^\W\d_]{2}")
_STOP = re.compile(r"[^\w\s.,:'’/\\\]\[^-]")  # a mark that ends a field, and never stands in one
_END = "\v"  # of a line, where lines are put together
_BINDS = re.compile(r"(?<!\S)[\w./\\-]*[\w][/\\_-]$|^(?:::|[/\\_-])$")  # before a value
_SPECIAL = re.compile(r"[{}]|([^\w\s])\1{2,}")


class _Part(msgspec.Struct):
    """Text that stands in all records, or a field with what each of them has there."""

    text: str = ""
    values: list[str] = []

    @property
    def is_field(self) -> bool:
        return not self.text


def propose(body: Body) -> Iterator[Chain]:
    """Yield chains for records with constant text around their fields."""
    seen = set()
    ways = ((*way, share) for way in _list_records(body) for share in _COMMON)
    for before, records, how, share in ways:
        lines = [_cut(record) for record in records]
        frame, mine = find_frame(lines, share)
        if len(mine) < max(_LEAST, _SHARE * len(lines)):
            continue
        own = [lines[k] for k in mine]
        parts = _bind(_part(_leave_units(frame, own), own))
        n_fields = sum(part.is_field for part in parts)
        if not 2 <= n_fields <= _MOST or not _says_enough(parts) or _runs_over(parts):
            continue
        if _holds_cells(parts):
            continue
        pattern = _write(parts)
        if (before, pattern) in seen:
            continue
        seen.add((before, pattern))
        frame = [" ".join(part.text.split()) for part in parts if not part.is_field]
        constant = " ".join(filter(None, frame))
        note = f"{len(mine)} records {how}have the same text around {n_fields} fields: {constant[:60]!r}."
        pull = Pull(each=(pattern,), blocks="line")
        steps = (pull,) if before else name_fields(pull, body, body.full[mine[0]])
        tokens = Counter(token for token in _cut(constant) if not token.isspace())
        again = sum(tokens.values()) - len(tokens)
        bits = PATTERN + _FIELD * n_fields + sum(map(price_once, tokens)) + _AGAIN * again
        yield body.make_chain((*before, *steps), note=note, bits=bits, frame=tuple(frame))


def _list_records(body: Body) -> Iterator[tuple[tuple[Step, ...], list[str], str]]:
    """Yield what puts lines together, the records that it makes, and how in words."""
    yield (), [body.lines[k].strip() for k in body.full], ""
    blocks = [body.lines[first:last] for first, last in body.stretches]
    if len(blocks) >= _LEAST and 2 * len(blocks) <= len(body.full):
        yield (
            (Unwrap(blank_lines=True),),
            [_join(block) for block in blocks],
            "between blank lines ",
        )
    lines = [body.lines[k] for k in body.full]
    least = min((_measure_indent(line) for line in lines), default=0)
    firsts = [_measure_indent(line) <= least for line in lines]
    if _LEAST <= sum(firsts) < len(lines):
        yield (Unwrap(indent=True),), _gather(lines, firsts), "with indented lines below "
    for pattern in find_starts(lines):
        firsts = [begins_so(pattern, line) for line in lines]
        if _LEAST <= sum(firsts) < len(lines):
            yield (
                (Unwrap(starts=(pattern,)),),
                _gather(lines, firsts),
                f"that begin with {pattern} ",
            )


def _measure_indent(line: str) -> int:
    return len(line) - len(line.lstrip())


def _join(lines: Sequence[str]) -> str:
    return _END.join(line.strip() for line in lines)


def _gather(lines: Sequence[str], firsts: Sequence[bool]) -> list[str]:
    places = [k for k, is_first in enumerate(firsts) if is_first]
    return [_join(lines[a:b]) for a, b in zip(places, [*places[1:], len(lines)], strict=True)]


def _cut(record: str) -> list[str]:
    found = (token[0] for token in _TOKEN.finditer(tie_figures(record)))
    return [token.replace(GLUE, " ") for token in islice(found, _LONGEST)]


def _leave_units(frame: Sequence[str], lines: Sequence[Sequence[str]]) -> list[str]:
    """Return the frame without what belongs to a figure: a unit behind it, a currency before it."""
    n_units = [0] * len(frame)
    for line in lines:
        for nth, at in enumerate(find_places(frame, line)):
            before = [token for token in line[max(0, at - 2) : at] if not token.isspace()]
            behind = [token for token in line[at + 1 : at + 3] if not token.isspace()]
            is_behind = before and before[-1][-1].isdecimal() and _UNIT.fullmatch(line[at])
            is_mark = behind and SIGN.match(behind[0]) and behind[0] not in "=:("
            is_last = not behind or is_mark or _FIGURE.match(behind[0])
            is_before = _CURRENCY.fullmatch(line[at]) and behind and _FIGURE.match(behind[0])
            n_units[nth] += bool((is_behind and is_last) or is_before)
    return [token for token, number in zip(frame, n_units, strict=True) if 2 * number < len(lines)]


def _says_enough(parts: Sequence[_Part]) -> bool:
    """Return whether the frame is more than a mark between fields: there is a word, or it stands around them."""
    between = "".join(part.text for part in parts if not part.is_field)
    around = [part.text for part in (parts[0], parts[-1]) if not part.is_field]
    return _WORD.search(between) is not None or bool("".join(around).strip())


def _holds_cells(parts: Sequence[_Part]) -> bool:
    """Return whether the frame holds whole cells: words between marks of the kind that parts the fields."""
    between = [part.text.strip() for part in parts[1:] if not part.is_field]
    cells = [found[1] for text in between if (found := _CELL.match(text))]
    return any(all(text.startswith(mark) for text in between) for mark in cells)


def _runs_over(parts: Sequence[_Part]) -> bool:
    """Return whether a field takes in the end of a line in most records: that end parts fields, too."""
    return any(
        2 * sum(_END in value for value in part.values) > len(part.values)
        for part in parts
        if part.is_field
    )


def _part(frame: Sequence[str], lines: Sequence[Sequence[str]]) -> list[_Part]:
    """Return the parts of the records in order."""
    gaps: list[list[str]] = [[] for _ in range(len(frame) + 1)]
    for line in lines:
        places = [-1, *find_places(frame, line), len(line)]
        for nth, gap in enumerate(gaps):
            gap.append("".join(line[places[nth] + 1 : places[nth + 1]]))
    parts: list[_Part] = []
    for nth, values in enumerate(gaps):
        bare = [value.strip() for value in values]
        lead = _tell_blank([value[:1].isspace() for value in values])
        if any(bare):
            _add_text(parts, lead)
            around = frame[nth - 1 : nth + 1] if nth else []
            is_cell = len(around) == 2 and around[0] == around[1] and SIGN.match(around[0])
            parts += [_Part(values=bare)] if is_cell else _part_rigid(bare)
            _add_text(parts, _tell_blank([value[-1:].isspace() for value in values]))
        else:
            _add_text(parts, lead)
        if nth < len(frame):
            _add_text(parts, frame[nth])
    return parts


def _bind(parts: Sequence[_Part]) -> list[_Part]:
    """Return the parts with text that is glued to a value by a mark of paths and codes as part of the value."""
    bound: list[_Part] = []
    for part in parts:
        if not part.is_field:
            bound.append(_Part(part.text))
            continue
        values = list(part.values)
        glued = _BINDS.search(bound[-1].text) if bound and not bound[-1].is_field else None
        is_whole = glued is not None and not glued.start() and len(bound) > 1
        if is_whole and len(bound[-2].values) != len(values):
            glued = None  # rigid pieces of one gap
        if glued and all(values):
            values = [glued[0] + value for value in values]
            left = bound[-1].text[: glued.start()]
            bound.pop()
            if left:
                bound.append(_Part(left))
            elif bound and bound[-1].is_field and all(bound[-1].values):
                before = bound.pop().values
                values = [a + b for a, b in zip(before, values, strict=True)]
        bound.append(_Part(values=values))
    return bound


def _tell_blank(flags: Sequence[bool]) -> str:
    """Return a blank where one stands in all records, two where it stands in some of them."""
    return " " if all(flags) else "  " if any(flags) else ""


def _add_text(parts: list[_Part], text: str) -> None:
    if not text:
        return
    if parts and not parts[-1].is_field:
        parts[-1].text += text
    else:
        parts.append(_Part(text))


def _part_rigid(values: Sequence[str]) -> list[_Part]:
    """Return the fields of one gap: where rigid pieces stand in one order they part it."""
    forms = [_find_form(value) for value in values]
    usual, number = Counter(forms).most_common(1)[0]
    if len(usual) < 2 or number < _UNIFORM * len(values) or "n" not in usual:
        return [_Part(values=list(values))]
    parts: list[_Part] = []
    for nth, kind in enumerate(usual):
        if nth:
            parts.append(_Part(" "))
        parts.append(_Part(values=["0" if kind == "n" else "a b"]))
    return parts


def _find_form(value: str) -> tuple[str, ...]:
    """Return the order of rigid pieces and words."""
    form: list[str] = []
    for piece in tie_figures(value).split():
        rigid = find_rigid(piece.replace(GLUE, " ").strip(",;"))
        kind = "w" if rigid is None or rigid.shape == "words" else "n"
        if kind == "n" or form[-1:] != ["w"]:
            form.append(kind)
    return tuple(form)


def _write(parts: Sequence[_Part]) -> str:
    """Return the pattern of a record: in the language of patterns, or where that says too little as an expression."""
    names = _name_fields(parts)
    between = [part.text for part in parts[1:-1] if not part.is_field]
    is_plain = all(text.strip() and "  " not in text for text in between)
    is_plain &= not any(_SPECIAL.search(part.text) for part in parts)
    shapes = [_find_shape(part.values) for part in parts if part.is_field]
    stops = (b.text.startswith(".") for a, b in pairwise(parts) if a.is_field)
    is_plain &= not ("text" in shapes and any(stops))  # where would the text end?
    if is_plain and all(shapes):
        left = iter(shapes)
        said = "".join(part.text or f"{{{next(left)} as {next(names)}}}" for part in parts)
        if not said.startswith(("text:", "regex:")):
            return said
    return _write_regex(parts, names)


def _find_shape(values: Sequence[str]) -> str:
    """Return the shape in the language of patterns that all values are of; nothing if some are missing, or figures of none."""
    if not all(values):
        return ""
    if not all(any(map(str.isdecimal, value)) and " " not in value for value in values):
        return "text"
    raw = [value.encode() for value in values]
    return next(
        (shape for shape in _SHAPES if all(map(compile_pattern(f"{{{shape}}}").covers, raw))), ""
    )


def _name_fields(parts: Sequence[_Part]) -> Iterator[str]:
    """Yield names of the fields: the label before one, or behind it in brackets, else its number."""
    taken = Counter[str]()
    n_fields = 0
    for nth, part in enumerate(parts):
        if part.is_field:
            n_fields += 1
            found = _LABEL.search(parts[nth - 1].text) if nth else None
            if found is None and nth + 1 < len(parts):
                found = _LABEL_BEHIND.match(parts[nth + 1].text)
            name = found[1] if found and not taken[found[1]] else f"field_{n_fields}"
            taken[name] += 1
            yield name


def _write_regex(parts: Sequence[_Part], names: Iterator[str]) -> str:
    """Return the expression of a record."""
    said = []
    for nth, part in enumerate(parts):
        if part.is_field:
            is_figure = all(any(map(str.isdecimal, v)) and " " not in v for v in part.values if v)
            inside = FIGURE if is_figure else LAST if nth == len(parts) - 1 else WORDS
            behind = parts[nth + 1].text.strip()[:1] if nth + 1 < len(parts) else ""
            if behind and _STOP.match(behind) and not any(behind in v for v in part.values):
                inside = inside.replace(r"\S", rf"[^\s{re.escape(behind)}]")
            said.append(f"(?P<{next(names)}>{inside})" + "?" * (not all(part.values)))
        else:
            said.append(_write_text(part.text))
    return f"regex:^{EDGE}{''.join(said)}{EDGE}$"


def _write_text(text: str) -> str:
    """Return text of the frame as a pattern: blanks of any number, runs of a mark of any length."""
    said = []
    for found in _TOKEN.finditer(text):
        token = found[0]
        if token.isspace():
            said.append(EDGE if len(token) > 1 else GAP)
        elif len(token) > 2 and SIGN.match(token):
            said.append(re.escape(token[0]) + "{3,200}")
        else:
            said.append(re.escape(token))
    return "".join(said)
