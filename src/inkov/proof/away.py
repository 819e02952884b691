"""Follows a packet from a station out of the campus to an address that is nobody's here, and the answer back in."""

from __future__ import annotations

from inkov.kinds.relay import View
from inkov.proof.ends import End
from inkov.proof.leg import Halt, Leg
from inkov.proof.outside import Outside
from inkov.proof.packets import Packet
from inkov.proof.routed import entered_by, left_by, not_passed, sent_to
from inkov.proof.routing import Arrival


def outward_leg(outside: Outside, start: End, end: End) -> Leg:
    """Follows a packet from a station to an address outside of the campus.

    Args:
        outside: what lies outside of the campus.
        start: who sends; its address is known.
        end: the address outside.
    """
    network, packet = outside.network, _packet(start, end)
    entered, missing = entered_by(network, outside.routing[View.MUST], start)
    if missing is not None:
        return missing
    for view in (View.MUST, View.MAY):
        for arrival in outside.arrivals(entered, packet, frozenset(), view):
            first = next((i for i in entered if arrival.turns and i.device == arrival.turns[0].device), arrival.out)
            there = sent_to(network, start, first, end)
            return Leg(
                start.ref,
                arrival.out.ref,
                (*there.way, *arrival.turns),
                there.halt,
                (*there.missing, *_doubts(arrival, view)),
            )
    return not_passed(network, start, end, entered[0], packet)


def inward_leg(outside: Outside, start: End, end: End) -> Leg:
    """Follows a packet from an address outside of the campus to a station, by whichever gateway leads out."""
    network, packet = outside.network, _packet(start, end)
    exits = outside.exits[View.MUST] or outside.exits[View.MAY]
    if not exits:
        why = "nothing leads out of the campus, and so nothing comes in: no route and no routed port does"
        return Leg(end.ref, end.ref, (), Halt(end.ref, why))
    for view in (View.MUST, View.MAY):
        for arrival in outside.routing[view].follow(exits, packet, frozenset()):
            last = left_by(network, arrival.out, end)
            return Leg(
                exits[0].ref,
                end.ref,
                (*arrival.turns, *last.way),
                last.halt,
                (*last.missing, *_doubts(arrival, view)),
            )
    return not_passed(network, start._replace(ref=exits[0].ref, own=exits[0]), end, exits[0], packet)


def _packet(start: End, end: End) -> Packet:
    if start.address is None or end.address is None:
        raise ValueError("both ends of a trace out of the campus have addresses")
    return Packet(start.address, end.address)


def _doubts(arrival: Arrival, view: View) -> tuple[str, ...]:
    if view is View.MUST:
        return ()
    return arrival.doubts or ("whether every device on the way passes it on",)
