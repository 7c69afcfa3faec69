"""The step `realign`: its options, what runs it, and the parts of that."""

from wetcomb.steps.realign.options import Realign

__all__ = ["Realign"]
