"""Single blanks between pieces of which some are rigid: dates, figures, codes, words of a short list.

What stands between two rigid pieces is one value, of however many words. The lines of a text have
the same order of rigid pieces; that order is the pattern of a record.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence

from wetcomb.drafts.lacking import LACKING_MARKS, LACKING_WORDS
from wetcomb.drafts.pricing.chains import Chain
from wetcomb.drafts.pricing.columns import find_rigid
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
from wetcomb.steps.pull.options import Pull

__all__ = ["propose"]

_LEAST, _SHARE = 4, 0.6
_NOTHING = LACKING_MARKS | LACKING_WORDS
_MOST = 16  # pieces
_LISTED = 4  # different words of a short list
_CHOSEN = 0.15  # share of the lines that have one of a few words of which each has one
_ALONE = 0.05  # share of them that may be all there is before the next rigid piece
_RIGID = frozenset(["date", "time", "number", "code", "hex", "mail"])


def propose(body: Body) -> Iterator[Chain]:
    """Yield chains for lines of single blanks with rigid pieces in one order."""
    lines = {k: tie_figures(body.lines[k].strip()).split() for k in body.full}
    if len(lines) < _LEAST:
        return
    seen: dict[tuple[str, ...], int] = {}
    printed = {piece for pieces in lines.values() for piece in pieces}
    nothing = frozenset(piece for piece in printed if piece.casefold() in _NOTHING)
    for words in dict.fromkeys((frozenset[str](), nothing)):
        yield from _propose_orders(body, lines, words, seen)


def _propose_orders(
    body: Body,
    lines: dict[int, list[str]],
    nothing: frozenset[str],
    seen: dict[tuple[str, ...], int],
) -> Iterator[Chain]:
    """Yield chains for the orders that most lines have.

    Parameters
    ----------
    nothing : words that may stand where a value is missing
    seen : how many lines have the orders that are known, to which these are added
    """
    shapes = {k: [_find_shape(piece, nothing) for piece in pieces] for k, pieces in lines.items()}
    bare = {k: _collapse(lines[k], shapes[k], {}, frozenset()) for k in lines}
    commonest = Counter(bare.values()).most_common(1)[0][0]
    held = {k: lines[k] for k in lines if _fits(bare[k], commonest)}  # no heading, no note
    if len(held) < max(_LEAST, _SHARE * len(lines)):
        return
    all_known, any_choice = _find_listed(held, shapes), _find_choice(held, shapes)
    for known, choice in ((all_known, any_choice), ({}, any_choice), ({}, frozenset[str]())):
        forms = {k: _collapse(lines[k], shapes[k], known, choice) for k in lines}
        usual = Counter(forms.values()).most_common(1)[0][0]
        mine = [k for k in lines if _fits(forms[k], usual)]
        if len(mine) < max(_LEAST, _SHARE * len(lines)) or not 2 <= len(usual) <= _MOST:
            continue
        if len(mine) <= seen.get(usual, 0):
            continue
        seen[usual] = len(mine)
        note = f"{len(mine)} lines have the same order of figures, codes and words: {len(usual)} fields."
        steps = name_fields(Pull(each=(_write(usual, nothing),), blocks="line"), body, mine[0])
        yield body.make_chain(steps, mine[0], mine[-1] + 1, note, bits=PATTERN + 3.0 * len(usual))


def _find_shape(piece: str, nothing: frozenset[str]) -> str:
    if piece in nothing:
        return "x"
    rigid = find_rigid(piece.replace(GLUE, " ").rstrip(",;"))
    return rigid.shape if rigid is not None and rigid.shape in _RIGID else "w"


def _collapse(
    pieces: Sequence[str],
    shapes: Sequence[str],
    known: dict[str, frozenset[str]],
    choice: frozenset[str],
) -> tuple[str, ...]:
    """Return the order of a line's fields: shapes, `w` for words, a list of words where only these stand.

    Parameters
    ----------
    known : the few words that stand behind the N-th rigid piece
    choice : the few words of which every line has one, wherever it stands
    """
    form: list[str] = []
    after = "^"
    for piece, shape in zip(pieces, shapes, strict=True):
        words = known.get(after) or (choice if piece in choice else None)
        if shape == "w" and words and piece in words:
            form.append("=" + "|".join(sorted(words)))
            after = "="
            continue
        if shape == "w":
            if not form or form[-1] != "w":
                form.append("w")
            after = "w"
            continue
        form.append(shape[0] if shape in ("mail", "x") else _tell_glued(piece, shape))
        after = f"{sum(part != 'w' and part[0] != '=' for part in form)}"
    return tuple(form)


def _fits(form: Sequence[str], usual: Sequence[str]) -> bool:
    """Return whether a line has the usual order, a word for nothing in the place of any rigid piece."""
    return len(form) == len(usual) and all(
        mine == other or (mine == "x" and other != "w" and other[0] != "=")
        for mine, other in zip(form, usual, strict=True)
    )


def _find_choice(lines: dict[int, list[str]], shapes: dict[int, list[str]]) -> frozenset[str]:
    """Return a few words of which every line has exactly one, wherever it stands between others."""
    held = [
        {piece for piece, shape in zip(lines[k], shapes[k], strict=True) if shape == "w"}
        for k in lines
    ]
    choice: set[str] = set()
    left = held
    while left and len(choice) < _LISTED:
        counts = Counter(word for words in left for word in words)
        word, number = max(counts.items(), key=lambda item: (item[1], item[0]), default=("", 0))
        if number < _CHOSEN * len(held) or any(word in words and choice & words for words in held):
            return frozenset()
        choice.add(word)
        left = [words for words in left if word not in words]
    return frozenset(choice) if not left and len(choice) > 1 else frozenset()


def _find_listed(
    lines: dict[int, list[str]], shapes: dict[int, list[str]]
) -> dict[str, frozenset[str]]:
    """Return the few words that stand right behind the N-th rigid piece of lines, or at their start."""
    found: dict[str, Counter[str]] = {}
    alone: Counter[str] = (
        Counter()
    )  # such words with nothing behind them before the next rigid piece
    for k, pieces in lines.items():
        n_rigid, after = 0, "^"
        next_shapes = [*shapes[k][1:], "end"]
        for piece, shape, behind in zip(pieces, shapes[k], next_shapes, strict=True):
            if shape == "w":
                if after:
                    found.setdefault(after, Counter())[piece] += 1
                    alone[after] += behind != "w"
                after = ""
            else:
                n_rigid += 1
                after = str(n_rigid)
    listed = {}
    for after, counts in found.items():
        if alone[after] > _ALONE * sum(counts.values()):
            continue
        words = frozenset(word for word, n in counts.items() if n >= 2)
        if (
            2 <= len(counts) <= _LISTED
            and words == frozenset(counts)
            and len(lines) >= 3 * len(words)
        ):
            listed[after] = words
    return listed


def _tell_glued(piece: str, shape: str) -> str:
    """Return the kind of a figure: a date of several words (d), one with a unit behind or before it (u, c), or none (n)."""
    if GLUE not in piece:
        return "n"
    return "d" if shape == "date" else "u" if piece[0].isdecimal() else "c"


def _write(form: Sequence[str], nothing: Iterable[str]) -> str:
    """Return the pattern of a record whose fields stand in this order; `nothing` may stand in the place of a figure."""
    parts = []
    for place, part in enumerate(form, 1):
        is_last = place == len(form)
        if part[0] == "=":
            said = "|".join(map(re.escape, part[1:].split("|")))
        elif part == "u":
            said = rf"{FIGURE} [€£$₽%‰°]"
        elif part == "c":
            said = rf"[A-Z]{{0,3}}[€£$₽]? {FIGURE}"
        elif part == "m":
            said = r"\S{1,40}@\S{1,40}"
        elif part == "n":
            said = FIGURE
        elif part == "d":
            said = r"[\w.,]{1,12} [\w.,]{1,12} (?:de )?\d{4}"
        else:
            said = LAST if is_last else WORDS
        if nothing and part != "w" and part[0] != "=":
            said = "|".join([said, *map(re.escape, sorted(nothing))])
        parts.append(f"(?P<field_{place}>{said})")
    return f"regex:^{EDGE}{GAP.join(parts)}{EDGE}$"
