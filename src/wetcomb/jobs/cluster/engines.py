"""Who does the tasks: the workers of a Dask scheduler, or this process alone.

An engine takes functions with their arguments and gives back what came of them, as it comes. What a
worker had in hand when it died is done again by another; one task that takes several workers with it
is given up.
"""

from __future__ import annotations

import logging
import os
import re
import signal
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from functools import partial
from pathlib import Path
from typing import Any, Protocol
from uuid import uuid4

from wetcomb.core.errors import OutputError, UsageError
from wetcomb.files.formats.writer import import_extra
from wetcomb.jobs.cluster.recipe import RUN_FOLDER

__all__ = ["DaskEngine", "Engine", "HereEngine", "LostTask", "open_engine"]

_LOCAL = re.compile(r"local:(\d+)")
_MOST_LOCAL = 64
_SECONDS = 10  # that a scheduler may take to answer
_PROBED = 16  # paths of which it is asked whether workers see them
_FRESH = 5.0  # seconds for which it is believed how many workers there are
_RETRIES = 3  # workers that a task may take with it


class LostTask(Exception):
    """A task was given up: each worker that had it died."""


class Engine(Protocol):
    """Does tasks somewhere."""

    def count_slots(self) -> int:
        """Return how many tasks it does at once."""

    def submit(self, work: Callable[..., Any], *words: Any) -> object:
        """Have a task done; return what it is known by."""

    def wait(self) -> list[tuple[object, Callable[[], Any]]]:
        """Return the tasks that are done since it was last asked, at least one, each with what gives its outcome.

        The outcome is given, or what went wrong is raised: LostTask, or an error of the task's.
        """

    def forget(self) -> None:
        """Have no use for any task that was handed in."""


class HereEngine:
    """This process, one task after another."""

    def __init__(self) -> None:
        self._waiting: list[tuple[object, Callable[[], Any]]] = []

    def count_slots(self) -> int:
        """Return that it does one at once."""
        return 1

    def submit(self, work: Callable[..., Any], *words: Any) -> object:
        """Take a task, to be done when it is waited for."""
        handle = object()
        self._waiting.append((handle, lambda: work(*words)))
        return handle

    def wait(self) -> list[tuple[object, Callable[[], Any]]]:
        """Return the next task; it is done when its outcome is asked for."""
        return [self._waiting.pop(0)]

    def forget(self) -> None:
        """Leave all tasks undone."""
        self._waiting.clear()


