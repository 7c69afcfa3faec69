"""The lines of a text with the labels that recur in them: what the draft of a pull looks at."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from functools import cached_property
from itertools import pairwise

import msgspec

from wetcomb.match.labels import is_parting
from wetcomb.match.mail_heads import find_heads

__all__ = ["MARKED", "Seen", "look", "measure", "part_lines"]

_WORDS = r"(?P<label>[^\W\d_](?:(?:(?!\s\s)[^:=|\t\r\n：]){0,40}?[^\s:=|：])?|[№#][^\W\d_]{0,10}|N[°ºr]\.?)"
#: A line that begins with a label and its mark; a bar, a tab or a gap parts two cells only.
MARKED = re.compile(
    rf"\s*{_WORDS}(?P<mark>[ \t]*(?:[=：](?![>=])|(?<!\d):|:(?!\d))(?!//)|[ ]*(?:\.[ ]?){{3,}}:?|[ ]*…+)[ \t]*(?P<value>.*)"
)
_PARTED = re.compile(
    rf"\s*{_WORDS}(?P<mark>[ \t]*\|[ \t]*|\t+|[ ]{{2,}})(?P<value>(?:(?!  )[^|\t])*)"
)
#: A label further on in a line.
_INNER = re.compile(
    r"(?:[;,|]\s*|\s{2,}|\t|\s(?=[^\s=]+=))(?P<label>[^\W\d_](?:(?!\s\s)[^:=;,|\t：]){0,30}?)[ \t]*(?P<sign>[:=：])"
)
_NEAR = re.compile(r"\s([A-ZÀ-ÝА-Я][^\W\d_]+)[:=]\s")
_LEAST, _SHARE = 2, 0.2  # how often a label stands: at least, and of the commonest
_CLAIMED = 0.6  # share of the lines that labels must claim
_ONCE = 0.9  # share of blocks in which no label stands twice
_BARE = 0.25  # how often a label without a mark stands, of the commonest of them
_SIGNS = ("№", "#")  # that stand for a number, and may be all of a label
_QUOTED = re.compile(r'"[^"]*"')


class Seen(msgspec.Struct, dict=True):
    """The lines of a text, the label that each begins with, those further on, which are heads of mails."""

    lines: list[str]
    labels: list[str]
    inner: list[list[str]]
    heads: set[int]

    @cached_property
    def parted(self) -> set[int]:
        """The labelled lines that a blank line or a rule stands before."""
        return {*part_lines(self, "rule"), *part_lines(self, "blank-line")}


def look(text: str) -> Seen | None:
    """Return the lines of a text with the labels that recur; None where hardly any does."""
    lines = [line.rstrip() for line in text.replace("\r\n", "\n").replace("\r", "\n").split("\n")]
    found_heads = find_heads([line.encode() for line in lines])
    heads = {place for a, b in found_heads for place in range(a, b)}
    heads |= {a - 1 for a, _ in found_heads if a and lines[a - 1].startswith("From ")}
    marked = [None if k in heads else MARKED.fullmatch(line) for k, line in enumerate(lines)]
    found = [match["label"] if match else "" for match in marked]
    if sum(map(bool, found)) * 2 < sum(map(bool, lines)):
        alone = _find_alone(lines)
        parted = [None if k in heads else _PARTED.fullmatch(line) for k, line in enumerate(lines)]
        again = Counter(match["label"] for match in parted if match)
        again -= Counter(match["label"] for k, match in enumerate(parted) if match and k in alone)
        found = [
            one or (match["label"] if match and again[match["label"]] >= _LEAST else "")
            for one, match in zip(found, parted, strict=True)
        ]
    counts = Counter(filter(None, found))
    bare = _find_bare(["" if k in heads else line for k, line in enumerate(lines)], counts)
    found = [
        one or (line.strip() if line.strip() in bare and k not in heads else "")
        for k, (one, line) in enumerate(zip(found, lines, strict=True))
    ]
    found = _leave_deeper(lines, found, marked)
    counts = Counter(filter(None, found))
    if not counts:
        return None
    most = max(counts.values())
    recurs = {label for label, n in counts.items() if n >= max(_LEAST, _SHARE * most)}
    labels = [one if one in recurs else "" for one in found]
    if not any(labels):
        return None
    values = [
        _QUOTED.sub('""', match["value"]) if match and label else ""
        for match, label in zip(marked, labels, strict=True)
    ]
    sign = _find_sign(marked)
    inner = [
        [m["label"] for m in _INNER.finditer(value) if m["sign"] == sign or not sign]
        if not _opens_with_label(value, sign)
        else []
        for value in values
    ]
    _add_near(labels, values, inner)
    n_inner = Counter(label for found in inner for label in set(found))
    kept = {label for label, n in n_inner.items() if n >= max(_LEAST, _SHARE * most)}
    within = [[one for one in found if one in kept] for found in inner]
    return Seen(lines, labels, within, heads)


def _opens_with_label(value: str, sign: str) -> bool:
    """Return whether a value is itself a word and a value behind the sign: labels of its own are part of it."""
    begin = re.split(r"[;,|\t]|\s{2,}", value, maxsplit=1)[0]
    return bool(sign) and re.search(rf"\w ?{sign} ", begin) is not None


def _find_sign(marked: Sequence[re.Match[str] | None]) -> str:
    """Return the sign that marks nearly all labels at lines' starts; nothing if there is none."""
    signs = Counter(match["mark"].strip() for match in marked if match)
    sign, number = signs.most_common(1)[0] if signs else ("", 0)
    return sign if sign and number >= _ONCE * sum(signs.values()) else ""


