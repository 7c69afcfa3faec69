"""What could part the fields: texts that recur in many lines.

Punctuation that stands in at least a quarter of the lines is a candidate, alone, in runs
(`~|~`), and with the blanks around it (` - `); so are tabs and gaps and blanks. The at sign
of an address parts nothing. Nothing is decided here: the price decides.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence

from wetcomb.match.marks import BLANK_WORDS, NO_DELIMITER, name_mark, parse_delimiter

__all__ = ["find_candidates", "find_quotes"]

_RUNS = re.compile(r"[^\w\s\"']+")
_ADDRESS = re.compile(r"(?<=\w)@(?=\w[\w-]*\.\w)")
_SHARE = 0.25
_MOST = 14
_LONGEST = 8  # characters of a delimiter; a longer run of marks is a rule

#: Bits to say which delimiter it is: the ones made for it are cheap. A paste is brought because
#: there is a table in it, so that there is none to cut is dear.
_PRIORS = {",": 2.0, "\t": 2.0, ";": 2.0, "|": 2.0, NO_DELIMITER: 20.0, "gap": 6.0, "space": 8.0}


_MARKS = {"double": '"', "single": "'"}
_TORN = 24.0  # bits for a quoted field that is torn at a delimiter it holds


def find_candidates(lines: Sequence[str]) -> list[tuple[str, float]]:
    """Return delimiters worth trying, as texts or words, with the bits it takes to name them."""
    counts: Counter[str] = Counter()
    for line in lines:
        counts.update(_list_marks(line))
    least = _SHARE * len(lines)
    likely = [text for text, number in counts.most_common() if number >= least]
    likely.sort(key=lambda text: (_PRIORS.get(text, 9.0), -counts[text], text))
    words = [*likely[:_MOST], NO_DELIMITER]
    return [
        (
            name_mark(text) if text in counts and text not in BLANK_WORDS else text,
            _PRIORS.get(text, 6.0 + len(text)),
        )
        for text in words
    ]


def _list_marks(line: str) -> set[str]:
    found: set[str] = set()
    inner = line.strip()
    line = _ADDRESS.sub("_", line)
    for run in _RUNS.finditer(line):
        found.update(run[0])
        if len(run[0]) > _LONGEST:
            continue
        found.add(run[0])
        if line[run.start() - 1 : run.start()] == line[run.end() : run.end() + 1] == " ":
            found.add(f" {run[0]} ")
    if "\t" in line:
        found.add("\t")
    if "  " in inner or "\t" in inner:
        found.add("gap")
    if " " in inner:
        found.add("space")
    return found


def find_quotes(sample: str, delimiter: str) -> list[tuple[str, float]]:
    """Return the quote marks worth trying with a delimiter, with the bits it takes to name them.

    A mark right beside delimiters on both sides, with one inside, is dear to take for text.
    """
    choices = [("double", 0.0)]
    is_blank = delimiter in BLANK_WORDS
    literal = "" if delimiter in (*BLANK_WORDS, NO_DELIMITER, "") else parse_delimiter(delimiter)
    parted = r"(?:^|[ \t])" if is_blank else rf"(?:^|{re.escape(literal) or '^'})[ \t]?"
    if re.search(rf"{parted}'", sample, re.MULTILINE):
        choices.append(("single", 4.0))
    if re.search(rf"{parted}\"", sample, re.MULTILINE):
        choices.append(("none", 30.0))  # a stray mark is rather a snag
    if len(choices) == 1 or not literal:
        return choices
    held = {name: _count_held(sample, mark, literal) for name, mark in _MARKS.items()}
    if all(held.values()):
        choices.append(("both", 8.0))
    return [
        (name, prior + _TORN * sum(n for other, n in held.items() if name not in (other, "both")))
        for name, prior in choices
    ]


def _count_held(sample: str, mark: str, literal: str) -> int:
    """Return how many quoted fields hold a delimiter."""
    if mark not in sample:
        return 0
    cut, inner = re.escape(literal), rf"(?:[^{mark}\r\n]|{mark}{mark})*"
    edge = r"[ \t]{0,80}"  # were it open, a text of tabs would be looked through from each of them
    held = rf"(?:^|(?<={cut})){edge}{mark}{inner}{cut}{inner}{mark}{edge}(?={cut}|$)"
    return len(re.findall(held, sample, re.MULTILINE))
