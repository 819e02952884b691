"""A traced frame as plain data: the cause first, then the way there and back."""

from __future__ import annotations

from dataclasses import dataclass

from inkov.forwarding.network import Network
from inkov.model.names import PortRef
from inkov.proof.between import FRAMES_ALONE
from inkov.proof.leg import Leg
from inkov.proof.settle import lines
from inkov.proof.trace import Trace
from inkov.rules.wording import named
from inkov.views.reports import PassageView, TurnView, step_view


@dataclass(frozen=True, slots=True)
class HaltView:
    """Where a frame stops and why; `meant` when it is by design; `also` are other VLANs that stop there too."""

    at: str
    why: str
    sources: tuple[str, ...]
    meant: bool
    also: str
    also_ports: int


@dataclass(frozen=True, slots=True)
class LegView:
    """The way in one direction.

    `halt` is null when the frame arrives; `missing` are facts that nothing states and that decide whether it really is so;
    `write` a switch file of one line for each that one can state.
    """

    start: str
    end: str
    way: tuple[PassageView | TurnView, ...]
    halt: HaltView | None
    missing: tuple[str, ...]
    write: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class TraceView:
    """A frame and its answer.

    `both` ways are open, as far as is known; `outcome` is `open` when both surely are, `stopped` when one surely is
    not, else `cannot tell`. `cause` is the first line: what stops it, or that both ways are open. `vlans` says when the two are in different
    VLANs, and whether a gateway joins them; empty when they are not.
    """

    a: str
    b: str
    both: bool
    outcome: str
    cause: str
    vlans: str
    there: LegView
    back: LegView


def trace_view(network: Network, trace: Trace, names: tuple[str, str]) -> TraceView:
    """Returns a trace as plain data; `names` are the two ends as they were asked for."""
    there, back = _leg(trace, trace.there, names), _leg(trace, trace.back, (names[1], names[0]))
    tied = _tied(network, trace)
    in_vain = trace.frames_alone or trace.drowned
    outcome = "stopped" if in_vain and _outcome(there, back) == "open" else _outcome(there, back)
    return TraceView(
        a=names[0],
        b=names[1],
        both=there.halt is None and back.halt is None and not in_vain,
        outcome=outcome,
        cause=_cause(trace, names, tied=tied) + (", as far as is known" if outcome == "cannot tell" else ""),
        vlans="" if tied else _vlans(network, trace, names),
        there=there,
        back=back,
    )


def _outcome(*legs: LegView) -> str:
    if any(leg.halt and not leg.missing for leg in legs):
        return "stopped"
    return "cannot tell" if any(leg.missing for leg in legs) else "open"


def _tied(network: Network, trace: Trace) -> bool:
    """Tells whether the VLANs of the two ends are one private service, so that who is in another VLAN is no reason."""
    a, b = trace.vlans
    tables = [table for table, _ in network.tables]
    return any(
        v in t and t[v].primary == w for t in tables for v, w in ((a, b), (b, a)) if v is not None and w is not None
    )


def _cause(trace: Trace, names: tuple[str, str], *, tied: bool) -> str:
    halt, back = trace.there.halt, trace.back.halt
    a, b = trace.vlans
    if halt is None and back is None and trace.drowned:
        return f"the way is open and drowned: {trace.drowned}"
    if halt is None and back is None and trace.frames_alone:
        return f"{FRAMES_ALONE}: {trace.frames_alone}"
    if halt is None and back is None:
        return "both ways are open" + (", by way of gateways" if trace.routed else "")
    if trace.routed and halt is not None:
        return f"stops at {halt.at}: {halt.why}"
    if halt is not None and halt.meant:
        return f"these are not meant to talk: {halt.why}"
    if halt is None and back is not None:
        return f"{names[1]} hears {names[0]}, but the answer stops at {back.at}: {back.why}"
    if halt is None:
        return ""
    if a is not None and b is not None and a != b and not tied:
        text = f"different VLANs: {trace.there.start} is in {a} and {trace.there.end} in {b}"
        return f"{text}; {trace.beside}, right beside, is in the other's" if trace.beside else text
    return f"stops at {halt.at}: {halt.why}"


def _vlans(network: Network, trace: Trace, names: tuple[str, str]) -> str:
    a, b = trace.vlans
    if trace.routed or a == b or a is None or b is None or (trace.there.halt is None and trace.back.halt is None):
        return ""
    if trace.there.halt is not None and trace.there.halt.meant:
        return ""
    text = f"{names[0]} is in {named(network, a)} and {names[1]} in {named(network, b)}."
    devices = {g.device for v, g in trace.gateways if v == a} & {g.device for v, g in trace.gateways if v == b}
    if devices:
        shown = "; ".join(f"{v}: {g.gateway.shown}" for v, g in trace.gateways if g.device in devices)
        return f"{text} {', '.join(sorted(devices))} has gateways of both ({shown}) and may route between them."
    return f"{text} No device has a gateway of both, so nothing joins them."


def _leg(trace: Trace, leg: Leg, names: tuple[str, str]) -> LegView:
    halt = None
    if leg.halt is not None:
        h = leg.halt
        also = str(h.also) if h.also else ""
        halt = HaltView(str(h.at), h.why, tuple(dict.fromkeys(map(str, h.sources))), h.meant, also, h.also_ports)
    return LegView(
        start=_end(trace, leg.start, names[0]),
        end=_end(trace, leg.end, names[1]),
        way=tuple(map(step_view, leg.way)),
        halt=halt,
        missing=leg.missing,
        write=lines(leg.missing),
    )


def _end(trace: Trace, ref: PortRef, name: str) -> str:
    if name == trace.outside:
        return f"{name}, outside of the campus"
    return name if name == str(ref) else f"{name} at {ref}"