def _leave_deeper(
    lines: Sequence[str], found: Sequence[str], marked: Sequence[re.Match[str] | None]
) -> list[str]:
    """Return the labels of lines without those that go on with a value: they are indented deeper.

    Such a line stands right below a value, and deeper than its own label does elsewhere, or than
    labels mostly do.
    """
    depths = [measure(line) for line in lines]
    mostly = Counter(depth for depth, label in zip(depths, found, strict=True) if label)
    usual = mostly.most_common(1)[0][0] if mostly else 0
    least: dict[str, int] = {}
    for depth, label in zip(depths, found, strict=True):
        if label:
            least[label] = min(depth, least.get(label, depth))
    kept = list(found)
    for place in range(1, len(lines)):
        label, depth, above = found[place], depths[place], marked[place - 1]
        is_below = above is not None and bool(above["value"].strip()) and depths[place - 1] < depth
        if label and is_below and depth > min(least[label], usual):
            kept[place] = ""
    return kept


def _add_near(labels: Sequence[str], values: Sequence[str], inner: Sequence[list[str]]) -> None:
    """Add the words with a mark that stand behind one blank in most values of a label, if these differ."""
    counts = Counter(filter(None, labels))
    words: dict[str, Counter[str]] = {}
    said: dict[str, set[str]] = {}
    for label, value in zip(labels, values, strict=True):
        if label:
            near = {match[1] for match in _NEAR.finditer(value)}
            words.setdefault(label, Counter()).update(near)
            said.setdefault(label, set()).add(value)
    for label, value, found in zip(labels, values, inner, strict=True):
        for match in _NEAR.finditer(value) if label else ():
            often = words[label][match[1]] >= max(3, _CLAIMED * counts[label])
            if often and len(said[label]) > 1 and match[1] not in found:
                found.append(match[1])


def _find_alone(lines: Sequence[str]) -> set[int]:
    """Return the lines with a blank one on either side, where few stand so: they tell a page or a part."""
    padded = ["", *lines, ""]
    full = [k for k, line in enumerate(lines) if line.strip()]
    alone = {k for k in full if not padded[k].strip() and not padded[k + 2].strip()}
    return alone if 2 * len(alone) < len(full) else set()


def _find_bare(lines: Sequence[str], marked: Counter[str]) -> set[str]:
    """Return the lines that are labels by themselves: they recur, and a value stands below each."""
    solid = [line.strip() for line in lines]
    again = Counter(
        line
        for line in solid
        if (line[:1].isalpha() or line[:1] in _SIGNS)
        and len(line) <= 40
        and not MARKED.fullmatch(line)
        and not re.search("[,;|\t]", line)
    )
    most = max((n for line, n in again.items() if n > _LEAST), default=0)
    if not most or any(n > most for n in marked.values()):
        return set()
    below: dict[str, list[str]] = {}
    for line, value in pairwise([*solid, ""]):
        if line in again:
            below.setdefault(line, []).append(value)
    often = {
        line
        for line, n in again.items()
        if n >= max(_LEAST, _BARE * most) and _has_values(line, below[line])
    }
    behind: dict[str, set[str]] = {}
    for before, line in pairwise(["", *solid]):
        if line in often:
            behind.setdefault(line, set()).add(before)
    values: set[str] = set()
    for line, lines_above in behind.items():  # in the order they first come
        above = next(iter(lines_above)) if len(lines_above) == 1 else ""
        if above in often - values:  # always right behind one and the same label: a value of it
            values.add(line)
    return often - values


def _has_values(line: str, below: Sequence[str]) -> bool:
    """Return whether what stands below a line may be its values: mostly there, and of more than one kind."""
    there = [value for value in below if value and not is_parting(value.encode())]
    return "  " not in line and len(there) >= _CLAIMED * len(below) and len(set(there)) > 1


def measure(line: str) -> int:
    """Return how deep a line is indented."""
    return len(line) - len(line.lstrip())


def part_lines(seen: Seen, kind: str) -> Iterator[int]:
    """Yield the first labelled line of each stretch between rules or blank lines that has one."""
    is_open = True
    for place, line in enumerate(seen.lines):
        is_open_line = not line.strip() if kind == "blank-line" else is_parting(line.encode())
        if is_open_line:
            is_open = True
        elif is_open and seen.labels[place]:
            yield place
            is_open = False
