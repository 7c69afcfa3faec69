"""The step `pull`: its options, what runs it, and the parts of that."""

from wetcomb.steps.pull.options import Pull

__all__ = ["Pull"]
