"""The way of a frame, put together from the states of a search: ports, tags on the wire, and what allows each."""

from __future__ import annotations

from collections.abc import Sequence

from inkov.forwarding.graph import Reach, State
from inkov.forwarding.network import Network
from inkov.kinds.relay import Tags, View, format_of, tag_of
from inkov.kinds.table import mode_setting
from inkov.model.names import PortRef
from inkov.model.settings import Setting
from inkov.model.source import Source
from inkov.proof.outcome import Passage


def passages(
    network: Network, reach: Reach, end: State, start: PortRef | None, last: PortRef | None
) -> tuple[Passage, ...]:
    """Returns the switches on the way to a state, in order.

    Args:
        network: the campus with its forwarding.
        reach: a search that got to `end`.
        end: the state to get to.
        start: the port the frame is sent into; None when a gateway of the first switch sends it.
        last: the port it leaves by at the end; None when a gateway of the last switch takes it.

    Where a switch itself is the station, as by the address it is managed by, there is no port either.
    """
    start, last = (ref if ref and network.has(ref) else None for ref in (start, last))
    path = reach.path(end)
    made: list[Passage] = []
    for i, (state, step) in enumerate(path):
        onward = path[i + 1][1] if i + 1 < len(path) else None
        by = state.by or start
        arrived = step.wire if step else sent(network, by, state) if by else None
        out = onward.out if onward else last
        leaves = onward.wire if onward else None
        if out and not onward:
            leaves = next(iter(network.relay(out, View.MAY).send(state.domain, state.inner)), None)
        made.append(
            Passage(
                state.switch,
                state.domain,
                by,
                arrived,
                out,
                leaves,
                allows(network, by, arrived, out, leaves),
                _foreign(network, (*(arrived or ()), *(leaves or ()))),
            )
        )
    return tuple(made)


def _foreign(network: Network, tags: Tags) -> str:
    """Returns the format of tags that are not of the standard's; empty when all are."""
    names = {number: name for name, number in network.formats.items()}
    return ", ".join(dict.fromkeys(names[n] for t in tags if (n := format_of(t)) in names and n))


def starting(network: Network, ports: Sequence[PortRef], state: State) -> PortRef:
    """Returns the first of some ports at which a station can send a frame into a state."""
    return next((p for p in ports if sent(network, p, state) is not None), ports[0])


def sent(network: Network, ref: PortRef, state: State) -> Tags | None:
    """Returns the tags a station uses to get a frame into a state."""
    if not network.has(ref):
        return None
    relay = network.relay(ref, View.MAY)
    vids = (state.domain, *(t for t, _ in relay.in_mapped), 0)
    tries = [state.inner, *((tag_of(v, number), *state.inner) for v in vids for number in relay.formats)]
    return next((tags for tags in tries if (state.domain, state.inner) in relay.accept(tags)), None)


def allows(
    network: Network, by: PortRef | None, arrived: Tags | None, out: PortRef | None, leaves: Tags | None
) -> tuple[Source, ...]:
    """Returns where the settings stand that let a frame into a switch and out of it."""
    found = (_allows(network, by, arrived), _allows(network, out, leaves))
    return tuple(s for s in found if s.file)


def _allows(network: Network, ref: PortRef | None, tags: tuple[int, ...] | None) -> Source:
    """Returns where the setting stands that lets a frame with these tags pass a port."""
    if ref is None or not network.has(ref):
        return Source("")
    port = network.settled(ref)
    setting = mode_setting(port)
    return port.origin.of(Setting.NATIVE if setting == Setting.ALLOWED and not tags else setting)
