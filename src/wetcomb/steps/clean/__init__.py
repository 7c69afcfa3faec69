"""The step `clean`: its options, what runs it, and the parts of that."""

from wetcomb.steps.clean.options import Clean

__all__ = ["Clean"]
