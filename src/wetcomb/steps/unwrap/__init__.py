"""The step `unwrap`: its options, what runs it, and the parts of that."""

from wetcomb.steps.unwrap.options import Unwrap

__all__ = ["Unwrap"]
