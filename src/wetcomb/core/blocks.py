"""What a reader hands on: text in UTF-8, a block at a time."""

from __future__ import annotations

import msgspec

__all__ = ["Block"]


class Block(msgspec.Struct, frozen=True):
    """A block of valid UTF-8 that cuts no character.

    Attributes
    ----------
    data : the text
    characters : how many code points it is, counted when it was decoded
    undecodable : where in it a byte of the source that was no text stands, written as \\xNN
    """

    data: bytes
    characters: int
    undecodable: tuple[int, ...] = ()

    @classmethod
    def of(cls, text: str, undecodable: tuple[int, ...] = ()) -> Block:
        """Return a text as a block."""
        return cls(text.encode(), len(text), undecodable)
