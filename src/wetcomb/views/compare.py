"""How two tables differ, for people: the verdict, the records, the columns, the first few of each kind."""

from __future__ import annotations

from collections.abc import Sequence

from wetcomb.core.comparison import Comparison, Difference
from wetcomb.views.blocks import Block, Fact, Styled, make_visible

__all__ = ["build_comparison", "build_replacing"]

_CLIP, _COLUMNS = 60, 6  # characters of a value; columns whose cells are counted
#: What is said of each kind of difference, in this order, and of one that stands alone.
_KINDS = {
    "changed": "records with other cells",
    "spacing": "records with other spacing only",
    "gone": "records that only {old} has",
    "new": "records that only {new} has",
}


def build_comparison(found: Comparison) -> list[Block]:
    """Return how two tables differ, a fact a line."""
    verdict = Styled("alike", "good") if found.is_alike else Styled("not alike", "snag")
    facts = [Fact("verdict", [verdict, Styled(f": {_name(found.old)} and {_name(found.new)}")])]
    said = f"{found.same:,} are the same, of {found.n_old:,} and {found.n_new:,}"
    facts.append(Fact("records", [Styled(said)]))
    facts += _tell_columns(found)
    counts = {"changed": found.changed, "spacing": found.spacing, "gone": found.gone, "new": found.added}  # fmt: skip
    for what, words in _KINDS.items():
        if counts[what]:
            noun = words.format(old=_name(found.old), new=_name(found.new))
            if counts[what] == 1:
                noun = noun.replace("records that", "record that").replace("records", "record")
            head = [Styled(f"{counts[what]:,} {noun}", "strong")]
            if what == "changed":
                head.append(Styled(f": {_count_cells(found)}"))
            facts.append(Fact(what, head))
            facts += [Fact("", _tell(one)) for one in found.examples if one.what == what]
    if found.elsewhere:
        noun = "record stands" if found.elsewhere == 1 else "records stand"
        more = "; with --by their order does not count" if found.by else ""
        facts.append(Fact("order", [Styled(f"{found.elsewhere:,} {noun} elsewhere{more}")]))
    return list(facts)


def build_replacing(found: Comparison) -> list[Block]:
    """Return how a table differs from the file that it replaces."""
    if found.is_alike:
        return [Fact("replaces", [Styled(f"{_name(found.old)}, which says the same")])]
    parts = [
        (found.added, "new"),
        (found.gone, "gone"),
        (found.changed + found.spacing, "changed"),
        (found.same, "the same"),
    ]
    said = ", ".join(f"{number:,} {what}" for number, what in parts if number)
    facts = [Fact("replaces", [Styled(f"{_name(found.old)}: records {said}")])]
    facts += [Fact("", _tell(one, tells_what=True)) for one in found.examples[:3]]
    return [*facts, *_tell_columns(found)]


def _tell_columns(found: Comparison) -> list[Fact]:
    """Return what is odd about the columns."""
    told = [f"{a!r} and {b!r} have each other's values" for a, b in found.swapped]
    told += [f"{a!r} is called {b!r}" for a, b in found.renamed]
    told += [f"{_list(found.columns_gone)} only in {_name(found.old)}"] * bool(found.columns_gone)
    told += [f"{_list(found.columns_added)} only in {_name(found.new)}"] * bool(found.columns_added)
    told += ["they stand in another order"] * found.is_moved
    return [
        Fact("" if place else "columns", [Styled(make_visible(said), "snag")])
        for place, said in enumerate(told)
    ]


def _list(names: Sequence[str]) -> str:
    shown = ", ".join(map(repr, names[:_COLUMNS]))
    return shown + f" and {len(names) - _COLUMNS} more" * (len(names) > _COLUMNS)


def _count_cells(found: Comparison) -> str:
    cells = found.cells.most_common()
    said = ", ".join(f"{make_visible(name)} {number:,}" for name, number in cells[:_COLUMNS])
    return said + f" and {len(cells) - _COLUMNS} more" * (len(cells) > _COLUMNS)


def _tell(one: Difference, *, tells_what: bool = False) -> list[Styled]:
    """Return what is told of a difference."""
    what = [Styled(f"{one.what}, ", "faint")] if tells_what else []
    if one.what in ("gone", "new"):
        line = one.old_line or one.new_line
        return [*what, Styled(f"line {line}: "), Styled(_clip(one.key), "faint")]
    where = f"line {one.old_line}" if one.old_line == one.new_line else f"line {one.old_line}, now {one.new_line}"  # fmt: skip
    key = f" ({_clip(one.key)})" if one.key else ""
    return [
        *what,
        Styled(f"{where}{key}: {make_visible(one.column)} "),
        Styled(_clip(one.old) or "empty", "snag"),
        Styled(" is now "),
        Styled(_clip(one.new) or "empty", "good"),
    ]


def _clip(value: str) -> str:
    shown = make_visible(value)
    return shown if len(shown) <= _CLIP else shown[: _CLIP - 1] + "…"


def _name(name: str) -> str:
    return make_visible(name)
