"""Wet Comb: rebuild clean records from pasted text, and prove that no character went missing.

    >>> import wetcomb
    >>> comb = wetcomb.draft("boat;toll\\nTansy;4,50\\nSallow;3,00\\n")
    >>> comb.run("boat;toll\\nHeron;12,00\\n").rows()
    [['Heron', '12,00']]

Names are loaded when they are first used, so that `wetcomb --help` does not wait for NumPy.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from wetcomb.combs.comb import Comb, Fits
    from wetcomb.combs.toml import load_comb, parse_comb, render_comb
    from wetcomb.core.errors import (
        BrokenPromise,
        CombError,
        InputError,
        OutputError,
        UsageError,
        WetCombError,
    )
    from wetcomb.core.table import Table
    from wetcomb.drafts.calls import clean, glue, pull, realign, split, unwrap, wash
    from wetcomb.drafts.draft import draft
    from wetcomb.jobs.cluster.calls import Many, run_many
    from wetcomb.steps.clean.options import Clean
    from wetcomb.steps.glue.options import Glue
    from wetcomb.steps.pull.options import Pull
    from wetcomb.steps.realign.options import Realign
    from wetcomb.steps.split.options import Split
    from wetcomb.steps.unwrap.options import Unwrap
    from wetcomb.steps.wash.options import Wash

__version__ = "0.1.0"

_HOMES = {
    "BrokenPromise": "core.errors",
    "Comb": "combs.comb",
    "CombError": "core.errors",
    "Fits": "combs.comb",
    "InputError": "core.errors",
    "OutputError": "core.errors",
    "Clean": "steps.clean.options",
    "Glue": "steps.glue.options",
    "Pull": "steps.pull.options",
    "Realign": "steps.realign.options",
    "Split": "steps.split.options",
    "Table": "core.table",
    "Unwrap": "steps.unwrap.options",
    "UsageError": "core.errors",
    "Wash": "steps.wash.options",
    "WetCombError": "core.errors",
    "clean": "drafts.calls",
    "glue": "drafts.calls",
    "pull": "drafts.calls",
    "realign": "drafts.calls",
    "split": "drafts.calls",
    "unwrap": "drafts.calls",
    "wash": "drafts.calls",
    "draft": "drafts.draft",
    "load_comb": "combs.toml",
    "parse_comb": "combs.toml",
    "Many": "jobs.cluster.calls",
    "run_many": "jobs.cluster.calls",
    "render_comb": "combs.toml",
}

__all__ = [
    "BrokenPromise",
    "Clean",
    "Comb",
    "CombError",
    "Fits",
    "Glue",
    "InputError",
    "Many",
    "OutputError",
    "Pull",
    "Realign",
    "Split",
    "Table",
    "Unwrap",
    "UsageError",
    "Wash",
    "WetCombError",
    "clean",
    "draft",
    "glue",
    "load_comb",
    "parse_comb",
    "pull",
    "realign",
    "render_comb",
    "run_many",
    "split",
    "unwrap",
    "wash",
]


def __getattr__(name: str) -> Any:
    if name not in _HOMES:
        raise AttributeError(f"module 'wetcomb' has no attribute {name!r}")
    value = getattr(import_module(f"wetcomb.{_HOMES[name]}"), name)
    globals()[name] = value
    return value
