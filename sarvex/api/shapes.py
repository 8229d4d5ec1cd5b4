"""What the API takes and gives. Concepts of the model are the core's own records; here is only what wraps them."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated, Any, Generic, Literal, TypeVar

from pydantic import AfterValidator, AwareDatetime, BaseModel, ConfigDict, Field

from sarvex.core.forwarding.paths import Result
from sarvex.core.model.edits import (
    ChangeDefault,
    ChangeMember,
    Delete,
    Insert,
    Move,
    Place,
    Switch,
    Write,
)
from sarvex.core.model.records import (
    Default,
    Device,
    Host,
    Interface,
    Member,
    Name,
    Note,
    Rule,
    Schedule,
    Section,
    Segment,
    Stage,
    Words,
    Zone,
)
from sarvex.core.model.records import Field as ModelField
from sarvex.formats.member_text import MOST_TEXT
from sarvex.service.people.accounts import Role
from sarvex.store.things import AtHosts, Clock


def _utc(moment: datetime) -> datetime:
    """The records keep moments in UTC and without saying so."""
    return moment.replace(tzinfo=UTC) if moment.tzinfo is None else moment


Moment = Annotated[datetime, AfterValidator(_utc)]


class Strict(BaseModel):
    """Input: keys it does not know are refused."""

    model_config = ConfigDict(extra="forbid")


class SignIn(Strict):
    login: str = Field(max_length=200)
    password: str = Field(max_length=1000)
    code: str = Field(default="", max_length=20)
    """Of the second factor, if there is one."""


class Proof(Strict):
    """One's own password once more."""

    password: str = Field(max_length=1000)
    code: str = Field(default="", max_length=20)


class SecondFactorOffered(BaseModel):
    """What an app needs to make codes. It is asked for once it was confirmed with one."""

    secret: str
    picture: str


class Code(Strict):
    code: str = Field(max_length=20)


class Health(BaseModel):
    """`waiting`: requests that wait for their turn; `longest_wait`: seconds for which the short one that came first has."""

    status: Literal["ok"]
    waiting: int
    longest_wait: float


class Me(BaseModel):
    login: str
    name: str
    role: Role
    csrf: str
    second_factor: bool
    given: bool
    """Whether the password must be changed before anything else."""


class ChangePassword(Strict):
    old: str = Field(max_length=1000)
    new: str = Field(max_length=1000)


class SessionOut(BaseModel):
    """An open session; `handle` names it, `own` is the one that asks."""

    handle: str
    created_at: Moment
    seen_at: Moment | None
    client: str
    own: bool


class PersonOut(BaseModel):
    id: int
    login: str
    name: str
    role: Role
    closed: bool
    created_at: Moment
    seen_at: Moment | None
    sessions: int
    second_factor: bool
    given: bool
    """Whether the password was given by an administrator and is not changed yet."""


class AddPerson(Strict):
    login: str = Field(max_length=100)
    name: str = Field(default="", max_length=200)
    role: Role
    password: str = Field(max_length=1000)


class ChangePerson(Strict):
    """What is left out stays as it is."""

    name: str | None = Field(default=None, max_length=200)
    role: Role | None = None
    closed: bool | None = None
    password: str | None = Field(default=None, max_length=1000)
    second_factor: Literal[False] | None = None
    """`false` takes it away, from somebody who lost it."""


class NetworkLine(BaseModel):
    id: int
    name: str
    description: str
    revision: int


class FindingOut(BaseModel):
    kind: str
    weight: Literal["error", "warning", "note"]
    policy: str | None
    rule: str | None
    text: str
    by: list[str]
    name: str | None
    field: ModelField | None
    members: list[str]
    """Members of that field of the rule that could go."""
    when: str
    """At which moments it holds; nothing: always."""


class PlacedFinding(FindingOut):
    """A finding with the records it is about."""

    policy_id: int | None
    rule_id: int | None
    name_id: int | None
    name_kind: Literal["address", "service", "host", "segment", "schedule"] | None
    position: int | None


class AttachmentOut(BaseModel):
    """Where a policy is consulted: at a stage of a device, or (no device) at hosts, named in `entering`."""

    device: str | None
    stage: Stage
    entering: list[str]
    leaving: list[str]


class PolicyLine(BaseModel):
    id: int
    name: str
    description: str
    default: Default
    rules: int
    pending: bool
    """Whether what its rules decide is still being worked out."""
    warnings: int
    attachments: list[AttachmentOut]


