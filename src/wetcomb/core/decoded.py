"""What a reader hands on: text in UTF-8, a block at a time."""

from __future__ import annotations

import msgspec

__all__ = ["Decoded", "Sample"]


class Decoded(msgspec.Struct, frozen=True):
    """A block of valid UTF-8 that cuts no character.

    Attributes
    ----------
    data : the text
    characters : how many code points it is, counted when it was decoded
    undecodable : where in it a byte of the source that was no text stands, written as \\xNN
    broken : where in it a mail stands that is not built as its head says
    """

    data: bytes
    characters: int
    undecodable: tuple[int, ...] = ()
    broken: tuple[int, ...] = ()

    @classmethod
    def of(cls, text: str, undecodable: tuple[int, ...] = ()) -> Decoded:
        """Return a text as a block."""
        return cls(text.encode(), len(text), undecodable)


class Sample(msgspec.Struct, frozen=True):
    """The beginning of a text, in whole lines.

    Attributes
    ----------
    data : the text, blank lines in front left out
    first_line : number (from 1) of its first line in the source
    is_whole : it is all of the text
    """

    data: bytes
    first_line: int = 1
    is_whole: bool = True
