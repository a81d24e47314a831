"""Work handed out to the workers of a Dask cluster: fixed blocks, whose summaries come back in their order.

Dask is imported when a cluster is asked for. A block's figures do not hang on who works it out, so that a result is the
same for any number of workers; only processors of other features may differ in the last bits, and that is told.
"""

from __future__ import annotations

import pickle
import socket
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from importlib import import_module
from itertools import islice
from typing import Any, TypeVar
from urllib.parse import urlsplit

from pennyweight.errors import InputError

__all__ = ["Cluster", "WorkedBy", "cluster_of", "is_worker"]

_PATIENCE = 3.0
"""Seconds in which a cluster must answer."""
_AHEAD = 3
"""So many blocks a thread are handed out before the first is awaited."""

Shared = TypeVar("Shared")
Task = TypeVar("Task")
Result = TypeVar("Result")

_WORKER: ContextVar[bool] = ContextVar("worker", default=False)


def is_worker() -> bool:
    """Whether this is a block of a cluster, which has its own thread and takes no others.

    >>> is_worker()
    False
    """
    return _WORKER.get()


@dataclass(frozen=True)
class WorkedBy:
    """Which cluster worked a result out.

    >>> WorkedBy("tcp://10.0.0.5:8786", 4, "").sentences
    ['Worked out by 4 workers at tcp://10.0.0.5:8786.']
    """

    address: str
    workers: int
    differ_in: str
    """In what the workers differ; "" where they do not."""

    @property
    def sentences(self) -> list[str]:
        """What is to be said of it."""
        many = "1 worker" if self.workers == 1 else f"{self.workers:,} workers"
        told = [f"Worked out by {many} at {self.address}."]
        if self.differ_in:
            told.append(f"The workers differ ({self.differ_in}), so that figures agree to 1e-9, not to the last bit.")
        return told


@dataclass
class Cluster:
    """A cluster that answers, as it was when it was asked."""

    client: Any
    worked_by: WorkedBy
    threads: int

    def map(self, work: Callable[[Shared, Task], Result], shared: Shared, tasks: Iterable[Task]) -> Iterator[Result]:
        """What the work makes of each task, in their order; `shared` is sent once.

        InputError where a worker cannot do it, or is lost again and again with the same task.
        """
        packed = _packed(shared)
        handed = self.client.submit(_unpacked, packed, pure=False)
        todo, waiting = iter(tasks), deque[Any]()

        def more(count: int) -> None:
            waiting.extend(
                self.client.submit(_worked, work, handed, task, pure=False, retries=2) for task in islice(todo, count)
            )

        more(_AHEAD * self.threads)
        try:
            while waiting:
                yield self._result(waiting.popleft())
                more(1)
        finally:
            if waiting:
                self.client.cancel(list(waiting), force=True)

    def _result(self, future: Any) -> Any:
        with _in_words(self.worked_by.address):
            return future.result()


@contextmanager
def _in_words(address: str) -> Iterator[None]:
    """What may go wrong on workers, as an error that says what to do."""
    from distributed import CancelledError, KilledWorker

    try:
        yield
    except ModuleNotFoundError as error:
        raise InputError(
            f"A worker of {address} cannot import {error.name}; install what this needs on every worker, in the same "
            "versions.",
            at="on",
        ) from error
    except KilledWorker as error:
        raise InputError(
            f"Workers of {address} were lost again and again with the same block; give them more memory, or ask for "
            "less.",
            at="on",
        ) from error
    except (CancelledError, OSError) as error:
        raise InputError(f"The cluster at {address} went away; start it again.", at="on") from error


@contextmanager
def cluster_of(on: object) -> Iterator[Cluster]:
    """The cluster at an address, such as "tcp://10.0.0.5:8786", or of a client of `distributed`.

    InputError where Dask is not installed, nothing answers in three seconds, or there are no workers.
    """
    try:
        from distributed import Client as Asked
    except ImportError:
        raise InputError("A cluster needs Dask; install pennyweight[cluster].", at="on") from None
    Client: Any = Asked  # what it takes is not typed there
    if isinstance(on, Client):
        yield _asked(on)
        return
    if not isinstance(on, str) or "://" not in on:
        raise InputError(
            f"on is {on!r}; it must be the address of a cluster, such as tcp://10.0.0.5:8786, or a client.", at="on"
        )
    parts = urlsplit(on)
    try:
        host, port = parts.hostname, parts.port
    except ValueError:
        host, port = None, None
    if parts.scheme not in ("tcp", "tls", "ws", "wss") or not host or not port:
        raise InputError(f"'{on}' is no address of a cluster; one is tcp://10.0.0.5:8786.", at="on")
    try:
        # Asked first, because a client that finds nobody stays about and complains when it is thrown away.
        socket.create_connection((host, port), timeout=_PATIENCE).close()
        client = Client(on, timeout=_PATIENCE, set_as_default=False)
    except (OSError, TimeoutError) as error:
        raise InputError(f"No cluster answers at {on} within {_PATIENCE:.0f} seconds.", at="on") from error
    try:
        yield _asked(client)
    finally:
        client.close()


def _asked(client: Any) -> Cluster:
    """What a client's cluster is like."""
    name = str(getattr(client.scheduler, "address", "") or "the client's cluster")
    if client.asynchronous:
        raise InputError("on is an asynchronous client; hand over one that waits for its results.", at="on")
    workers = client.scheduler_info(n_workers=-1)["workers"]
    if not workers:
        raise InputError(f"The cluster at {name} has no workers; start some.", at="on")
    with _in_words(name):
        told = client.run(_features)
    kinds = {str(one) for one in told.values()}
    differences = ""
    if len(kinds) > 1:
        names = [set(one) for one in told.values()]
        apart = sorted(set.union(*names) - set.intersection(*names))
        differences = ", ".join(apart[:6]) + (" and more" if len(apart) > 6 else "")
    threads = sum(one["nthreads"] for one in workers.values())
    return Cluster(client, WorkedBy(name, len(workers), differences), threads)


def _features() -> list[str]:
    """What decides how a processor works out a figure to the last bit."""
    import platform
    from importlib.metadata import version

    features: Any = import_module("numpy._core._multiarray_umath")
    own = [name for name, there in features.__cpu_features__.items() if there]
    versions = [f"{name} {version(name)}" for name in ("pennyweight", "numpy", "scipy")]
    return [platform.machine(), *versions, *own]


def _packed(shared: object) -> bytes:
    """As bytes; functions of a script with what they are made of, because workers do not have the script."""
    packing: Any = import_module("distributed.protocol.pickle")
    return bytes(packing.dumps(shared))


def _unpacked(packed: bytes) -> Any:
    return pickle.loads(packed)


def _worked(work: Callable[[Any, Any], Any], shared: Any, task: Any) -> Any:
    """A task, on a worker's own thread."""
    token = _WORKER.set(True)
    try:
        return work(shared, task)
    finally:
        _WORKER.reset(token)
