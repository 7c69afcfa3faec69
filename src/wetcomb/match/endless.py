"""Regular expressions that could run without end, told from their parts before they ever run."""

from __future__ import annotations

from typing import Any

from wetcomb.core.errors import UsageError

__all__ = ["refuse_endless"]

_Node = tuple[Any, Any]  # a part of a regular expression: what it is, and its value


def refuse_endless(source: str, text: str) -> None:
    """Refuse a repeat that holds another one which could match the same text.

    The idea: a repeat within a repeat is harmless only if something must stand between two
    rounds that the inner one cannot match (`(?:[0-9]+,)*`); so must be the branches of an
    alternative within a repeat.
    """
    from re import _parser  # type: ignore[attr-defined]  # the only way to see a pattern's parts

    if not _is_safe(list(_parser.parse(text))):
        raise UsageError(
            f"pattern {source!r} could run without end: a repeat in it holds another that can match the same text"
        )


_SAMPLE = [*map(chr, range(9, 14)), *map(chr, range(32, 127)), "é", "漢"]


def _is_safe(nodes: list[_Node], *, is_repeated: bool = False) -> bool:
    """Return whether no repeat among these parts can match one text in many ways."""
    for kind, value in nodes:
        name = str(kind)
        if name in ("MAX_REPEAT", "MIN_REPEAT"):
            _, high, body = value
            inner = list(body)
            if high > 16 and not _has_border(inner):
                return False
            if not _is_safe(inner, is_repeated=is_repeated or high > 16):
                return False
        elif name == "SUBPATTERN":
            if not _is_safe(list(value[-1]), is_repeated=is_repeated):
                return False
        elif name == "BRANCH":
            firsts = [_find_firsts(list(branch)) for branch in value[1]]
            overlap = any(a & b for k, a in enumerate(firsts) for b in firsts[k + 1 :])
            if is_repeated and overlap:
                return False
            if not all(_is_safe(list(branch), is_repeated=is_repeated) for branch in value[1]):
                return False
    return True


def _has_border(body: list[_Node]) -> bool:
    """Return whether the rounds of a repeat are told apart by something its inner repeats lack."""
    parts = _flatten(body)
    opens = [place for place, (kind, value) in enumerate(parts) if _is_open(kind, value)]
    if not opens:
        return any(not _may_be_empty(part) for part in parts)
    for place in opens:
        mine = _find_firsts(list(parts[place][1][2]))
        later = [*parts[place + 1 :], *parts[:place]]
        solid = next((part for part in later if not _may_be_empty(part)), None)
        if solid is None or _find_firsts([solid]) & mine:
            return False
    return True


def _flatten(body: list[_Node]) -> list[_Node]:
    parts: list[_Node] = []
    for kind, value in body:
        parts += _flatten(list(value[-1])) if str(kind) == "SUBPATTERN" else [(kind, value)]
    return parts


def _is_open(kind: Any, value: Any) -> bool:
    return str(kind) in ("MAX_REPEAT", "MIN_REPEAT") and value[1] > 16


def _may_be_empty(part: _Node) -> bool:
    kind, value = str(part[0]), part[1]
    if kind in ("MAX_REPEAT", "MIN_REPEAT"):
        return value[0] == 0 or all(map(_may_be_empty, value[2]))
    if kind == "BRANCH":
        return any(all(map(_may_be_empty, branch)) for branch in value[1])
    if kind == "SUBPATTERN":
        return all(map(_may_be_empty, value[-1]))
    return kind in ("AT", "ASSERT", "ASSERT_NOT")


def _find_firsts(parts: list[_Node]) -> set[str]:
    """Return which characters of a sample these parts can begin with."""
    found: set[str] = set()
    for part in parts:
        kind, value = str(part[0]), part[1]
        if kind in ("MAX_REPEAT", "MIN_REPEAT"):
            found |= _find_firsts(list(value[2]))
        elif kind == "SUBPATTERN":
            found |= _find_firsts(list(value[-1]))
        elif kind == "BRANCH":
            for branch in value[1]:
                found |= _find_firsts(list(branch))
        else:
            found |= {sign for sign in _SAMPLE if _is_matched(kind, value, sign)}
        if not _may_be_empty(part):
            break
    return found


def _is_matched(kind: str, value: Any, sign: str) -> bool:
    if kind == "LITERAL":
        return value == ord(sign) or (isinstance(value, int) and value > 126 and ord(sign) > 126)
    if kind == "NOT_LITERAL":
        return value != ord(sign)
    if kind == "ANY":
        return sign != "\n"
    if kind == "IN":
        items = list(value)
        is_negated = bool(items) and str(items[0][0]) == "NEGATE"
        hit = any(_is_in_set(str(what), item, sign) for what, item in items)
        return hit != is_negated
    return kind not in ("AT", "ASSERT", "ASSERT_NOT")


def _is_in_set(what: str, item: Any, sign: str) -> bool:
    if what == "LITERAL":
        return item == ord(sign)
    if what == "RANGE":
        low, high = item
        return low <= ord(sign) <= high
    if what == "CATEGORY":
        word = str(item)
        test = (
            sign.isdigit()
            if "DIGIT" in word
            else sign.isspace()
            if "SPACE" in word
            else sign.isalnum() or sign == "_"
        )
        return test != ("NOT" in word)
    return False
