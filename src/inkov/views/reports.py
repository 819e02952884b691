"""Proofs as plain data, with every place and VLAN list as text."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from inkov.forwarding.ladder import Rung
from inkov.kinds.relay import vid_of
from inkov.model.campus import Apart, Facing, Together
from inkov.proof.grid import Grid
from inkov.proof.outcome import Broken, CannotTell, Passage, Proved, Stop, Turn, Verdict, Witness
from inkov.proof.sentences import sentence
from inkov.proof.settle import lines


@dataclass(frozen=True, slots=True)
class PassageView:
    """A frame inside one switch: by which port it came with which tags, its VLAN there, how it leaves, and why it may.

    `by` is empty where a gateway of the switch itself sent it, and `out` where one takes it. `arrived` and `leaves` are the VIDs on the frame, outermost first; null when not known.
    `foreign` names the format of these tags where it is not 802.1Q.
    """

    switch: str
    vlan: int
    by: str
    arrived: tuple[int, ...] | None
    out: str
    leaves: tuple[int, ...] | None
    sources: tuple[str, ...]
    foreign: str = ""


@dataclass(frozen=True, slots=True)
class TurnView:
    """A packet at a device that routes it on: gateways, an example of its own addresses, and what lets it through.

    `out_vlan` is null where it goes out untagged by a routed port, or it is not known where.
    """

    device: str
    in_vlan: int | None
    in_address: str
    out_vlan: int | None
    out_address: str
    source: str
    target: str
    passed: tuple[str, ...]
    sources: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class WitnessView:
    """A way that breaks a claim, or may; `unknown` says why it is not certain."""

    start: str
    end: str
    both: bool | None
    way: tuple[PassageView | TurnView, ...]
    unknown: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class StopView:
    """Where frames of a segment stop: between which ports, at which link, why, and the setting to blame."""

    sender: str
    hearer: str
    link: str
    reason: str
    source: str


@dataclass(frozen=True, slots=True)
class VerdictView:
    """A claim and its outcome: `proved`, `broken` or `cannot tell`.

    `sentence` is all that was asked, as it can be typed. `layers` is at which layers segments may not meet, or of `together` may; `through` the devices that may join them at
    layer 3. `write` is a switch file of one line for each missing fact that one can state. Of `together`, `surviving` is how many failures it is to survive, and `failures` those that part the segment. Of
    `apart`, `facing` is what its stations are taken to be.
    """

    name: str
    kind: str
    sentence: str
    segments: tuple[str, ...]
    outcome: str
    why: tuple[str, ...]
    assumed: tuple[str, ...]
    missing: tuple[str, ...]
    write: tuple[str, ...]
    witnesses: tuple[WitnessView, ...]
    stop: StopView | None
    layers: tuple[int, ...]
    through: tuple[str, ...]
    facing: str
    surviving: int
    failures: tuple[str, ...]


def verdict_views(verdicts: Iterable[Verdict]) -> tuple[VerdictView, ...]:
    """Returns verdicts as plain data."""
    return tuple(map(_verdict, verdicts))


def _verdict(verdict: Verdict) -> VerdictView:
    outcome = "proved"
    why: tuple[str, ...] = ()
    stop: Stop | None = None
    kind, segments = "apart", tuple[str, ...]()
    assumed: tuple[str, ...] = ()
    missing: tuple[str, ...] = ()
    witnesses: tuple[Witness, ...] = ()
    failures: tuple[str, ...] = ()
    facing, surviving = Facing.HONEST, 0
    through: tuple[str, ...] = ()
    match verdict.outcome:
        case Proved(why=why, assumed=assumed):
            pass
        case Broken(witnesses=witnesses, stop=stop, failures=failures):
            outcome = "broken"
        case CannotTell(missing=missing, witnesses=witnesses):
            outcome = "cannot tell"
    match verdict.claim:
        case Apart(segments=segments, facing=facing, through=through):
            kind = "only" if through else "apart"
        case Together(segments=segments, surviving=surviving):
            kind = "together"
    return VerdictView(
        name=verdict.claim.name,
        kind=kind,
        sentence=sentence(verdict.claim),
        segments=segments,
        outcome=outcome,
        why=why,
        assumed=assumed,
        missing=missing,
        write=lines(missing),
        witnesses=tuple(map(_witness, witnesses)),
        stop=_stop(stop, failed=bool(failures)) if stop is not None else None,
        layers=tuple(sorted(verdict.claim.layers)),
        through=through,
        facing=facing.value,
        surviving=surviving,
        failures=failures,
    )


def _witness(witness: Witness) -> WitnessView:
    return WitnessView(witness.start, witness.end, witness.both, tuple(map(step_view, witness.way)), witness.unknown)


def step_view(step: Passage | Turn) -> PassageView | TurnView:
    """Returns one step of a way as plain data."""
    return passage_view(step) if isinstance(step, Passage) else _turn(step)


def _turn(t: Turn) -> TurnView:
    vid, out = (t.out.vid, t.out.shown) if t.out else (None, "not known")
    sources = tuple(dict.fromkeys(str(s) for s in t.places if s is not None))
    return TurnView(t.device, t.into.vid, t.into.shown, vid, out, str(t.origin), str(t.target), t.by, sources)


def passage_view(p: Passage) -> PassageView:
    """Returns a frame inside a switch as plain data."""
    sources = tuple(dict.fromkeys(map(str, p.sources)))
    came, went = (None if tags is None else tuple(map(vid_of, tags)) for tags in (p.arrived, p.leaves))
    return PassageView(p.switch, p.domain, str(p.by or ""), came, str(p.out or ""), went, sources, p.foreign)


def _stop(stop: Stop, *, failed: bool) -> StopView:
    if failed and stop.lost is not None and stop.lost.rung is Rung.ENABLED:
        return StopView(str(stop.sender), str(stop.hearer), stop.link, "it has failed, and there is no second way", "")
    reason = stop.why or (str(stop.lost) if stop.lost else "" if stop.link else "no link joins the two")
    return StopView(
        str(stop.sender), str(stop.hearer), stop.link, reason, str(stop.lost.source) if stop.lost is not None else ""
    )


@dataclass(frozen=True, slots=True)
class GridRow:
    """How one segment is heard in each other one, by segment: `apart`, `joined`, `routed` or `cannot tell`.

    `joined` is by frames, `routed` by packets that the devices of `through` pass on. `empty` tells that no port of the
    segment is known.
    """

    segment: str
    empty: bool
    heard_in: dict[str, str]
    through: dict[str, tuple[str, ...]]


def grid_rows(grid: Grid) -> list[GridRow]:
    """Returns the relation of all segments as plain data, a sender a row."""
    return [
        GridRow(
            a,
            a in grid.empty,
            {b: grid.heard[a, b].value for b in grid.names if b != a},
            {b: grid.through[a, b] for b in grid.names if (a, b) in grid.through},
        )
        for a in grid.names
    ]
