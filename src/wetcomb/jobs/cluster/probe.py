"""What is asked of a worker before anything is sent to it; it goes there as source, whole.

So it may use nothing but the standard library.
"""

from __future__ import annotations

__all__ = ["look_around"]


def look_around(folder: str, token: str, paths: list[str]) -> dict[str, str]:
    """Return which version of the package a worker has, and what it does not see.

    Parameters
    ----------
    folder, token : where a file of that name was laid
    """
    from importlib.metadata import PackageNotFoundError, version
    from pathlib import Path

    try:
        found = version("wetcomb")
    except PackageNotFoundError:
        found = ""
    missing = next((path for path in paths if not Path(path).is_file()), "")
    is_shared = (Path(folder) / token).is_file()
    return {"version": found, "missing": missing, "folder": "" if is_shared else folder}