class NetworkOut(NetworkLine):
    policies: list[PolicyLine]


class NameOut(BaseModel):
    """A name that a rule can refer to, with what it stands for."""

    id: int
    name: str
    kind: Literal["host", "segment", "addresses", "service"]
    members: list[str]
    values: list[str]
    more: int
    description: str
    uses: int
    same: list[str]
    """Other names that stand for the same."""
    nearly: list[str]
    """Other names whose value differs by two swapped digits."""


class MembersText(Strict):
    """What was typed or pasted into a field of addresses or services."""

    space: Literal["address", "service"]
    text: str = Field(max_length=MOST_TEXT)


class MemberRead(BaseModel):
    """One member of a text: as it was written, what it is here, and what is wrong with it, if anything is."""

    text: str
    member: str
    problem: str


class KnownService(BaseModel):
    """A well-known service; an offer until somebody takes it into the network."""

    name: str
    members: list[str]
    words: str


class UseOut(BaseModel):
    """One place that names something; a rule, or another name."""

    policy: str | None
    policy_id: int | None
    rule_id: int | None
    owner: str
    field: str


class UseThrough(UseOut):
    """A use through groups: the name's own group first."""

    groups: list[str]


class NameDetail(NameOut):
    """A name to be edited: all its members, its version, and where it is used."""

    ver: int
    all_members: list[str]
    traits: list[str]
    """Of a host: what it is. Of an address object: what its hosts are chosen by."""
    notes: list[Note]
    used: list[UseOut]
    through: list[UseThrough]
    """Uses through groups that contain it, which are not direct uses as well."""


class NameIn(Strict):
    name: Name
    members: list[Member]
    traits: list[Member] = []
    notes: list[Note] = []
    description: Words = ""


class AddName(Strict):
    kind: Literal["addresses", "service"]
    thing: NameIn
    request_key: str | None = Field(default=None, max_length=64)


class ChangeName(Strict):
    """The object as it should be: its members are replaced by these."""

    thing: NameIn
    ver: int
    request_key: str | None = Field(default=None, max_length=64)


class ChangeMembers(Strict):
    """Members to add and to take out; the others stay."""

    add: list[str] = []
    remove: list[str] = []
    ver: int
    request_key: str | None = Field(default=None, max_length=64)


class ReplaceName(Strict):
    by: str
    ver: int
    request_key: str | None = Field(default=None, max_length=64)


class Done(BaseModel):
    """What an act on the whole network did."""

    act: str
    revision: int


class NameDone(Done):
    id: int | None


class Difference(BaseModel):
    what: str
    before: str | None
    after: str | None


class HistoryEntry(BaseModel):
    revision: int
    at: Moment
    person: str
    act: str
    differences: list[Difference]


class FlowOut(BaseModel):
    text: str
    question: str
    """The same flow as a question for the ask line."""


class RuleRef(BaseModel):
    """Another rule, or the default (no id, no position)."""

    id: int | None
    name: str
    position: int | None


class StarvedOut(BaseModel):
    """A rule that would decide nothing any more if the new one stood at `until` or above."""

    rule: RuleRef
    until: int


class AdviceOut(BaseModel):
    """See `sarvex.core.change.positions.Advice`."""

    all_until: int
    some_until: int
    best: int
    starves: list[StarvedOut] = []


class Decided(BaseModel):
    """What a rule decides at its place."""

    decides: Literal["all", "part", "none", "undecided", "pending"]
    """`pending`: a long list is still being worked out; nothing is known yet."""
    kind: Literal["shadowed", "redundant"] | None
    cause: Literal["earlier", "later"] | None
    by: list[RuleRef]
    by_count: int
    taken: FlowOut | None
    witness: FlowOut | None
    exception_of: list[str]
    works: AdviceOut | None
    """Where a dead rule would work; null for live ones, and where more rules take from it than are listed."""


class RuleRow(Decided):
    id: int
    ver: int
    position: int
    rule: Rule
    findings: list[FindingOut]


class TidyStep(BaseModel):
    """One rule that could go; for a merge `by` takes over its members in `field`."""

    rule: RuleRef
    why: Literal["matches nothing", "decided earlier", "same later", "merged"]
    by: list[RuleRef]
    field: ModelField | None
    text: str


class ToTidy(BaseModel):
    """The steps from last to first; all of them together change nothing."""

    revision: int
    steps: list[TidyStep]
    undecided: list[str]
    left: int


