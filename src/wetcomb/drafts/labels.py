"""Labels that recur: the evidence for blocks of labelled fields, and the options to pull them.

A label is what lines begin with again and again, with a mark behind it or its value on the line
below. The first block begins with the label that stands in most blocks and comes first; where
blocks do not begin with one label, blank lines or rules must part them. A text is taken for
labelled only where most of its lines are claimed, and hardly any label stands twice in a block.
It is known to be wrong where the words of a first column recur as labels do.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import Any

from wetcomb.core.errors import InputError
from wetcomb.drafts.label_lines import MARKED, Seen, look, measure, part_lines
from wetcomb.drafts.mail_fields import find_each_head, list_mail_fields
from wetcomb.drafts.telling import count_noun, make_plain
from wetcomb.match.labels import is_parting
from wetcomb.match.shapes import TYPED, find_shape
from wetcomb.steps.pull.options import Pull, read_label

__all__ = ["find_pull", "settle_pull"]

_LEAST, _SHARE = 2, 0.2  # how often a label stands: at least, and of the commonest
_CLAIMED = 0.6  # share of the lines that labels must claim
_AGAIN = 0.8  # share of the blocks that a line counts which stands before them
_COUNT = re.compile(r"(?=.*[^\W\d_]).*\d{1,9}(?!\d)")  # words and a figure
_UNSAID = re.compile(r"[{}]|^(?:text|regex):")  # what a pattern would not say as it stands
_OWN = 0.7  # of these, the share that begin with labels
_ONCE = 0.9  # share of blocks in which no label stands twice
_FIRST = 0.6  # how often the label stands that blocks begin with, of the commonest
_FEWEST = 4  # blocks that tell what is odd
_TRIED = 20  # labels that blocks may begin with, of those that come first
_MANY = 8  # blocks from which a line that all of them have alike is no field
_UNPARTED = 3  # labels of blocks that nothing parts
_FIRM = TYPED | {"code", "yes-no"}  # shapes of values that have one line
_PAGE = re.compile(r"[-–—.\s]*\d{1,4}[-–—.\s]*")  # a number alone, as of a page
_AROUND = " \t.:=…：|"  # what may stand around a label with nothing behind it


def settle_pull(text: str, given: Mapping[str, Any]) -> tuple[Pull, list[str]]:
    """Return a pull with its labels worked out, and the evidence.

    Raises
    ------
    InputError : no label recurs
    """
    found = find_pull(text, given, claimed=0.0)
    if found is None and given.get("label"):
        return Pull(**given), ["The labels are as stated; a block begins with the first of them."]
    if found is None:
        raise InputError("no label recurs in this text; name the labels (--label)")
    return found


def find_pull(
    text: str, given: Mapping[str, Any] | None = None, *, claimed: float = _CLAIMED
) -> tuple[Pull, list[str]] | None:
    """Return the pull that reads a text as blocks of labelled fields, if it is that, and the evidence.

    Parameters
    ----------
    given : options that are known already
    claimed : share of the lines between the first and the last label that they must claim
    """
    seen = look(text)
    if seen is None:
        return None
    counts = Counter(filter(None, seen.labels))
    order = list(dict.fromkeys(label for label in seen.labels if label))
    inner = Counter(label for labels in seen.inner for label in set(labels))
    names = [*order, *(label for label in inner if label not in counts)]
    blocks, begins = _find_blocks(seen, order, counts)
    n_blocks = len(begins)
    if n_blocks < _LEAST or len(names) < _LEAST or not _are_blocks(seen, begins):
        return None
    if len(names) < _UNPARTED and not _are_parted(seen, begins) and not any(seen.inner):
        return None  # two who speak in turn are no labels
    if not _are_parted(seen, begins) and _are_led(seen):
        return None  # a list of names with leaders, some of them more than once
    counting = _find_counting(seen, begins)
    n_lines, n_claimed, goes_on = _count_claimed(seen, begins, counting)
    n_own = sum(map(bool, seen.labels))
    if n_own < _OWN * claimed * n_lines:
        return None  # what goes on over so many lines is rather text
    if n_claimed < claimed * n_lines or sum(counts.values()) + sum(inner.values()) < 2 * n_blocks:
        return None
    names = _sort_names(seen, names, begins)
    still = _find_still(seen, begins)
    if blocks == "first-label":
        first = seen.labels[begins[0]]
        names = [first, *(name for name in names if name != first)]
        blocks = f"text:{still[first]}" if first in still else blocks
    names = _leave_still(seen, names, still)
    if len(names) < _LEAST:
        return None
    if counting and blocks == "first-label":
        blocks = counting.replace("0", "{digits}")
    heads = find_each_head(seen.lines, begins)
    of_mail = [label for name, label in list_mail_fields(seen.lines, heads) if name not in names]
    options: dict[str, Any] = {
        "label": tuple(names),
        "blocks": blocks,
        "multiline": tuple(name for name in names if name in goes_on),
    }
    shown = ", ".join(make_plain(name) for name in names[:6]) + ", ..." * (len(names) > 6)
    notes = [
        f"{count_noun(len(names), 'label')} recur in {n_blocks} blocks ({shown}); they claim {n_claimed} of {n_lines} lines, heads of mails and what all blocks have alike aside.",
        f"A block begins {_tell_blocks(blocks, names[0])}; {names[0]} stands in {max(counts[names[0]], inner[names[0]])} of them.",
    ]
    if of_mail:
        told = " ".join(f"--label {make_plain(label.partition(' as ')[0])}" for label in of_mail)
        notes.append(f"Each block has the head of a mail before it; {told} would take it in.")
    if still:
        told = ", ".join(make_plain(repr(line[:30])) for line in [*still.values()][:3])
        notes.append(f"Lines that are the same in all blocks make no column: {told}.")
    if goes_on:
        told = ", ".join(make_plain(name) for name in options["multiline"])
        notes.append(f"Values of {told} go on over lines.")
    return Pull(**{**options, **_heed(given or {}, options)}), notes


def _heed(given: Mapping[str, Any], found: Mapping[str, Any]) -> dict[str, Any]:
    """Return what is stated, and what follows from it: blocks that begin with another label, names of columns."""
    stated = dict(given)
    specs = [read_label(text) for text in stated.get("label", ())]
    if not specs:
        return stated
    called = {text.casefold(): spec.name for spec in specs for text in spec.texts}
    goes_on = (called.get(name.casefold(), "") for name in found["multiline"])
    stated.setdefault("multiline", tuple(filter(None, goes_on)))
    first = found["label"][0]
    is_first = first.casefold() in (text.casefold() for text in specs[0].texts)
    if found["blocks"] == "first-label" and not is_first:
        stated.setdefault("blocks", f"text:{first}")
    return stated


def _tell_blocks(blocks: str, first: str) -> str:
    told = {
        "first-label": f"with {make_plain(first)}",
        "rule": "behind a rule",
        "blank-line": "behind a blank line",
    }
    return told.get(blocks, f"with the line {make_plain(blocks.removeprefix('text:'))}")


def _find_still(seen: Seen, begins: Sequence[int]) -> dict[str, str]:
    """Return the labels whose line says the same in every one of many blocks, with that line.

    A line among others with labels is a field that has one value only; what heads or ends a block
    may be none.
    """
    said: dict[str, list[str]] = {}
    for line, label in zip(seen.lines, seen.labels, strict=True):
        if label and line.strip(_AROUND) != label.strip(_AROUND):  # else its value is below
            said.setdefault(label, []).append(line.strip())
    counts = Counter(seen.labels)
    still = {
        label: usual
        for label, lines in said.items()
        if counts[label] >= max(_MANY, _ONCE * len(begins)) and (usual := _find_usual(lines))
    }
    inside = Counter(
        label
        for k, label in enumerate(seen.labels)
        if label in still and _is_inside(seen, begins, k)
    )
    return {label: line for label, line in still.items() if 2 * inside[label] <= counts[label]}


def _find_usual(lines: Sequence[str]) -> str:
    """Return the line that all are, but the first or the last of them, which may be around all blocks; else nothing."""
    usual = lines[len(lines) // 2]
    return usual if all(line == usual for line in lines[1:-1]) else ""


def _is_inside(seen: Seen, begins: Sequence[int], k: int) -> bool:
    """Return whether a labelled line stands in a block behind others, and another or a blank line follows."""
    if k in begins or seen.inner[k] or not k or not seen.labels[k - 1] or k + 1 == len(seen.lines):
        return False
    return not seen.lines[k + 1].strip() or (bool(seen.labels[k + 1]) and k + 1 not in begins)


def _leave_still(seen: Seen, names: Sequence[str], still: Mapping[str, str]) -> list[str]:
    """Return labels without those of lines that say the same in all blocks, or that stand within such lines only."""
    moving = {label for label in seen.labels if label and label not in still}
    rows = zip(seen.labels, seen.inner, strict=True)
    moving |= {one for label, inner in rows if label not in still for one in inner}
    return [name for name in names if name in moving and name not in still]


def _find_blocks(seen: Seen, order: Sequence[str], counts: Counter[str]) -> tuple[str, list[int]]:
    """Return how blocks are told, and the lines that begin them.

    The label they begin with leaves fewest labels before the first block and standing twice.
    """
    most = max(counts.values())
    begins = min(
        (
            [k for k, label in enumerate(seen.labels) if label == first]
            for first in order[:_TRIED]
            if counts[first] >= _FIRST * most
        ),
        key=lambda places: _count_odd(seen, places),
    )
    least = len(begins) >= _FEWEST  # of so many, one may be odd
    if _count_odd(seen, begins) <= max(least, (1 - _ONCE) * len(begins)):
        return "first-label", begins
    for kind in ("rule", "blank-line"):
        places = list(part_lines(seen, kind))
        is_each = abs(len(places) - most) <= max(1, (1 - _ONCE) * most)
        if is_each and _are_blocks(seen, places):
            return kind, places
    return "first-label", begins


def _count_odd(seen: Seen, begins: Sequence[int]) -> int:
    """Return how many labels stand before the first block, or in their block again.

    Where blank lines or rules part the labelled lines, beginnings that none stands before count too.
    """
    number = sum(map(bool, seen.labels[: begins[0]]))
    for begin, end in pairwise([*begins, len(seen.labels)]):
        here = Counter(label for label in seen.labels[begin:end] if label)
        number += sum(here.values()) - len(here)
    if len(seen.parted) >= _FIRST * len(begins):
        number += sum(place not in seen.parted for place in begins)
    return number


def _are_parted(seen: Seen, begins: Sequence[int]) -> bool:
    """Return whether blank lines or rules stand before most of the blocks."""
    return sum(place in seen.parted for place in begins) >= _FIRST * len(begins)


def _are_led(seen: Seen) -> bool:
    """Return whether leaders stand behind all labels."""
    marks = {
        found["mark"].strip()[:1]
        for line, label in zip(seen.lines, seen.labels, strict=True)
        if label and (found := MARKED.fullmatch(line))
    }
    return bool(marks) and marks <= {".", "…"}


def _are_blocks(seen: Seen, begins: Sequence[int]) -> bool:
    """Return whether hardly any label stands twice in a block."""
    n_once = 0
    for begin, end in pairwise([*begins, len(seen.lines)]):
        here = [label for label in seen.labels[begin:end] if label]
        here += [label for labels in seen.inner[begin:end] for label in labels]
        n_once += len(set(here)) == len(here)
    least = len(begins) >= _FEWEST
    return bool(begins) and n_once >= min(_ONCE * len(begins), len(begins) - least)


def _count_claimed(seen: Seen, begins: Sequence[int], counting: str) -> tuple[int, int, set[str]]:
    """Return how many lines there are from the first label on, how many are claimed, whose values go on.

    The heads of mails, and lines that most blocks have alike, are of no account.
    """
    again = Counter(line.strip() for line in seen.lines)
    n_lines = n_claimed = 0
    goes_on: Counter[str] = Counter()
    shapes: dict[str, list[str]] = {}
    label, has_value, depth = "", False, 0
    for place in range(begins[0], len(seen.lines)):
        text, own = seen.lines[place].strip(), seen.labels[place]
        if not text or is_parting(text.encode()) or place in seen.heads:
            label = ""
            continue
        if not own and not label and again[text] >= _CLAIMED * len(begins):
            continue
        if counting and not own and _leave_figures(text) == counting:
            label = ""
            continue
        n_lines += 1
        if own:
            label = seen.inner[place][-1] if seen.inner[place] else own
            depth = measure(seen.lines[place])
            value = re.sub(r"^[\s.:=…：|]*", "", text[text.rindex(label) + len(label) :])
            has_value = bool(value)
            if value:
                shapes.setdefault(label, []).append(find_shape(value))
            n_claimed += 1
        elif MARKED.fullmatch(text) and measure(seen.lines[place]) <= depth:
            label = ""  # a label that does not recur
        elif label and not (has_value and _PAGE.fullmatch(text)):
            is_foot = place > begins[-1] and measure(seen.lines[place]) < depth
            if is_foot and not goes_on[label] and len(begins) >= _FEWEST:
                label = ""  # what stands below the last block, further out, as nowhere before
                continue
            n_claimed += 1
            goes_on[label] += has_value
            has_value = True
    # dates, figures and codes do not go on: what stands below them is something else
    firm = {
        name
        for name, found in shapes.items()
        if sum(shape in _FIRM for shape in found) >= _CLAIMED * len(found)
    }
    n_claimed -= sum(goes_on[name] for name in firm)
    return n_lines, n_claimed, {name for name, n in goes_on.items() if n and name not in firm}


def _leave_figures(line: str) -> str:
    return re.sub(r"\d+", "0", line.strip())


def _find_counting(seen: Seen, begins: Sequence[int]) -> str:
    """Return the line that counts the blocks, its figures alike; nothing if none stands right before nearly all.

    Its one figure rises by one from each block to the next: a day above a block is none.
    """
    above = {
        k: seen.lines[k - 1].strip()
        for k in begins
        if k and not seen.labels[k - 1] and not is_parting(seen.lines[k - 1].encode())
    }
    found = Counter(_leave_figures(line) for line in above.values() if _COUNT.search(line))
    line, number = found.most_common(1)[0] if found else ("", 0)
    if number < max(_FEWEST - 1, _AGAIN * len(begins)) or _UNSAID.search(line):
        return ""
    counts = [
        int(re.sub(r"\D", "", text)) for text in above.values() if _leave_figures(text) == line
    ]
    rises = all(after - before == 1 for before, after in pairwise(counts))
    return line if line.count("0") == 1 and rises else ""


def _sort_names(seen: Seen, names: Sequence[str], begins: Sequence[int]) -> list[str]:
    """Return labels in the order of the first block; others behind those they first come behind."""
    ordered: list[str] = []
    for begin, end in pairwise([*begins, len(seen.labels)]):
        rows = zip(seen.labels[begin:end], seen.inner[begin:end], strict=True)
        place = 0
        for name in (one for label, inner in rows for one in [*filter(None, [label]), *inner]):
            if name not in ordered and name in names:
                ordered.insert(place, name)
            place = ordered.index(name) + 1 if name in ordered else place
    return [*ordered, *(name for name in names if name not in ordered)]
