"""Runs a comb on a real cluster of one, two and three workers, of which one is killed; says what came of it.

python cluster_script.py FOLDER TEXT...
"""

from __future__ import annotations

import json
import os
import signal
import sys
import threading
import time
from pathlib import Path
from typing import Any

from distributed import Client, LocalCluster

from wetcomb import Many, load_comb

OPTIONS: dict[str, Any] = {"part_size": 1, "with_source": True}


def kill_one(client: Any, folder: Path) -> None:
    """Kill a worker once some parts are there."""
    while len([*folder.glob("part-*")]) < 2:
        time.sleep(0.001)
    os.kill(next(iter(client.run(os.getpid).values())), signal.SIGKILL)


def tell(done: Many) -> dict[str, Any]:
    """Return what of a run must be the same."""
    ledger, snags = done.report.ledger, done.report.snags
    return {
        "parts": [part.name for part in done.parts], "aside": done.aside, "records": done.report.records,
        "lines": done.report.lines, "kept": ledger.kept, "source": ledger.source, "output": ledger.output,
        "dropped": ledger.dropped, "snags": snags, "examples": repr(done.report.snag_examples),
    }  # fmt: skip


def main() -> None:
    """Run it."""
    folder, texts = Path(sys.argv[1]), sys.argv[2:]
    comb = load_comb(folder / "c.toml")
    told = [tell(comb.run_many(texts, folder / "out0", **OPTIONS))]
    with (
        LocalCluster(
            n_workers=1, threads_per_worker=1, dashboard_address=":0", silence_logs=50
        ) as cluster,
        Client(cluster) as client,
    ):  # type: ignore[no-untyped-call]
        for number in (1, 2, 3):
            cluster.scale(number)
            client.wait_for_workers(number)
            place = folder / f"out{number}"
            if number == 3:
                threading.Thread(target=kill_one, args=(client, place)).start()
            told.append(tell(comb.run_many(texts, place, client=client, **OPTIONS)))
        again = comb.run_many(texts, place, client=client, **OPTIONS)
        told.append(tell(again))
    sys.stdout.write(json.dumps({"told": told, "kept": again.n_kept}))


if __name__ == "__main__":
    main()