class Tidy(Strict):
    """Rules that are to go, by id. `into`: those that may take over members of them."""

    rules: list[int] = Field(min_length=1, max_length=100_000)
    into: list[int] = Field(default=[], max_length=100_000)
    merge: bool = False
    request_key: str | None = Field(default=None, max_length=64)


class Flows(Strict):
    """Flows as CSV (RFC 4180); those that tell no moment are meant `at` one, in words, if it is given."""

    text: str = Field(max_length=20_000_000)
    at: str = Field(default="", max_length=100)


class Decider(BaseModel):
    """How many flows a rule, the default (no id) or nothing (`error`) decided."""

    verdict: str
    rule: RuleRef
    flows: int


class DecidedFlows(BaseModel):
    """The flows with verdict, rule and policy, the first of them as rows, all of them as CSV."""

    revision: int
    columns: list[str]
    rows: list[list[str]]
    total: int
    errors: int
    deciders: list[Decider]
    csv: str


class PolicyOut(PolicyLine):
    revision: int
    families: Literal["both", "4", "6"]
    rows: list[RuleRow]
    sections: list[SectionOut]
    default_decides: Literal["all", "part", "none", "undecided", "pending"]
    default_witness: FlowOut | None
    findings: list[FindingOut]


T = TypeVar("T")


class AddThing(Strict, Generic[T]):
    """A new thing. `parent_id`: the device of an interface."""

    thing: T
    parent_id: int = 0
    request_key: str | None = Field(default=None, max_length=64)


class ChangeThing(Strict, Generic[T]):
    """A thing as it should be, over the version that was read."""

    thing: T
    ver: int
    request_key: str | None = Field(default=None, max_length=64)


class ThingDone(BaseModel):
    revision: int
    id: int | None


class Held(BaseModel, Generic[T]):
    """A thing with its identity and version."""

    id: int
    ver: int
    thing: T


class BetweenZones(BaseModel):
    """What a device does by default with traffic from one zone to another."""

    entering: str
    leaving: str
    default: Literal["open", "closed"]


class HeldDevice(Held[Device]):
    interfaces: list[Held[Interface]]
    between: list[BetweenZones]


class PolicyHead(BaseModel):
    """A policy without its rules."""

    id: int
    ver: int
    name: str
    description: str
    default: Default
    families: Literal["both", "4", "6"]
    rules: int


class GroundOut(BaseModel):
    revision: int
    zones: list[Held[Zone]]
    segments: list[Held[Segment]]
    hosts: list[Held[Host]]
    devices: list[HeldDevice]
    policies: list[PolicyHead]
    at_hosts: Held[AtHosts]
    findings: list[FindingOut]


class BringIn(Strict):
    """Something to bring into a network. `device`: whose interfaces and routes a device document tells."""

    form: Literal["document", "csv", "device", "lists"]
    text: str
    device: str = Field(default="", max_length=200)
    request_key: str | None = Field(default=None, max_length=64)


class NewNetwork(Strict):
    """A whole network as a document."""

    text: str


class DifferenceOut(BaseModel):
    """One thing that would change."""

    section: str
    name: str
    change: Literal["added", "removed", "changed"]
    what: list[str]


class BringInAt(BringIn):
    """`revision`: the one at which it was looked at."""

    revision: int


class ToCome(BaseModel):
    """What bringing it in would change, and what the text could not tell."""

    notes: list[str]
    differences: list[DifferenceOut]
    revision: int


class SpanOut(BaseModel):
    """Part of a day: minutes since midnight by the clock, half-open."""

    start: int
    end: int


class DayOut(BaseModel):
    """One date of a schedule."""

    date: str
    active: list[SpanOut]
    excepted: list[SpanOut]
    """Within its windows and dates, but for an exception."""
    beyond: bool
    """Whether it is before the first date or after the last."""
    skipped: list[SpanOut]
    """What the clock does not show on this date."""
    repeated: list[SpanOut]
    """What it shows twice."""


class WeekIn(Strict):
    """A schedule that may not be written yet, and a date of the week to show; no date: this week."""

    schedule: Schedule
    date: str = Field(default="", max_length=10)


class WeekOut(BaseModel):
    """How a schedule goes in one week. Nothing is told while there are problems."""

    problems: list[ProblemOut]
    today: str
    days: list[DayOut]
    echoes: list[str]
    """Windows that run into the next day, in words."""
    moments: list[str]
    """All its moments from today on, as dates and windows."""
    now: bool
    changes: Moment | None
    """When it next begins or ends, if that is within a year."""


