"""Out and in again is the identity, for networks with something of everything."""

from __future__ import annotations

import random

import pytest
from whole import random_whole

from sarvex.core.meaning.check import problems
from sarvex.formats import document


@pytest.mark.parametrize("form", ["yaml", "json"])
def test_out_and_in_again_is_the_same(form: str, rng: random.Random) -> None:
    for _ in range(12):
        network = random_whole(rng)
        assert not problems(network)
        text = document.dump(network, form)
        again = document.load(text)
        assert again == network
        assert document.dump(again, form) == text
