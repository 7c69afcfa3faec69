"""The one place that names the steps.

A step is a folder here: `options.py` has its class, `run.py` a function `begin` that returns it
ready to run. What runs it is loaded when it is first needed: help does not wait for NumPy.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING

from wetcomb.steps.clean.options import Clean
from wetcomb.steps.glue.options import Glue
from wetcomb.steps.lines.options import Lines
from wetcomb.steps.pull.options import Pull
from wetcomb.steps.realign.options import Realign
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step
from wetcomb.steps.unwrap.options import Unwrap
from wetcomb.steps.wash.options import Wash

if TYPE_CHECKING:
    from wetcomb.core.batch import StepRun

__all__ = ["STEPS", "Clean", "Glue", "Lines", "Pull", "Realign", "Split", "Unwrap", "Wash", "begin"]

#: Every step by its name, in the order they mostly follow each other.
STEPS: dict[str, type[Step]] = {
    step.name: step for step in (Wash, Unwrap, Split, Pull, Realign, Clean, Glue, Lines)
}


def begin(step: Step) -> StepRun:
    """Return a step ready to run over one text, from its beginning.

    Raises
    ------
    UsageError : an option is still to be worked out
    """
    run: StepRun = import_module(f"wetcomb.steps.{step.name}.run").begin(step)
    return run
