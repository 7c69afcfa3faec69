"""The step `split`: its options, what runs it, and the parts of that."""

from wetcomb.steps.split.options import Split

__all__ = ["Split"]
