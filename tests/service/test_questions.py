"""What cannot be worked out in time is not taken for an answer, for a wrong question, or for a change."""

from __future__ import annotations

import acts
import pytest
from desk import Desk

from sarvex.service.analysis import questions
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.editions import answer_history
from sarvex.service.errors import TooMuch

QUESTION = "petrel-bridge to tide-gateway on tide-feed"


@pytest.fixture
def slow_before(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> Desk:
    """Three edits that do nothing to the answer; of the network before the second one the answer takes too long."""
    for _ in range(3):
        key = desk.keys()[-1]
        act = "disable" if enabled(desk) else "enable"
        desk.act(lambda d, key=key, act=act: acts.change_rules(d, desk.policy_id, [(key.id, key.ver)], act))
    ask = questions.ask

    def slow(loaded: Loaded, text: str, seconds: float = questions.SECONDS) -> object:
        if loaded.stored.revision < 2:
            raise TooMuch("too many parts")
        return ask(loaded, text, seconds)

    monkeypatch.setattr(answer_history, "ask", slow)
    return desk


def enabled(desk: Desk) -> bool:
    return desk.read().network.policies[0].rules[-1].enabled


def test_since_when_stops_where_too_much_would_have_to_be_worked_out(slow_before: Desk) -> None:
    with slow_before.sessions() as session:
        told = answer_history.since(session, slow_before.cache.open(session, slow_before.id), QUESTION)
    assert (told.change, told.revision, told.whole, told.before) == (False, 2, False, None)


def test_a_question_that_takes_too_long_is_no_invalid_question(desk: Desk) -> None:
    with desk.sessions() as session:
        loaded = desk.cache.open(session, desk.id)
        with pytest.raises(TooMuch, match="too many parts"):
            questions.ask(loaded, "any to any", seconds=0)
        (pin,) = questions.pinned(loaded, None, [QUESTION], lambda: True)
        assert pin.before == pin.after == "allowed"