class ScheduleLine(BaseModel):
    id: int
    ver: int
    thing: Schedule
    used: list[UseOut]
    now: bool
    over: bool
    """Whether it will never be active again."""
    changes: Moment | None


class SchedulesOut(BaseModel):
    revision: int
    clock: Held[Clock]
    now: str
    """What the network's clock shows."""
    schedules: list[ScheduleLine]


class MakeEdition(Strict):
    """`comment`: what it is for."""

    comment: str = Field(max_length=2000)


class EditionMade(BaseModel):
    number: int


class RestoreEdition(Strict):
    """`revision`: that of the draft when the effect was looked at."""

    revision: int
    request_key: str | None = Field(default=None, max_length=64)


class EditionOut(BaseModel):
    number: int
    comment: str
    person: str
    made_at: Moment
    revision: int
    """The draft's, when it was made."""
    root: str
    """SHA-256 over all that it holds."""


class EditionsOut(BaseModel):
    revision: int
    editions: list[EditionOut]


class AddRule(Strict):
    rule: Rule
    place: Place
    request_key: str | None = Field(default=None, max_length=64)


class ChangeRule(Strict):
    """`place`: where it goes, if not where it is."""

    rule: Rule
    ver: int
    place: Place | None = None
    request_key: str | None = Field(default=None, max_length=64)


class MoveRule(Strict):
    place: Place
    ver: int
    request_key: str | None = Field(default=None, max_length=64)


class ManyRules(Strict):
    """One act on several rules, by id and version: all of it or nothing, one step of undo."""

    rules: list[tuple[int, int]] = Field(min_length=1, max_length=20_000)
    act: Literal["enable", "disable", "delete", "move", "add member", "remove member"]
    place: Place | None = None
    field: ModelField | None = None
    member: str | None = Field(default=None, max_length=300)
    request_key: str | None = Field(default=None, max_length=64)


class SectionIn(Strict):
    """A section that begins at a rule, or (null) at the end of the list."""

    section: Section
    before_id: int | None = None
    request_key: str | None = Field(default=None, max_length=64)


class ChangeSection(Strict):
    section: Section
    ver: int
    request_key: str | None = Field(default=None, max_length=64)


class SectionOut(BaseModel):
    """A section by the position of the rule it begins at; one past the last rule if it is empty there."""

    id: int
    ver: int
    name: str
    description: str
    begins: int


class Edited(BaseModel):
    """The policy after an edit; `rule_id` is the rule it was about."""

    rule_id: int | None
    policy: PolicyOut


class ProblemOut(BaseModel):
    path: list[str | int]
    place: str
    message: str


EditIn = Annotated[
    Insert | Write | Move | Delete | Switch | ChangeMember | ChangeDefault, Field(discriminator="act")
]
"""An edit of a policy that is not made yet; its rules are told by id."""


class Asking(Strict):
    """Who asks, and the how-manieth question it is: a newer one of the same asker ends the work on this."""

    asker: str = Field(default="", max_length=64)
    generation: int = 0


class AskingEffect(Asking):
    """How long each effect may be worked on, in seconds; what is not settled by then is told to be left."""

    patience: float = Field(default=0.08, ge=0, le=10)


class AskEffect(AskingEffect):
    edit: EditIn


class AskPins(Asking):
    """Questions to answer as things are, and as if an edit of a policy were made."""

    policy_id: int | None = None
    edit: EditIn | None = None
    questions: list[str] = Field(max_length=20)


class AskNameEffect(AskingEffect):
    """An address or service object as it should be."""

    thing: NameIn


class AskThingEffect(AskingEffect, Generic[T]):
    """A thing as it should be."""

    thing: T


class ChangeOut(BaseModel):
    """Packets that would be treated in another way. `after` may be a rule that is not there yet (no id)."""

    change: Literal[
        "newly allowed", "newly blocked", "newly passed on", "blocked differently", "logged differently"
    ]
    source: list[str]
    destination: list[str]
    service: list[str]
    states: list[str]
    when: str
    """At which moments; nothing: always."""
    before: RuleRef
    after: RuleRef
    logged_before: bool
    logged_after: bool
    witness: FlowOut


