"""The program `wetcomb`, also as `python -m wetcomb`."""

from __future__ import annotations

import gc
from typing import NoReturn

__all__ = ["run"]

_OBJECTS = 100_000  # made and kept before the collector looks for circles among them


def run() -> NoReturn:
    """Run the program.

    Nearly all that loading makes stays: to look it through for circles again and again, as
    Python does after 700 objects, takes a twentieth of the time of a small paste.
    """
    gc.set_threshold(_OBJECTS)
    from wetcomb.cli import main

    main.run()


if __name__ == "__main__":
    run()
