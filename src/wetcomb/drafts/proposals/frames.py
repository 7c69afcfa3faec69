"""The frame of records: what stands in all of them in one order.

It is found by folding the longest common subsequence of tokens over the records, those apart that
share too little with the others. Figures and addresses are never part of it.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence

__all__ = ["SIGN", "find_frame", "find_places"]

_LEAST = 3  # records
_ALIKE = 0.8  # share of the tokens that many lines hold which a record has
_STAYS = 0.7  # share of the frame that a record must leave, else it is none
_FOLDED = 40  # records that are folded
SIGN = re.compile(r"[^\w\s]")


def _may_frame(token: str) -> bool:
    """Return whether a token may be part of the frame: it is no blank, no address, and holds no figure."""
    is_address = len(token) > 1 and ("@" in token or "://" in token)
    return not token.isspace() and not is_address and not any(map(str.isdecimal, token))


def _name(token: str) -> str:
    """Return what tells a token from others: a run of a mark is as good as a longer one."""
    return token[:3] if len(token) > 2 and SIGN.match(token) else token


def find_frame(lines: Sequence[Sequence[str]], share: float) -> tuple[list[str], list[int]]:
    """Return the tokens that stand in all records in one order, and which lines are those records.

    Records are lines that have in common what so large a share of all has.
    """
    held = [{_name(token) for token in line if _may_frame(token)} for line in lines]
    counts = Counter(token for tokens in held for token in tokens)
    common = {token for token, number in counts.items() if number >= share * len(lines)}
    if not common:
        most = max(counts.values(), default=0)
        common = {token for token, number in counts.items() if number == most >= _LEAST}
    alike = [k for k, tokens in enumerate(held) if len(common & tokens) >= _ALIKE * len(common)]
    if len(alike) < _LEAST:
        return [], []
    step = max(1, len(alike) // _FOLDED)
    frame = [_name(token) for token in lines[alike[0]] if _may_frame(token)]
    for k in alike[1::step]:
        shared = _share(frame, [_name(token) for token in lines[k] if _may_frame(token)])
        if len(shared) >= _STAYS * len(frame) or k == alike[1]:
            frame = shared
    mine = [k for k in alike if find_places(frame, lines[k])]
    return frame, mine


def _share(first: Sequence[str], second: Sequence[str]) -> list[str]:
    """Return the longest common subsequence of two sequences (by the table of lengths of their ends)."""
    lengths = [[0] * (len(second) + 1) for _ in range(len(first) + 1)]
    for i in range(len(first) - 1, -1, -1):
        for j in range(len(second) - 1, -1, -1):
            if first[i] == second[j]:
                lengths[i][j] = lengths[i + 1][j + 1] + 1
            else:
                lengths[i][j] = max(lengths[i + 1][j], lengths[i][j + 1])
    shared, i, j = [], 0, 0
    while i < len(first) and j < len(second):
        if first[i] == second[j]:
            shared.append(first[i])
            i, j = i + 1, j + 1
        elif lengths[i + 1][j] >= lengths[i][j + 1]:
            i += 1
        else:
            j += 1
    return shared


def find_places(frame: Sequence[str], line: Sequence[str]) -> list[int]:
    """Return where the tokens of the frame stand in a line, each as early as it can; nothing if one does not."""
    places, at = [], 0
    for token in frame:
        at = next((k for k in range(at, len(line)) if _name(line[k]) == token), -1)
        if at < 0:
            return []
        places.append(at)
        at += 1
    return places
