"""The way of a frame, put together from the states of a search: ports, tags on the wire, and what allows each."""

from __future__ import annotations

from inkov.forwarding.graph import Reach, State
from inkov.forwarding.ladder import mode_setting
from inkov.forwarding.network import Network
from inkov.forwarding.relay import Tags, View
from inkov.model.names import PortRef
from inkov.model.source import Source
from inkov.proof.outcome import Passage


def passages(network: Network, reach: Reach, end: State, start: PortRef, last: PortRef) -> tuple[Passage, ...]:
    """Returns the switches on the way to a state, in order.

    Args:
        network: the campus with its forwarding.
        reach: a search that got to `end`.
        end: the state to get to.
        start: the port the frame is sent into.
        last: the port it leaves by at the end.
    """
    path = reach.path(end)
    made: list[Passage] = []
    for i, (state, step) in enumerate(path):
        onward = path[i + 1][1] if i + 1 < len(path) else None
        by = state.by or start
        arrived = step.wire if step else sent(network, by, state)
        out = onward.out if onward else last
        leaves = (
            onward.wire if onward else next(iter(network.relay(out, View.MAY).send(state.domain, state.inner)), None)
        )
        made.append(
            Passage(state.switch, state.domain, by, arrived, out, leaves, allows(network, by, arrived, out, leaves))
        )
    return tuple(made)


def sent(network: Network, ref: PortRef, state: State) -> Tags | None:
    """Returns the tags a station uses to get a frame into a state."""
    relay = network.relay(ref, View.MAY)
    tries: list[Tags] = [state.inner, (state.domain, *state.inner), *((t, *state.inner) for t, _ in relay.in_mapped)]
    return next((tags for tags in tries if (state.domain, state.inner) in relay.accept(tags)), None)


def allows(
    network: Network, by: PortRef, arrived: Tags | None, out: PortRef, leaves: Tags | None
) -> tuple[Source, ...]:
    """Returns where the settings stand that let a frame into a switch and out of it."""
    found = (_allows(network, by, arrived), _allows(network, out, leaves))
    return tuple(s for s in found if s.file)


def _allows(network: Network, ref: PortRef, tags: tuple[int, ...] | None) -> Source:
    """Returns where the setting stands that lets a frame with these tags pass a port."""
    if not network.has(ref):
        return Source("")
    port = network.settled(ref)
    setting = mode_setting(port)
    return port.origin.of("native" if setting == "allowed" and not tags else setting)