class PolicyEffect(BaseModel):
    """What an edit does in one policy: `changes`, so many `more` parts, and (if not complete) perhaps others.

    Without `policy_id` it is about a place where other policies are consulted: `name` tells it, and the rules are told
    with their policies.
    """

    policy_id: int | None
    name: str
    equal: bool | None
    complete: bool
    changes: list[ChangeOut]
    more: int


class RenameOut(BaseModel):
    """A name that became another; `policy` for rules."""

    section: str
    old: str
    new: str
    policy: str


class ComparisonOut(BaseModel):
    """Two versions: what differs as it is written, and what that does. `outside` differs and its effect is not told.

    `renames` have no effect. `come` and `go` are findings; null: the lists are too long to be asked.
    """

    revision: int
    before: str
    after: str
    equal: bool | None
    complete: bool
    renames: list[RenameOut]
    differences: list[DifferenceOut]
    policies: list[PolicyEffect]
    outside: list[str]
    come: list[FindingOut] | None
    go: list[FindingOut] | None


class LookOut(BaseModel):
    """The rule an edit is about, where it would stand."""

    position: int
    decided: Decided
    advice: AdviceOut | None
    expands: dict[str, list[str]]
    hints: list[str]
    """What may not be meant."""


class ConsequenceOut(BaseModel):
    """What an edit would do. Nothing is told while there are problems."""

    generation: int
    revision: int
    problems: list[ProblemOut]
    policies: list[PolicyEffect]
    look: LookOut | None
    come: list[FindingOut]
    go: list[FindingOut]
    """Warnings about rules of a policy that an edit of it brings, and that it mends; of long lists none are told."""


class PinOut(BaseModel):
    """A question answered as things are and as they would be; null where it cannot be asked (any more)."""

    question: str
    before: Literal["allowed", "blocked", "some", "undetermined", "empty"] | None
    after: Literal["allowed", "blocked", "some", "undetermined", "empty"] | None
    sentence: str


class PinsOut(BaseModel):
    generation: int
    pins: list[PinOut]


class StepOut(BaseModel):
    device: str
    stage: str
    policy: str | None
    policy_id: int | None
    rule: str | None
    rule_id: int | None
    position: int | None
    action: Literal["allow", "drop", "reject"]


class PartOut(BaseModel):
    result: Result
    symptom: str
    sources: list[str]
    destinations: list[str]
    services: list[str]
    more_services: int
    when: str
    """At which moments; nothing: always."""
    steps: list[StepOut]
    missing: str | None
    sample: FlowOut | None


class AnswerOut(BaseModel):
    question: str
    source: str
    destination: str
    service: str
    state: str
    at: str | None
    """The moment asked about, on the network's clock."""
    open: Literal["who", "where", "what"] | None
    verdict: Literal["allowed", "blocked", "some", "undetermined", "empty"]
    sentence: str
    parts: list[PartOut]
    revision: int
    of: str
    """The version it was asked of."""
    in_force: str | None
    """The answer of what is in force, if that is another verdict than the draft's."""
    since: SinceOut | None


class SinceOut(BaseModel):
    """The change that made an answer what it is. Without one (`change` false) it has been so since `revision`, which is
    the beginning if `whole`."""

    revision: int
    change: bool
    act: str
    person: str
    at: Moment | None
    before: str | None
    """The answer before it; null: it could not be asked then."""
    whole: bool


class SuggestionOut(BaseModel):
    insert: str
    kind: str
    detail: str
    start: int


class Problem(BaseModel):
    """An error as RFC 9457 has it, with our own members."""

    type: str
    title: str
    status: int
    detail: str
    problems: list[ProblemOut] = []
    start: int | None = None
    end: int | None = None
    kind: str | None = None
    row_id: int | None = None


# Releases ------------------------------------------------------------------------------------------------------------


class GuardOut(BaseModel):
    """What stands against a release: it `stops` it, it `wants a reason`, or it is only told."""

    key: str
    weight: Literal["stops", "wants a reason", "told"]
    text: str


class ProspectOut(BaseModel):
    """What bringing a version into force would do, and what stands against it. Nothing is told if nothing is in force."""

    revision: int
    before: int | None
    guards: list[GuardOut]
    told: ComparisonOut | None


class SettingsIn(Strict):
    """What a network asks of its releases."""

    reviewers: int = Field(ge=0, le=2)
    confirm_minutes: int = Field(ge=0, le=1440)
    managed_from: list[Annotated[str, Field(min_length=1, max_length=200)]] = Field(max_length=20)
    second_factor: bool = False


