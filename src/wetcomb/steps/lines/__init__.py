"""The step `lines`: its options, and what runs it."""

from wetcomb.steps.lines.options import Lines

__all__ = ["Lines"]
