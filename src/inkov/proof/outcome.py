"""What comes of a claim. Three small types, so that nothing has to be read off a flag."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from enum import Enum
from typing import Any, ClassVar, Self, TypeAlias

from inkov.forwarding.ladder import Lost
from inkov.kinds.relay import Domain, Tags, View
from inkov.model.campus import Claim
from inkov.model.names import PortRef
from inkov.model.routing import Gateway, Ip
from inkov.model.source import Source


class Fact(str):
    """A fact that would decide a claim, as a sentence part.

    Attributes:
        settled: what states it, with the likeliest value: keys of a switch file by the name of the switch; empty where
            no file can.
    """

    settled: Mapping[str, Mapping[str, Any]]

    def __new__(cls, text: str, settled: Mapping[str, Mapping[str, Any]]) -> Self:
        """Makes it of its text."""
        fact = super().__new__(cls, text)
        fact.settled = settled
        return fact


@dataclass(frozen=True, slots=True)
class Turn:
    """A packet at a device that routes it on.

    Attributes:
        device: which.
        into: the gateway it comes in by.
        out: the gateway it goes out by; None when not known.
        origin: its source address, as an example.
        target: its destination.
        by: filter entries and routes that let it through, in words.
        places: where those stand.
        doubts: what of it is not sure.
    """

    device: str
    into: Gateway
    out: Gateway | None
    origin: Ip
    target: Ip
    by: tuple[str, ...] = ()
    places: tuple[Source | None, ...] = ()
    doubts: tuple[str, ...] = ()

    def doubting(self, doubt: str) -> Turn:
        """Returns the turn with one more doubt."""
        return replace(self, doubts=(*self.doubts, doubt))


@dataclass(frozen=True, slots=True)
class Passage:
    """A frame inside one switch, on its way.

    Attributes:
        switch: where.
        domain: the VLAN it is in there.
        by: the port it came in by; None when a gateway of the switch itself sent it.
        arrived: the tags it had when it came in; None when not known.
        out: the port it leaves by; None when it is for a gateway of the switch itself.
        leaves: the tags it leaves with; None when not known.
        sources: the settings that let it in and out.
        foreign: the format of its tags, where that is not IEEE 802.1Q.
    """

    switch: str
    domain: Domain
    by: PortRef | None
    arrived: Tags | None
    out: PortRef | None
    leaves: Tags | None
    sources: tuple[Source, ...] = ()
    foreign: str = ""


@dataclass(frozen=True, slots=True)
class Witness:
    """A way from a port of one segment to a port of another, shortest first; packets take turns at gateways.

    Attributes:
        start: segment it starts in.
        end: segment it arrives in.
        way: the switches it passes, and at layer 3 the devices that route it, in order.
        both: the way back is open, too; None where that is not certain, while this way is.
        unknown: why it is not certain; empty when it is.
    """

    start: str
    end: str
    way: tuple[Passage | Turn, ...]
    both: bool | None = False
    unknown: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Stop:
    """Two ports of a segment of which one cannot hear the other.

    Attributes:
        sender: a port whose frames do not arrive.
        hearer: the port that does not hear them.
        link: the link where they stop, as text; empty when no link joins the parts.
        lost: what fails there.
        why: what stops them, where it is no link.
        blames: the ports that do, where those are not the two.
    """

    sender: PortRef
    hearer: PortRef
    link: str = ""
    lost: Lost | None = None
    why: str = ""
    blames: tuple[PortRef, ...] = ()


class Ask(Enum):
    """What is wanted to know of an `apart`: the less, the sooner it is told.

    Of `ANY` and `SURE` the other two outcomes may be taken for each other.
    """

    _value_: tuple[View, ...]

    WHOLE = (View.MUST, View.MAY)
    """Every pair that meets, and how."""
    ANY = (View.MAY,)
    """Whether it is proved: one way that may be open is enough."""
    SURE = (View.MUST,)
    """Whether it is broken: ways that may be open do not count."""

    @property
    def views(self) -> tuple[View, ...]:
        """The views in which ways are looked for, in this order."""
        return self._value_


@dataclass(frozen=True, slots=True)
class Proved:
    """The claim holds.

    Attributes:
        why: the facts that the proof is made of, a short sentence each.
        assumed: what it rests on that the input does not state.
    """

    word: ClassVar[str] = "proved"
    badness: ClassVar[int] = 0

    why: tuple[str, ...]
    assumed: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Broken:
    """The claim does not hold.

    Attributes:
        witnesses: for `apart`, a shortest way for each pair of segments that meets.
        stop: for `together`, where frames stop.
        failures: the cables and switches that have to fail for that; none when it is so today.
    """

    word: ClassVar[str] = "broken"
    badness: ClassVar[int] = 2

    witnesses: tuple[Witness, ...] = ()
    stop: Stop | None = None
    failures: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class CannotTell:
    """The input does not say enough.

    Attributes:
        missing: the facts that would decide it, one sentence each.
        witnesses: ways that may be open, for `apart`.
    """

    word: ClassVar[str] = "cannot tell"
    badness: ClassVar[int] = 1

    missing: tuple[str, ...]
    witnesses: tuple[Witness, ...] = ()


Outcome: TypeAlias = Proved | Broken | CannotTell
"""What came of a claim. Each has a `word` for people, and a `badness` by which two are compared: a higher one is worse."""


@dataclass(frozen=True, slots=True)
class Verdict:
    """A claim and what came of it."""

    claim: Claim
    outcome: Outcome
