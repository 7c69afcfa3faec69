"""The step `wash`: its options, what runs it, and the parts of that."""

from wetcomb.steps.wash.options import Wash

__all__ = ["Wash"]
