"""The step `glue`: its options, and what runs it."""

from wetcomb.steps.glue.options import Glue

__all__ = ["Glue"]
