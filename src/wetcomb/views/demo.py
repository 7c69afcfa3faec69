"""What the demo says around the job: what went in, what came out, what to type next."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from wetcomb.views.blocks import Block, Fact, Styled, TextLines, make_visible

__all__ = ["build_ending", "build_opening"]

_FIRST_LINE, _LAST_LINE = 27, 39  # a stretch of the notices with all three records that do not fit


def build_opening(folder: str, text: str, odd: Sequence[int]) -> list[Block]:
    """Return what went in: where the files are, and the stretch of lines that is worth a look.

    The lines (from 1) in `odd` are those of records that do not fit.
    """
    return [
        Fact(
            "demo", [Styled(f"the notices of the Halden & Orrin Canal (made up) are in {folder}")]
        ),
        _show(
            f"what went in: lines {_FIRST_LINE} to {_LAST_LINE} of notices.txt",
            text.splitlines(),
            _FIRST_LINE,
            _LAST_LINE,
            odd,
        ),
    ]


def build_ending(
    answer: str, equal: int, total: int, next_ones: Sequence[str], texts: Mapping[str, str]
) -> list[Block]:
    """Return what came out, how it compares with the true table, and what to go on with."""
    return [
        _show(
            "what came out: the same records in notices.csv",
            answer.splitlines(),
            _FIRST_LINE - 1,
            _LAST_LINE - 1,
        ),
        Fact(
            "compared",
            [
                Styled(f"{equal} of {total} records", "strong"),
                Styled(
                    f" are those of the true table that ships with the demo; the {total - equal} others are among the snags"
                ),
            ],
        ),
        *[
            Fact("go on" if not k else "", [Styled(line, "strong")])
            for k, line in enumerate(next_ones)
        ],
        *[
            Fact("also" if k == 1 else "", [Styled(f"{name}: {what}")])
            for k, (name, what) in enumerate(texts.items())
            if k
        ],
    ]


def _show(
    title: str, lines: Sequence[str], first: int, last: int, odd: Sequence[int] = ()
) -> TextLines:
    numbers = range(first, min(last, len(lines)) + 1)
    return TextLines(
        title,
        [
            [
                Styled(f"{number:>5}  ", "faint"),
                Styled(make_visible(lines[number - 1]), "snag" if number in odd else "plain"),
            ]
            for number in numbers
        ],
    )
