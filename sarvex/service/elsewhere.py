"""Work in a process of its own: it does not slow down whoever waits for something else, and it can be ended."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from concurrent.futures import Future
from multiprocessing import get_context
from multiprocessing.connection import Connection
from threading import Thread
from typing import Any, Generic, TypeVar

T = TypeVar("T")
_CONTEXT = get_context("spawn")


class Elsewhere(Generic[T]):
    """A call of a module's function with values that can be pickled. `future` has its result or error.

    The process is the server's child and ends with it.
    """

    def __init__(self, function: Callable[..., T], *values: Any) -> None:
        self.future: Future[T] = Future()
        here, there = _CONTEXT.Pipe(duplex=False)
        self._process = _CONTEXT.Process(target=_run, args=(there, function, values), daemon=True)
        Thread(target=self._wait, args=(here, there), daemon=True).start()

    def end(self) -> None:
        """Stop working on it; whoever waits is told that it was cancelled."""
        if self.future.cancel() and self._process.is_alive():
            self._process.terminate()

    def _wait(self, here: Connection, there: Connection) -> None:
        if self.future.cancelled():
            return
        self._process.start()
        there.close()
        try:
            fine, result = here.recv()
        except EOFError:
            fine, result = False, RuntimeError("the work was ended")
        self._process.join()
        with contextlib.suppress(Exception):  # cancelled meanwhile
            if fine:
                self.future.set_result(result)
            else:
                self.future.set_exception(result)


def _run(there: Connection, function: Callable[..., Any], values: tuple[Any, ...]) -> None:
    try:
        result = (True, function(*values))
    except Exception as error:
        result = (False, error)
    there.send(result)
    there.close()
