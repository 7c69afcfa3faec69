"""Doubts about the heading: whether there is one, and whether its words are whole."""

from __future__ import annotations

import re
from collections.abc import Iterator

from wetcomb.core.cutting.layout import is_rule
from wetcomb.core.doubts import Doubt
from wetcomb.drafts.doubts.seen import Drafted, Raised
from wetcomb.drafts.options import WEAK_HEADING
from wetcomb.drafts.pricing.names import takes_in_record
from wetcomb.drafts.telling import count_noun
from wetcomb.steps.wash.options import Wash

__all__ = ["find_heading_doubts"]

_MADE_UP = r"field-\d+"
_DRAWN = r"([^\w\s])\1|^[^\w\s(\[\"'#№%$€£&*]+$|[─-╿]|^[>*•·|]+\s"
_AGAIN = re.compile(r"-\d+$")  # what makes a name of several the only one
_SAME = 0.5  # share of a record's cells that say what the heading says


def find_heading_doubts(seen: Drafted) -> Iterator[Raised]:
    """Yield what speaks against the heading."""
    if len(seen.table.names) < 2:
        return
    if seen.is_open("heading"):
        yield from _look_at_weight(seen)
    if seen.is_open("names") and seen.split.heading != "none":
        yield from _look_at_names(seen)
    yield from _find_inside(seen)


def _look_at_weight(seen: Drafted) -> Iterator[Raised]:
    weighed, heading = seen.weighed, seen.split.heading
    if isinstance(heading, int) and heading > 1 and not _stands_over_columns(seen, heading):
        said = f"the heading's {heading} lines were joined downwards ({', '.join(seen.table.names[:3])}): look whether the upper words stand over these columns"
        yield Raised(Doubt("heading-joined", said), ({"heading": heading}, {"heading": "first"}))
    bits = weighed.heading_bits if weighed is not None else None
    if bits is None or abs(bits) >= WEAK_HEADING:
        return
    if seen.split.records_at != "newline" and heading == "none":
        return  # blocks of lines hardly ever have one
    is_one = heading != "none"
    said = f"the first record was {'' if is_one else 'not '}taken for the heading; both are about as likely"
    tries = ("none", "first") if is_one else ("first", "none")
    yield Raised(Doubt("heading-unsure", said), tuple({"heading": one} for one in tries))


def _stands_over_columns(seen: Drafted, heading: int) -> bool:
    """Return whether each line of a heading says words over several columns, and a rule tells which are over two."""
    edges = seen.split.edges
    if not isinstance(edges, tuple) or not edges or seen.split.panels > 1:
        return False
    lines = [k for k, line in enumerate(seen.lines) if not is_rule(line.encode())][:heading]
    for k in lines:
        spans = [found.span() for found in re.finditer(r"\S+(?: \S+)*", seen.lines[k])]
        is_wide = any(start < edge < end for start, end in spans for edge in edges)
        has_rule = k < lines[-1] and is_rule(seen.lines[k + 1].encode())
        if len(spans) < 2 or (is_wide and not has_rule):
            return False
    return True


def _look_at_names(seen: Drafted) -> Iterator[Raised]:
    names = seen.table.names
    made_up = [
        column.name
        for column in seen.columns
        if re.fullmatch(_MADE_UP, column.name) and column.values
    ]
    if made_up:
        said = f"{count_noun(len(made_up), 'column')} with values {'has' if len(made_up) == 1 else 'have'} no name in the heading"
        yield Raised(Doubt("heading-short", said), ({"heading": "none"},))
    again = [name for name in names if (base := _AGAIN.sub("", name)) != name and base in names]
    if again:
        said = f"two columns have the name {_AGAIN.sub('', again[0])!r}: a line above may tell them apart"
        yield Raised(Doubt("heading-joined", said))
    drawn = [
        name for name in names if not name.replace(" ", "").isalnum() and re.search(_DRAWN, name)
    ]
    torn = _find_torn(seen)
    if takes_in_record(seen.table):
        said = (
            f"names end in figures as records do ({names[0]!r}): the heading may have taken one in"
        )
        yield Raised(Doubt("heading-joined", said))
    if drawn:
        yield Raised(Doubt("heading-torn", f"a name holds marks that were drawn: {drawn[0]!r}"))
    elif torn:
        yield Raised(
            Doubt("heading-torn", f"{torn!r} of the heading was cut in the middle of a word")
        )


def _find_torn(seen: Drafted) -> str:
    """Return two names that stand in the source as one word, if there are any."""
    if not (seen.split.edges or seen.split.boundary):
        return ""
    top = "\n".join(seen.lines[:6])
    for left, right in zip(seen.table.names, seen.table.names[1:], strict=False):
        glued = left[-12:] + right[:12]
        if left[-1:].isalnum() and right[:1].isalnum() and glued in top:
            return f"{left[-12:]}|{right[:12]}"
    return ""


def _drop(seen: Drafted, row: int, *, is_drawn: bool) -> Wash | None:
    """Return what takes the line of a record out of the text."""
    line = seen.table.record_text(row).strip()
    if is_drawn:
        return Wash(drop=("rule",))
    return Wash(drop_lines=(f"text:{line}",)) if line.isprintable() else None


def _find_inside(seen: Drafted) -> Iterator[Raised]:
    """Look for records that are a heading, or a line that was drawn."""
    names = {name.casefold() for name in seen.table.names}
    for row, values in enumerate(seen.rows):
        filled = [value for value in values if value]
        if not filled:
            continue
        same = sum(value.casefold() in names for value in filled)
        says_heading = same >= 2 and same >= _SAME * len(filled)
        says_heading |= same == 1 and seen.columns[0].name.casefold() == filled[0].casefold()
        is_drawn = all(not any(map(str.isalnum, value)) for value in filled)
        is_drawn &= len(filled) > 1 or len(filled[0]) > 2
        if says_heading or is_drawn:
            ((first, last),) = seen.list_lines([row])
            what = "words of the heading" if says_heading else "nothing but marks"
            said = f"a record says {what}: {', '.join(filled)[:50]!r}"
            yield Raised(
                Doubt("heading-inside", said, ((first, last),)),
                before=_drop(seen, row, is_drawn=is_drawn),
            )
            return
