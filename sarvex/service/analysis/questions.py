"""Questions asked of a network, as it is and as it would be. Nothing here writes."""

from __future__ import annotations

import time
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sarvex.core.change.effect import Superseded
from sarvex.core.findings.tidy import Tidied, tidy
from sarvex.core.firstmatch.rule_list import FirstMatch
from sarvex.core.forwarding.obstacles import Obstacles, obstacles
from sarvex.core.forwarding.walk import TooWide, Verdict, trace
from sarvex.core.meaning.names import Names, moments_of
from sarvex.core.model.problems import Problem
from sarvex.core.model.records import Network, Policy
from sarvex.core.time import moment_words
from sarvex.formats import answers, flow_table, questions
from sarvex.formats.answers import Reply
from sarvex.formats.flow_table import Table
from sarvex.formats.questions import Asked
from sarvex.service.analysis import turns
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.errors import NotFound, Refused, TooMuch

SECONDS = 8.0
"""How long a question is worked on."""
TOO_WIDE = "this falls into too many parts to be told in a moment; ask about fewer sources or destinations, or one service"
MANY_SECONDS = 30.0
"""How long many flows are."""


def ask(loaded: Loaded, text: str, seconds: float = SECONDS) -> Reply:
    """Answer a question in words. Raises `InvalidQuestion`, and `TooMuch` if that is not done in so many seconds."""
    asked = questions.parse(text, loaded.names)
    return _answer(loaded.network, loaded.names.at(asked.moment), asked, seconds)


def in_the_way(loaded: Loaded, text: str, part: int, seconds: float = SECONDS) -> Obstacles:
    """What stands in the way of the sample of a part of an answer, counted from 0; nothing if there is no such sample.

    Raises what `ask` raises.
    """
    asked = questions.parse(text, loaded.names)
    names = loaded.names.at(asked.moment)
    parts = _answer(loaded.network, names, asked, seconds).parts
    sample = parts[part].sample if part < len(parts) else None
    if sample is None:
        return Obstacles((), None)
    q = asked.question
    try:
        return obstacles(loaded.network, names, sample, q.without, q.entering, in_time(seconds))
    except TooWide:
        raise TooMuch(TOO_WIDE) from None


@dataclass(frozen=True)
class Pin:
    """A question as it is answered now and as it would be; None where it cannot be asked, or is too much to answer."""

    question: str
    before: Verdict | None
    after: Verdict | None
    sentence: str
    """The answer as it would be, or why there is none."""


def pinned(
    loaded: Loaded, after: Network | None, texts: Sequence[str], go_on: Callable[[], bool]
) -> list[Pin]:
    """Answer questions as things are and, if given, as they would be. Raises `Superseded`."""
    told = []
    for text in texts:
        if not go_on():
            raise Superseded
        try:
            asked = questions.parse(text, loaded.names)
        except questions.InvalidQuestion as error:
            told.append(Pin(text, None, None, error.message))
            continue
        names = loaded.names.at(asked.moment)
        try:
            now = _answer(loaded.network, names, asked)
            then = _answer(after, names, asked) if after is not None else now
        except TooMuch as error:
            told.append(Pin(text, None, None, str(error)))
            continue
        told.append(Pin(text, now.verdict, then.verdict, then.sentence))
    return told


def _answer(network: Network, names: Names, asked: Asked, seconds: float = SECONDS) -> Reply:
    try:
        found = trace(network, names, asked.question, in_time(seconds))
    except TooWide:
        raise TooMuch(TOO_WIDE) from None
    return answers.tell(asked, found, names)


def tidied(loaded: Loaded, policy_id: int, merge: bool, keep: Collection[int]) -> Tidied:
    """What tidying a policy would take out, but for the rules `keep`. Raises `NotFound`."""
    policy = policy_named(loaded, policy_id)
    keys = loaded.stored.rules.get(policy_id, ())
    names = [rule.name for rule, key in zip(policy.rules, keys, strict=True) if key.id in keep]
    return tidy(policy, loaded.names, merge, names)


def decide(loaded: Loaded, policy_id: int, text: str, at: str = "") -> Table:
    """Decide the flows of a CSV text in one policy, those that tell no moment `at` one in words.

    Raises `NotFound`, `Refused` for a table that is none and for words that mean no moment.
    """
    policy = policy_named(loaded, policy_id)

    def earlier(since: date) -> FirstMatch:
        return FirstMatch.of(policy, Names(loaded.network, moments_of(loaded.network, since)))

    return _table(loaded, at, lambda moment: flow_table.decide(text, loaded.ready(policy), earlier, moment))


def decide_through(loaded: Loaded, text: str, at: str = "", seconds: float = MANY_SECONDS) -> Table:
    """Decide the flows of a CSV text through the whole network. Raises `Refused` as `decide` does, and `TooMuch`."""
    network, names, go_on = loaded.network, loaded.names, in_time(seconds)
    try:
        return _table(loaded, at, lambda m: flow_table.decide_through(text, network, names, m, go_on))
    except TooWide:
        raise TooMuch(
            "these flows are of too many segments to be told in a moment; take fewer at a time"
        ) from None


def _table(loaded: Loaded, at: str, decide_at: Callable[[datetime | None], Table]) -> Table:
    """A table decided at a moment in words. Raises `Refused` for words that mean none, and for a table that is none."""
    try:
        return decide_at(moment_words.parse(at, loaded.names.moments.zone) if at.strip() else None)
    except moment_words.InvalidMoment as error:
        raise Refused([Problem(("at",), str(error))]) from None
    except flow_table.InvalidFlows as error:
        raise Refused([Problem(("flows",), str(error))]) from None


def in_time(seconds: float) -> Callable[[], bool]:
    """Whether to go on: until so many seconds are over, or whoever asked does not wait any more."""
    deadline, request = time.monotonic() + seconds, turns.asking.get()
    return lambda: time.monotonic() < deadline and request.go_on()


def policy_named(loaded: Loaded, policy_id: int) -> Policy:
    """The policy of an id. Raises `NotFound`."""
    policy = loaded.stored.policy_of(policy_id)
    if policy is None:
        raise NotFound("there is no such policy")
    return policy
