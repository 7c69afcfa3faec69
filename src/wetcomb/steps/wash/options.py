"""wash: take off what was never part of the text, and nothing else.

It decides line by line: lines that a pattern names, page heads at a page's top and page feet at
its foot, reply marks before a whole stretch of lines behind a line that says who wrote it, and
characters that cannot be seen. A page begins at a form feed, or behind two blank lines. Afterwards
every other character stands as it stood; a form feed stays as a page mark, and one is put where
a page head was. Nothing is taken for looking like furniture: without a pattern no line
leaves. It is known to be wrong where a quoted stretch is told by other words than a mail uses.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, ClassVar

from wetcomb.core.errors import UsageError, find_nearest
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.step import Step, option

__all__ = ["KINDS", "LINE_KINDS", "Wash"]

_LINES, _SIGNS = "which lines leave", "which characters leave"

#: Kinds of character that leave, and what they are.
KINDS = {
    "zero-width": "characters of no width",
    "direction-mark": "marks that say which way what follows is read",
    "soft-hyphen": "hyphens that are seen only at a line's end",
    "control": "control characters",
    "wrong-decoding": "letters that were decoded as two or three others",
    "reply-mark": "marks before a quoted stretch of a mail",
}
#: Kinds of line that stay unless they are named.
LINE_KINDS = ("blank-line", "rule")


class Wash(Step, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Options of wash. A single text may stand for a list of one.

    Raises
    ------
    UsageError : options that contradict each other, or values that mean nothing
    """

    name: ClassVar[str] = "wash"
    summary: ClassVar[str] = "take off page heads and feet, invisible characters, reply marks"
    traces: ClassVar[Mapping[str, str]] = {
        "drop_lines": "dropped-line",
        "page_head": "page-head",
        "page_foot": "page-foot",
    }
    usage: ClassVar[str] = """\
Take off what was never part of the text: page heads and feet and other lines that a pattern
names, reply marks of quoted mails, characters that cannot be seen. Each kind is counted and
told. It makes text; a lone `+` hands it on to unwrap or split.

  wetcomb wash report.txt --page-head '{any} Page {digits}' + split -d gap -o report.csv
  wetcomb wash mail.txt --drop-lines 'Best regards{any}' + unwrap --indent + split -d ';'
"""

    drop_lines: Annotated[
        tuple[str, ...] | str,
        option(
            "lines that leave, as a pattern for the whole line",
            group=_LINES,
            example="'Total {any}'",
        ),
    ] = ()
    keep_lines: Annotated[
        tuple[str, ...] | str,
        option(
            "the only lines that stay, as a pattern for the whole line",
            group=_LINES,
            example="'{date} {any}'",
        ),
    ] = ()
    page_head: Annotated[
        tuple[str, ...] | str,
        option(
            "lines that leave at a page's top, as a pattern for the whole line",
            group=_LINES,
            example="'{any} Page {digits}'",
        ),
    ] = ()
    page_foot: Annotated[
        tuple[str, ...] | str,
        option(
            "lines that leave at a page's foot, as a pattern for the whole line",
            group=_LINES,
            example="'- {digits} -'",
        ),
    ] = ()
    reply_mark: Annotated[
        str,
        option(
            "a mark that leaves before any line that it quotes, whatever stands before it; else only those of quoted mails do",
            group=_LINES,
            example="'>'",
        ),
    ] = ""
    drop: Annotated[
        tuple[str, ...] | str,
        option(
            "kinds of line that leave too, which else only part records: blank-line rule; parted by commas",
            group=_LINES,
            example="rule",
        ),
    ] = ()
    plain_spaces: Annotated[
        bool,
        option("every special space becomes a plain blank", group=_SIGNS, example=""),
    ] = False
    one_space: Annotated[
        bool,
        option(
            "runs of blanks inside a line become one (text that was set flush on both sides)",
            group=_SIGNS,
            example="",
        ),
    ] = False
    keep: Annotated[
        tuple[str, ...] | str,
        option(
            "kinds of character that stay: zero-width direction-mark soft-hyphen control wrong-decoding reply-mark; parted by commas",
            group=_SIGNS,
            example="reply-mark",
        ),
    ] = ()
    ignore_case: Annotated[
        bool, option("capitals do not count in patterns", group=_LINES, example="")
    ] = False

    def __post_init__(self) -> None:
        super().__post_init__()
        for pattern in (*self.drop_lines, *self.keep_lines, *self.page_head, *self.page_foot):
            compile_pattern(pattern)
        for flag, given, known in (
            ("--keep", self.keep, tuple(KINDS)),
            ("--drop", self.drop, LINE_KINDS),
        ):
            odd = next((kind for kind in given if kind not in known), None)
            if odd is not None:
                raise UsageError(
                    f"{flag}: unknown kind {odd!r}{find_nearest(odd, known) or '; one of: ' + ' '.join(known)}"
                )

    @property
    def makes(self) -> str:
        """It makes text of text."""
        return "text"
