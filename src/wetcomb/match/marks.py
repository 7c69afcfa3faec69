"""Words for the marks that are awkward to type, and back."""

from __future__ import annotations

from wetcomb.core.errors import UsageError

__all__ = [
    "BLANK_WORDS",
    "CURLY",
    "DELIMITER_WORDS",
    "LINE_WORD",
    "NO_DELIMITER",
    "QUOTE_WORDS",
    "name_mark",
    "parse_delimiter",
    "parse_quote",
]

#: Delimiters by name. A text that happens to be one of these words is written `text:tab`.
DELIMITER_WORDS = {
    "comma": ",",
    "tab": "\t",
    "semicolon": ";",
    "pipe": "|",
    "colon": ":",
    "nbsp": "\u00a0",
    "dollar": "$",
}

#: Delimiters that are a kind of spacing rather than a text.
BLANK_WORDS = {
    "space": "one or more blanks",
    "gap": "two or more blanks, or a tab",
}

#: The word for cutting at nothing: each line is one field.
NO_DELIMITER = "none"

#: The delimiter that is a line end, where something else ends a record.
LINE_WORD = "newline"

#: Typographic quote marks in their pairs: what opens, and what closes it. The raised comma alone
#: opens nothing: it is the apostrophe of names.
CURLY = (
    ("“", "”"), ("„", "“"), ("„", "”"), ("”", "”"), ("«", "»"), ("»", "«"), ("‹", "›"), ("›", "‹"),
    ("‘", "’"), ("‚", "‘"), ("‚", "’"), ("「", "」"), ("『", "』"),
)  # fmt: skip

QUOTE_WORDS = {"double": '"', "single": "'"}

_MARK_NAMES = {text: word for word, text in (DELIMITER_WORDS | QUOTE_WORDS).items()}


def parse_delimiter(word: str) -> str:
    """Return the text a delimiter stands for; the words of `BLANK_WORDS` stand for themselves.

    Raises
    ------
    UsageError : it is empty, or holds a line end
    """
    text = (
        word.removeprefix("text:") if word.startswith("text:") else DELIMITER_WORDS.get(word, word)
    )
    if not text:
        raise UsageError(
            "a delimiter is empty; name a text or one of: "
            + " ".join([*DELIMITER_WORDS, *BLANK_WORDS])
        )
    if "\n" in text or "\r" in text:
        raise UsageError(f"delimiter {word!r} holds a line end; records end there already")
    return text


def parse_quote(word: str) -> str:
    """Return the quote mark a word stands for.

    Raises
    ------
    UsageError : it is neither a word of `QUOTE_WORDS` nor a single character that can quote
    """
    mark = QUOTE_WORDS.get(word, word)
    if len(mark) != 1 or mark.isalnum() or mark.isspace():
        raise UsageError(
            f"{word!r} is no quote mark; give double, single, both, curly, none or one character that is no letter, digit or spacing"
        )
    return mark


def name_mark(text: str) -> str:
    """Return what a mark is called in a comb or a message: its word, or the text itself."""
    if text in _MARK_NAMES:
        return _MARK_NAMES[text]
    is_word = text in DELIMITER_WORDS or text in BLANK_WORDS or text.startswith("text:")
    return f"text:{text}" if is_word else text
