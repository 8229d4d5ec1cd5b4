"""What is kept is bounded, and is what it was made of, whoever else asks or drops things meanwhile."""

from __future__ import annotations

import gc
import sys
import threading

from sarvex.core.sets.cache import Bounded, ByIdentity


def test_no_more_is_kept_than_is_said() -> None:
    kept: Bounded[int, int] = Bounded(10)
    for n in range(100):
        assert kept.get(n, lambda n=n: n * n) == n * n  # type: ignore[misc]
    assert len(kept) == 10
    assert dict(kept.items()) == {n: n * n for n in range(90, 100)}


def test_who_asks_often_is_kept() -> None:
    kept: Bounded[int, list[int]] = Bounded(10)
    first = kept.get(0, list)
    for n in range(1, 100):
        kept.get(n, list)
        assert kept.get(0, list) is first


def test_two_who_make_the_same_at_once_get_one_thing() -> None:
    kept: Bounded[str, list[int]] = Bounded(10)

    def make() -> list[int]:
        kept.get("a", lambda: [1])  # somebody else is quicker
        return [2]

    assert kept.get("a", make) is kept.get("a", list)
    assert kept.get("a", list) == [1]


def test_an_id_that_is_used_again_is_not_taken_for_what_had_it_before() -> None:
    """CPython gives the next list of the same size the place of the one just freed, unless the cache still holds it."""
    kept: ByIdentity[int] = ByIdentity(1000)
    for n in range(200):
        thing = [n]
        assert kept.get((thing,), lambda n=n: n) == n  # type: ignore[misc]
        assert sys.getrefcount(thing) > 2
        del thing
        gc.collect(0)


def test_others_may_drop_what_one_has_just_made() -> None:
    kept: ByIdentity[int] = ByIdentity(2)
    wrong: list[object] = []
    end = threading.Event()

    def churn(low: int) -> None:
        n = low
        while not end.is_set():
            n += 1
            thing = [n]
            if kept.get((thing,), lambda n=n: n) != n:  # type: ignore[misc]
                wrong.append(n)

    old = sys.getswitchinterval()
    sys.setswitchinterval(1e-6)
    threads = [threading.Thread(target=churn, args=(k * 10**9,)) for k in range(4)]
    for thread in threads:
        thread.start()
    end.wait(0.5)
    end.set()
    for thread in threads:
        thread.join()
    sys.setswitchinterval(old)
    assert not wrong
