"""Stepping aside while something is worked on elsewhere."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import Future
from contextlib import contextmanager

import pytest

from sarvex.service.analysis import turns


@pytest.fixture
def steps() -> Iterator[list[str]]:
    taken: list[str] = []

    @contextmanager
    def aside() -> Iterator[None]:
        taken.append("aside")
        try:
            yield
        finally:
            taken.append("back")

    token = turns.aside.set(aside)
    yield taken
    turns.aside.reset(token)


def test_nobody_steps_aside_for_what_is_there(steps: list[str]) -> None:
    work: Future[int] = Future()
    work.set_result(7)
    assert (turns.waited_for(work), steps) == (7, [])


def test_whoever_waits_in_vain_comes_back_too(steps: list[str]) -> None:
    with pytest.raises(TimeoutError):
        turns.waited_for(Future[int](), 0.01)
    assert steps == ["aside", "back"]


def test_whoever_only_looks_does_not_step_aside_and_queue_again(steps: list[str]) -> None:
    with pytest.raises(TimeoutError):
        turns.waited_for(Future[int](), 0)
    assert steps == []
