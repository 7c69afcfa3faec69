"""Labelled fields read the plain way, line by line: what the arrays are held against.

It knows colons only, blocks that begin with the first label, values that stand on the next line
or go on over lines, and nothing of mails, gaps or quote marks.
"""

from __future__ import annotations

from collections.abc import Sequence

__all__ = ["pull_plainly"]

Row = list[str | None]


def read_label(line: str, labels: Sequence[str]) -> tuple[int, str] | None:
    """Return which label a line begins with, and what stands behind its colon."""
    words, mark, value = line.strip(" \t").partition(":")
    known = [label.casefold() for label in labels]
    name = " ".join(words.split()).casefold()
    return (known.index(name), value.strip(" \t")) if mark and name in known else None


def looks_like_label(line: str, indent: int, n_words: int) -> bool:
    """Return whether a line ends a value, though nobody asked for its label."""
    words, mark, behind = line.strip(" \t").partition(":")
    is_here = len(line) - len(line.lstrip(" \t")) == indent
    is_word = words[:1].isalpha() and words[:1].isupper() and len(words) <= 41
    return bool(is_here and mark and is_word and len(words.split()) <= n_words + 2) and (
        not behind or behind[0] in " \t"
    )


def pull_plainly(text: str, labels: Sequence[str], multiline: Sequence[str]) -> list[Row]:
    """Return a row for each block: of a label that stands again the first value."""
    rows: list[Row] = []
    waiting, margin, goes_on = -1, 0, False
    n_words = max(len(label.split()) for label in labels)
    for line in text.split("\n"):
        found = read_label(line, labels)
        if found is not None:
            label, value = found
            if label == 0:
                rows.append([None] * len(labels))
            waiting = -1
            if not rows:
                continue
            is_first = rows[-1][label] is None
            goes_on = labels[label] in multiline
            if is_first:
                rows[-1][label] = value
            if not value or goes_on:
                waiting = label if is_first else len(labels)
                margin = len(line) - len(line.lstrip(" \t"))
            continue
        if not line.strip(" \t") or (waiting >= 0 and looks_like_label(line, margin, n_words)):
            waiting = -1
        elif waiting >= 0:
            if waiting < len(labels):
                before = rows[-1][waiting]
                rows[-1][waiting] = f"{before} {line.strip()}" if before else line.strip()
            if not goes_on:
                waiting = -1
    return rows