class SettingsOut(BaseModel):
    reviewers: int
    confirm_minutes: int
    managed_from: list[str]
    second_factor: bool


class DeviceStateOut(BaseModel):
    device: str
    state: Literal["waiting", "done", "failed", "untouched"]
    detail: str
    tries: int
    at: Moment


class ReleaseOut(BaseModel):
    """One release as it stands."""

    number: int
    edition: int
    before: int | None
    state: Literal[
        "planned",
        "being sent",
        "stuck",
        "to be confirmed",
        "in force",
        "going back",
        "stuck going back",
        "gone back",
        "called off",
        "held up",
    ]
    reason: str
    reference: str
    answers: dict[str, str]
    person: str
    asked_at: Moment
    due_at: Moment
    began_at: Moment | None
    confirm_minutes: int
    confirm_by: Moment | None
    ended_at: Moment | None
    note: str
    devices: list[DeviceStateOut]


class ReleasesOut(BaseModel):
    """What is in force, what the releases were, and what they need. `now` is the server's clock."""

    in_force: int | None
    ahead: int
    """Edits of the draft since what is in force was kept, or since the beginning; 0 if nothing differs."""
    devices: int
    """So many follow what is in force, and so many are known to have it."""
    reached: int
    revision: int
    now: Moment
    settings: SettingsOut
    releases: list[ReleaseOut]


class MakeRelease(Strict):
    """Release an edition, or (null) the draft of a revision. `answers` are written reasons, by the guard's key."""

    number: int | None = Field(default=None, ge=1)
    revision: int
    reason: str = Field(max_length=4000)
    reference: str = Field(default="", max_length=200)
    due_at: AwareDatetime | None = None
    confirm_minutes: int | None = Field(default=None, ge=0, le=1440)
    answers: dict[Annotated[str, Field(max_length=600)], Annotated[str, Field(max_length=4000)]] = Field(
        default={}, max_length=200
    )
    request_key: str | None = Field(default=None, max_length=64)


class ReleaseMade(BaseModel):
    number: int


class LinkIn(Strict):
    """Where a device takes its configuration. The password is in a file of the server that `secret` names."""

    address: str = Field(max_length=500)
    login: str = Field(max_length=100)
    secret: str = Field(pattern=r"^[\w.-]{1,100}$")


class LinkOut(BaseModel):
    device_id: int
    device: str
    address: str
    login: str
    secret: str


class DeviceDifference(BaseModel):
    what: str
    how: str


class DriftOut(BaseModel):
    """What a device had beside what is in force, when it was asked. `failed`: why it could not be asked."""

    at: Moment
    edition: int | None
    differences: list[DeviceDifference]
    failed: str | None


# Reviews -------------------------------------------------------------------------------------------------------------


class SignatureOut(BaseModel):
    """Somebody stands for what the draft does. It counts `as signed` and with the `same effect`."""

    id: int
    person: str
    own: bool
    at: Moment
    remark: str
    standing: Literal["as signed", "same effect", "lapsed", "own edits", "password given"]
    lapsed: ComparisonOut | None
    """What changed since it was signed, if it lapsed."""


class ContributorOut(BaseModel):
    person: str
    edits: int
    last: Moment


class RemarkOut(BaseModel):
    id: int
    policy_id: int | None
    rule_id: int | None
    about: str
    person: str
    at: Moment
    text: str
    settled: bool


class ReviewOut(BaseModel):
    """Who stands for the draft, and who contributed to it."""

    revision: int
    needed: int
    may_not: str
    """Why you may not sign; nothing if you may."""
    signatures: list[SignatureOut]
    contributors: list[ContributorOut]


class SignDraft(Strict):
    revision: int
    remark: str = Field(default="", max_length=4000)


class MakeRemark(Strict):
    text: str = Field(max_length=4000)
    rule_id: int | None = None


class SettleRemark(Strict):
    settled: bool


# Audit ---------------------------------------------------------------------------------------------------------------


class AuditOut(BaseModel):
    """One entry: who did what when. `rows` tell what a change did to each row."""

    id: int
    at: Moment
    network_id: int | None
    person: str
    act: str
    about: str
    detail: dict[str, Any]
    rows: list[AuditRow]
    digest: str


class AuditRow(BaseModel):
    kind: str
    name: str
    differences: list[Difference]


class AuditCheck(BaseModel):
    """Whether the chain holds; `broken` is the first entry that does not."""

    entries: int
    head: str
    broken: int | None
    why: str
