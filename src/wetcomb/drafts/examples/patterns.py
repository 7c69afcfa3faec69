"""A pattern whose fields are just some stretches of all values of a column: in words, else as a regular expression.

Each choice of how a stretch, or what stands before it, may be told is held against all values by itself;
what is left is put together, the simplest first, and tried as a whole.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Sequence
from contextlib import suppress

from wetcomb.core.errors import WetCombError
from wetcomb.match.patterns import Pattern, compile_pattern

__all__ = ["Spans", "find_pattern", "list_gaps"]

Spans = Sequence[tuple[int, int] | None]

_SHAPES = (
    ("digits", re.compile(r"\d+")),
    ("number", re.compile(r"\d+(?:[.,]\d+)*")),
    ("word", re.compile(r"[^\W\d_]+(?:['’-][^\W\d_]+)*")),
)
#: Regular expressions of a stretch, the narrowest first.
_BODIES = (r"\d+", r"\d+(?:[.,]\d+)*", r"[^\W\d_]+", r"[^\W_]+", r"\S+")
_REGEX = "regex:"
_FIXED = 8  # characters of a stretch that may be told by its size
_MOST_TRIED, _RANKS = 300, 12  # patterns, and choices of each part


def find_pattern(
    values: Sequence[str], spans: Sequence[Spans], names: Sequence[str], *, is_whole: bool = False
) -> str | None:
    """Return a pattern whose fields are just these stretches of all values, in the order in which they stand.

    Values in which there are none are not covered by it.

    Parameters
    ----------
    is_whole : it must cover all of each value
    """
    row = next((k for k, own in enumerate(spans) if None not in own), None)
    if row is None:
        return None
    value, own = values[row], [span for span in spans[row] if span is not None]
    lacks = [any(each[k] is None and any(each) for each in spans) for k in range(len(own))]
    texts, gaps = _gather(values, spans, len(own))
    wanted = [
        [value[span[0] : span[1]] if span else "" for span in each] if any(each) else None
        for value, each in zip(values, spans, strict=True)
    ]
    beside, said = list_gaps(value, own), [value[a:b] for a, b in own]
    tried = itertools.chain(
        _list_worded(beside, said, names, lacks, texts, gaps),
        _list_regexes(beside, said, lacks, texts, gaps),
    )
    for pattern in tried:
        if pattern.startswith(_REGEX) and not _may_find(pattern, values, wanted):
            continue
        with suppress(WetCombError):
            compiled = compile_pattern(pattern)
            pairs = zip(values, wanted, strict=True)
            if all(_finds(compiled, value, is_whole=is_whole) == cells for value, cells in pairs):
                return pattern
    return None


def _gather(
    values: Sequence[str], spans: Sequence[Spans], number: int
) -> tuple[list[set[str]], list[set[str]]]:
    """Return the texts of each stretch over all values, and of what stands before each and behind the last."""
    texts, gaps = [set[str]() for _ in range(number)], [set[str]() for _ in range(number + 1)]
    for value, own in zip(values, spans, strict=True):
        at = 0
        for k, span in enumerate(own):
            if span is None:
                at = -1
                continue
            texts[k].add(value[span[0] : span[1]])
            if at >= 0:
                gaps[k].add(value[at : span[0]])
            at = span[1]
        if at >= 0:
            gaps[number].add(value[at:])
    return texts, gaps


def _take_simplest(choices: Sequence[Sequence[str]]) -> list[str]:
    """Return choices put together, those first that take the first of each."""
    ranks = itertools.product(*(range(min(len(one), _RANKS)) for one in choices))
    order = sorted(itertools.islice(ranks, 20 * _MOST_TRIED), key=sum)[:_MOST_TRIED]
    return ["".join(one[k] for one, k in zip(choices, rank, strict=True)) for rank in order]


def _may_find(pattern: str, values: Sequence[str], wanted: Sequence[Sequence[str] | None]) -> bool:
    """Return whether a regular expression finds what is wanted, before it is compiled with all that is looked at."""
    regex = re.compile(pattern.removeprefix(_REGEX))
    for value, cells in zip(values, wanted, strict=True):
        found = regex.match(value)
        said = [(text or "").strip() for text in found.groups()] if found and value else None
        if said != cells:
            return False
    return True


def _finds(pattern: Pattern, value: str, *, is_whole: bool) -> list[str] | None:
    """Return what the fields of a pattern find in a value."""
    raw = value.encode()
    matches = [*pattern.find_each(raw)] if raw else []
    if len(matches) != 1:  # each match would be a value of its own
        return None
    (found,) = matches
    if is_whole and (found.start, found.end) != (0, len(raw)):
        return None
    return [raw[a:b].decode().strip() if a >= 0 else "" for a, b in found.fields]


def _list_worded(
    gaps: Sequence[str],
    said: Sequence[str],
    names: Sequence[str],
    lacks: Sequence[bool],
    texts: Sequence[set[str]],
    all_gaps: Sequence[set[str]],
) -> list[str]:
    """Return patterns in the words of our language."""
    if any(set("{}?|") & {*text} for text in (*names, *gaps)):
        return []
    choices: list[list[str]] = []
    for k, gap in enumerate(gaps):
        is_last = k == len(said)
        same = len({re.sub(r"\s+", " ", one) for one in all_gaps[k]}) == 1
        choices.append(_word_gap(gap, is_first=k == 0, is_last=is_last, is_same=same))
        if not is_last:
            shapes = [name for name, regex in _SHAPES if all(map(regex.fullmatch, texts[k]))]
            sign = "?" if lacks[k] else ""
            choices.append([f"{{{shape} as {names[k]}{sign}}}" for shape in ["any", *shapes]])
    return _take_simplest(choices)


def _word_gap(gap: str, *, is_first: bool, is_last: bool, is_same: bool) -> list[str]:
    """Return how what stands beside stretches may be written.

    Parameters
    ----------
    is_same : it is so in all values
    """
    plain = re.sub(r"\s+", " ", gap)
    if not any(map(str.isalnum, gap)):
        return [plain.rstrip() if is_last else plain.lstrip() if is_first else plain]
    before, behind = re.match(r"\W*", plain), re.search(r"\W*$", plain)
    assert before is not None and behind is not None
    if is_last:
        return [before[0] + "{any}", before[0].rstrip()]
    skipped = ("" if is_first else before[0]) + "{any}" + behind[0]
    return [plain] if is_same else [skipped]


def _list_regexes(
    gaps: Sequence[str],
    said: Sequence[str],
    lacks: Sequence[bool],
    texts: Sequence[set[str]],
    all_gaps: Sequence[set[str]],
) -> list[str]:
    """Return regular expressions over the whole value; their fields are a, b, c."""
    choices: list[list[str]] = []
    for k, text in enumerate(said):
        behind = gaps[k + 1].lstrip()[:1]
        bodies = _list_bodies(text, behind, is_end=k == len(said) - 1 and not gaps[-1])
        bodies = [body for body in bodies if all(re.fullmatch(body, one) for one in texts[k])]
        before = _list_before(gaps[k], is_first=k == 0)
        before = [gap for gap in before if all(re.fullmatch(gap, one) for one in all_gaps[k])]
        name = f"(?P<{chr(ord('a') + k)}>"
        pairs = itertools.product(range(len(before)), range(len(bodies)))
        own = [f"{before[g]}{name}{bodies[b]})" for g, b in sorted(pairs, key=sum)]
        choices.append([f"(?:{one})?" for one in own] if lacks[k] else own)
    ends = {gap.strip() for gap in all_gaps[-1]}
    choices.append(["$"] if ends == {""} else [*[_escape(gaps[-1]) + "$"][: len(ends) == 1], "", ".*$"])  # fmt: skip
    return [f"{_REGEX}^{one}" for one in _take_simplest(choices)] if all(choices) else []


def _list_bodies(text: str, behind: str, *, is_end: bool) -> list[str]:
    """Return how a stretch may be told, from the narrowest."""
    found = [*_BODIES]
    if behind and behind not in text and not behind.isalnum():
        found.insert(0, f"[^{re.escape(behind)}]+")
    if len(text) <= _FIXED:
        found.append(f".{{{len(text)}}}" if len(text) > 1 else ".")
    return [*found, ".+" if is_end else ".+?", ".+"]


def _list_before(gap: str, *, is_first: bool) -> list[str]:
    """Return how what stands before a stretch may be told."""
    found = [_escape(gap), r"\s*", r"\s+", r"\W+"]
    last = gap.rstrip()[-1:]
    if last and not last.isalnum():
        mark = re.escape(last)
        found += [
            rf"[^{mark}]*{mark}\s*" * count for count in range(1, min(4, gap.count(last) + 1))
        ]
        found.append(rf".*{mark}\s*")
    found += [r"\S+\s+", r".*\s", r"\D*", r"[^\W\d_]*", r".*?", r".*"]
    return list(dict.fromkeys(found if not is_first else [one for one in found if one != r"\s+"]))


def _escape(gap: str) -> str:
    return r"\s*".join(map(re.escape, re.split(r"\s+", gap)))


def list_gaps(value: str, spans: Sequence[tuple[int, int]]) -> list[str]:
    """Return what stands before, between and behind some stretches."""
    edges = [0, *itertools.chain(*spans), len(value)]
    return [value[a:b] for a, b in zip(edges[::2], edges[1::2], strict=True)]