class DaskEngine:
    """The workers of a Dask scheduler.

    Parameters
    ----------
    client : a `distributed.Client`
    address : what messages call it
    """

    def __init__(self, client: Any, address: str) -> None:
        self._client, self.address = client, address
        self._done: Any = None
        self._futures: dict[str, Any] = {}
        self._asked, self._n_slots = -_FRESH, 0

    def check(self, version: str, folder: Path, paths: Sequence[str]) -> None:
        """Refuse workers that lack the package, have another version, or do not see the files.

        Raises
        ------
        UsageError : one does, or there is no worker
        """
        import cloudpickle

        from wetcomb.jobs.cluster import probe

        if not self.count_slots():
            raise UsageError(f"--cluster {self.address}: its scheduler has no workers; start some (dask worker {self.address})")  # fmt: skip
        step = max(1, len(paths) // _PROBED)
        probed = [*dict.fromkeys([*paths[::step], *paths[-1:]])]
        token = f"{RUN_FOLDER}/{uuid4().hex}"
        cloudpickle.register_pickle_by_value(probe)
        try:
            (folder / token).touch()
            found = self._client.run(probe.look_around, str(folder), token, probed)
        except OSError as error:
            raise OutputError(f"{folder}/: cannot be written to: {error.strerror}") from error
        finally:
            cloudpickle.unregister_pickle_by_value(probe)
            with suppress(OSError):
                (folder / token).unlink(missing_ok=True)
        for worker, seen in sorted(found.items()):
            start = f"--cluster {self.address}: the worker {worker}"
            if not seen["version"]:
                raise UsageError(f"{start} lacks the package; install it there (pip install 'wetcomb[cluster]=={version}')")  # fmt: skip
            if seen["version"] != version:
                raise UsageError(f"{start} has version {seen['version']} of wetcomb, and this is {version}; install the same there")  # fmt: skip
            if seen["folder"]:
                raise UsageError(f"{start} does not see {folder}; take a folder that all machines share")  # fmt: skip
            if seen["missing"]:
                raise UsageError(f"{start} does not see {seen['missing']}; lay the texts where all machines see them")  # fmt: skip

    def count_slots(self) -> int:
        """Return how many tasks the workers do at once; asked for anew now and then, for they come and go."""
        now = time.monotonic()
        if now >= self._asked + _FRESH:
            self._asked, self._n_slots = now, sum(self._client.nthreads().values())
        return self._n_slots

    def submit(self, work: Callable[..., Any], *words: Any) -> object:
        """Have a task done by some worker."""
        if self._done is None:
            from distributed import as_completed

            self._done = as_completed(loop=self._client.loop, with_results=False)
        future = self._client.submit(work, *words, pure=False)
        self._futures[future.key] = future
        self._done.add(future)
        return future.key

    def wait(self) -> list[tuple[object, Callable[[], Any]]]:
        """Return the tasks that are done, at least one."""
        futures = [next(self._done), *self._done.next_batch(block=False)]
        return [(future.key, partial(self._take, future)) for future in futures]

    def _take(self, future: Any) -> Any:
        from distributed import CancelledError, KilledWorker
        from distributed.comm import CommClosedError

        self._futures.pop(future.key, None)
        try:
            return future.result()
        except KilledWorker as error:
            raise LostTask from error
        except ModuleNotFoundError as error:  # it came later than the others
            raise UsageError(f"--cluster {self.address}: a worker lacks {error.name}; install the package there, and the same command goes on") from error  # fmt: skip
        except (CancelledError, CommClosedError) as error:
            raise OutputError(f"--cluster {self.address}: its scheduler was lost; the parts that are written are whole, and the same command goes on from there") from error  # fmt: skip

    def forget(self) -> None:
        """Cancel all tasks that are not done."""
        with suppress(Exception):  # the scheduler may be what was lost
            self._client.cancel([*self._futures.values()], force=True)
        self._futures.clear()
        self._done = None  # what was cancelled is not waited for


@contextmanager
def open_engine(address: str) -> Iterator[DaskEngine]:
    """Connect to the scheduler at an address; `local:N` starts one with N workers for as long.

    Raises
    ------
    UsageError : Dask is not installed, the address is none, or no scheduler answers there
    """
    import_extra("distributed", "cluster")
    import dask
    from distributed import Client, LocalCluster

    _be_quiet()
    dask.config.set({"distributed.scheduler.allowed-failures": _RETRIES})
    found = _LOCAL.fullmatch(address)
    if address.startswith("local") and (not found or not 1 <= int(found[1]) <= _MOST_LOCAL):
        raise UsageError(f"--cluster {address}: it is local:N with N from 1 to {_MOST_LOCAL}, for example local:4")  # fmt: skip
    if found:
        with _hold_interrupts():
            cluster = LocalCluster(
                n_workers=int(found[1]), threads_per_worker=1, processes=True, dashboard_address=":0", memory_limit=0,
                silence_logs=logging.CRITICAL,
            )  # fmt: skip
        with cluster, Client(cluster) as client:
            yield DaskEngine(client, address)
        return
    try:
        client = Client(address, timeout=_SECONDS, set_as_default=False)
    except (OSError, ValueError, TypeError) as error:
        raise UsageError(f"--cluster {address}: no scheduler answers there; start one (dask scheduler), or take local:4") from error  # fmt: skip
    with client:
        yield DaskEngine(client, address)


def _be_quiet() -> None:
    """Have the engine say nothing on standard error; what matters is told in one line."""
    for name in ["distributed", "tornado", "asyncio", *logging.root.manager.loggerDict]:
        if name.partition(".")[0] in ("distributed", "tornado", "asyncio"):
            logging.getLogger(name).setLevel(logging.CRITICAL + 1)


@contextmanager
def _hold_interrupts() -> Iterator[None]:
    """Let Ctrl-C wait a moment; what the processes that are begun meanwhile say of it, or of anything, is not shown.

    It comes to all processes of a terminal. What they do wrong comes back to this one, which tells it.
    """
    mask = None
    if hasattr(signal, "pthread_sigmask"):
        mask = signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT})
    shown = None
    with suppress(OSError):  # standard error may be closed
        shown = os.dup(2)
        nowhere = os.open(os.devnull, os.O_WRONLY)
        os.dup2(nowhere, 2)
        os.close(nowhere)
    try:
        yield
    finally:
        if shown is not None:
            os.dup2(shown, 2)
            os.close(shown)
        if mask is not None:
            signal.pthread_sigmask(signal.SIG_SETMASK, mask)
