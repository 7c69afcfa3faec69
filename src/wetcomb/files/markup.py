"""HTML as the text a person would read: blocks and items are lines, rows of tables too, cells parted by tabs."""

from __future__ import annotations

import re
from html.parser import HTMLParser

__all__ = ["find_text"]

_BLOCKS = frozenset(
    [
        "address",
        "article",
        "aside",
        "blockquote",
        "body",
        "center",
        "dd",
        "div",
        "dl",
        "dt",
        "fieldset",
        "figure",
        "footer",
        "form",
        "h1",
        "h2",
        "h3",
        "h4",
        "h5",
        "h6",
        "header",
        "hr",
        "html",
        "li",
        "main",
        "nav",
        "ol",
        "p",
        "pre",
        "section",
        "table",
        "tbody",
        "tfoot",
        "thead",
        "tr",
        "ul",
    ]
)
_APART = frozenset(
    ["p", "h1", "h2", "h3", "h4", "h5", "h6", "table", "ul", "ol", "blockquote", "pre", "hr"]
)  # with a blank line
_UNSEEN = frozenset(["script", "style", "head", "title", "template"])
_CELLS = ("td", "th")
_SPACES = re.compile(r"[ \t\r\n\f]+")


def find_text(markup: str) -> str:
    """Return the text of HTML."""
    reader = _Reader()
    reader.feed(markup)
    reader.close()
    return reader.finish()


class _Reader(HTMLParser):
    """Gathers lines."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self._lines: list[str] = []
        self._line: list[str] = []
        self._depth, self._n_cells, self._is_plain = 0, 0, 0
        self._quotes = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag in _UNSEEN:
            self._depth += tag != "head"
        if tag in _CELLS:
            self._line += ["\t"] * (self._n_cells > 0)
            self._n_cells += 1
        if tag == "br":
            self._end()
        if tag in _BLOCKS:
            self._end(apart=tag in _APART)
            self._n_cells = 0
        if tag == "li":
            self._line.append("- ")
        self._is_plain += tag == "pre"
        self._quotes += tag == "blockquote"

    def handle_endtag(self, tag: str) -> None:
        if tag in _UNSEEN and tag != "head":
            self._depth = max(0, self._depth - 1)
        if tag in _BLOCKS:
            self._end(apart=tag in _APART)
        self._is_plain = max(0, self._is_plain - (tag == "pre"))
        self._quotes = max(0, self._quotes - (tag == "blockquote"))

    def handle_data(self, data: str) -> None:
        if self._depth:
            return
        if not self._is_plain:
            self._line.append(_SPACES.sub(" ", data))
            return
        first, *others = data.split("\n")
        self._line.append(first)
        for other in others:
            self._end()
            self._line.append(other)

    def _end(self, *, apart: bool = False) -> None:
        """End the line in hand."""
        text = "".join(self._line)
        if not self._is_plain:
            text = re.sub(r" ?\t ?", "\t", re.sub(" {2,}", " ", text)).strip(" ")
        if text.strip() or (self._is_plain and self._line):
            self._lines.append("> " * self._quotes + text)
        if apart and self._lines and self._lines[-1]:
            self._lines.append("")
        self._line = []

    def finish(self) -> str:
        """Return the text."""
        self._end()
        return "\n".join(self._lines).strip("\n") + "\n"
