"""A chain of steps that may rebuild a text."""

from __future__ import annotations

import msgspec

from wetcomb.steps.step import Step

__all__ = ["Chain"]


class Chain(msgspec.Struct, frozen=True):
    """Steps that would rebuild a text, or a part of it.

    Attributes
    ----------
    steps : in order, nothing left open
    first, last : the lines of the text that are meant, from 0; the last is not included
    notes : the evidence, in words
    bits : what it takes to say it beyond its options
    frame : text around the fields of every record, which the options say
    """

    steps: tuple[Step, ...]
    first: int
    last: int
    notes: tuple[str, ...] = ()
    bits: float = 0.0
    frame: tuple[str, ...] = ()
