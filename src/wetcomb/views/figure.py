"""The figure of a realigned table: records from top to bottom, columns from left to right.

A rule that is wrong shows as a stripe: a column that is blank or moved in record after record
that looks like the others.
"""

from __future__ import annotations

import io
from importlib.util import find_spec

import numpy as np

from wetcomb.core.arrays import Bytes
from wetcomb.core.errors import UsageError
from wetcomb.core.moves import AS_CUT, BLANK, CELL_STATES, DOUBTFUL, MERGED, MOVED
from wetcomb.views.cell_map import CellMap

__all__ = ["FIGURE_FORMATS", "check_figure", "render_figure"]

#: The endings a figure can have.
FIGURE_FORMATS = (".png", ".svg", ".pdf")

#: The colour of each state, and the one that stands before others where a row of the figure holds
#: several records.
_COLORS = {
    AS_CUT: "#d7dee3",
    MOVED: "#3f7fbf",
    BLANK: "#ffffff",
    MERGED: "#7a4fa3",
    DOUBTFUL: "#e0803a",
}
_WEIGHT = np.array([0, 2, 1, 3, 4], np.uint8)
_MOST_ROWS = 300
_NAME = 18


def render_figure(cells: CellMap, ending: str) -> bytes:
    """Return the figure as the bytes of a file.

    Raises
    ------
    UsageError : see `check_figure`
    """
    check_figure(ending)
    from matplotlib import rc_context
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.colors import ListedColormap
    from matplotlib.figure import Figure
    from matplotlib.patches import Patch

    states, per_row = _gather_rows(cells.states)
    n_rows, n_columns = states.shape
    figure = Figure(figsize=(max(5.0, 1.0 * n_columns + 1.5), 8.0), layout="constrained")
    FigureCanvasAgg(figure)
    axes = figure.add_subplot()
    colors = ListedColormap([_COLORS[code] for code in range(len(CELL_STATES))])
    axes.pcolormesh(
        np.arange(n_columns + 1),
        np.arange(n_rows + 1) * per_row + 0.5,
        states,
        cmap=colors,
        vmin=-0.5,
        vmax=len(CELL_STATES) - 0.5,
        edgecolors="#b0b8bd" if n_rows <= _MOST_ROWS // 2 else "none",
        linewidth=0.4,
    )
    axes.set_xlim(0, n_columns)
    axes.set_ylim(max(1, n_rows * per_row) + 0.5, 0.5)
    axes.set_xticks(np.arange(n_columns) + 0.5, _list_heads(cells))
    axes.xaxis.tick_top()
    axes.tick_params(axis="x", length=0, rotation=30 if n_columns > 6 else 0)
    axes.set_ylabel(
        "record" if per_row == 1 else f"record ({per_row:,} to a row, the oddest shown)"
    )
    figure.suptitle(
        f"{cells.n_records:,} records: {cells.n_moved:,} with moved cells, {cells.n_doubtful:,} doubtful"
    )
    handles = [
        Patch(facecolor=_COLORS[code], edgecolor="#808080", label=name)
        for code, name in enumerate(CELL_STATES)
    ]
    figure.legend(handles=handles, loc="outside lower center", ncols=len(handles), frameon=False)
    file = io.BytesIO()
    with rc_context({"svg.hashsalt": "wetcomb", "svg.fonttype": "none"}):
        figure.savefig(file, format=ending[1:], dpi=120, metadata=_METADATA.get(ending[1:]))
    return file.getvalue()


#: The same table gives the same file: nothing in it tells the time.
_METADATA = {"svg": {"Date": None}, "pdf": {"CreationDate": None}}


def check_figure(ending: str) -> None:
    """Raise UsageError for an ending that no figure can have, or where nothing can draw one."""
    if ending not in FIGURE_FORMATS:
        raise UsageError(
            f"--figure: unknown ending {ending!r}; a figure can be: {' '.join(FIGURE_FORMATS)}"
        )
    if find_spec("matplotlib") is None:
        raise UsageError(
            "--figure needs Matplotlib, which is not installed; pip install 'wetcomb[figures]'"
        )


def _gather_rows(states: Bytes) -> tuple[Bytes, int]:
    """Return the states row by row of the figure, the oddest where records share one, and how many do."""
    n_records = len(states)
    per_row = max(1, -(-n_records // _MOST_ROWS))
    if per_row == 1:
        return states, 1
    padded = np.full((-(-n_records // per_row) * per_row, states.shape[1]), AS_CUT, np.uint8)
    padded[:n_records] = states
    blocks = padded.reshape(-1, per_row, states.shape[1])
    oddest = _WEIGHT[blocks].argmax(axis=1)
    rows = np.take_along_axis(blocks, oddest[:, None], axis=1)[:, 0]
    return rows, per_row


def _list_heads(cells: CellMap) -> list[str]:
    """Return each column's name, and under it how many of its cells are not as they were cut."""
    states = cells.states
    heads = []
    for column, name in enumerate(cells.names):
        numbers = np.bincount(states[:, column], minlength=len(CELL_STATES))
        odd = [f"{n:,} {CELL_STATES[code]}" for code, n in enumerate(numbers) if n and code]
        heads.append("\n".join([_clip(name), *odd]))
    return heads


def _clip(name: str) -> str:
    return name if len(name) <= _NAME else name[: _NAME - 1] + "…"
