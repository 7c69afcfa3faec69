"""What a reader hands on: text in UTF-8, a block at a time."""

from __future__ import annotations

import msgspec

__all__ = ["Block"]


class Block(msgspec.Struct, frozen=True):
    """A block of valid UTF-8 that cuts no character.

    Attributes
    ----------
    data : the text
    undecodable : where in it a byte of the source that was no text stands, written as \\xNN
    """

    data: bytes
    undecodable: tuple[int, ...] = ()
