"""What files state and the model does not follow: it is not known, never nothing.

A reader records each such statement as a `Touch`. Tables and audits show the device as it is usually; proofs, and the checker of
certificates, take the device as `doubted` has it. `assume: {without-effect: [PATH]}` states that a path has no effect; proofs then
name it as an assumption.
"""

from __future__ import annotations

from collections.abc import Container, Iterator, Mapping
from dataclasses import fields, is_dataclass, replace
from fnmatch import fnmatchcase
from typing import TYPE_CHECKING

from inkov.model.source import Touch, Touches
from inkov.model.switch import Heard, Kind, Switch, Unstated, Vlan
from inkov.model.vlanset import VID_MAX, VID_MIN, Vid, VlanSet

if TYPE_CHECKING:
    from inkov.model.campus import Campus


def open_touches(switch: Switch) -> list[Touch]:
    """Returns what may let something go elsewhere and is not followed, without what is stated to have no effect."""
    return [t for t in switch.touches if not (t.touches.only_takes or _settled(switch, t))]


def touching(switch: Switch, ports: Container[str]) -> list[Touch]:
    """Returns what is not followed of a device and may let something go elsewhere, or stop frames at some of its ports."""
    some = [*open_touches(switch), *_stops(switch)]
    return [t for t in some if not t.port or t.port in ports]


def _stops(switch: Switch, ends: Container[str] | None = None) -> list[Touch]:
    """Returns what may stop frames; what counts at cables alone, only at some ends, and where a neighbour was heard."""
    some = [t for t in switch.touches if t.touches is Touches.STOPS and not _settled(switch, t)]
    heard = {h.port for h in switch.heard} if ends is not None and any(t.wired for t in some) else ()
    return [t for t in some if not t.wired or ends is None or t.port in ends or t.port in heard]


def settled(switch: Switch) -> list[str]:
    """Returns the paths that would touch something, and are stated to have no effect."""
    return list(dict.fromkeys(t.path for t in switch.touches if _settled(switch, t)))


def _settled(switch: Switch, touch: Touch) -> bool:
    return any(fnmatchcase(touch.path, pattern) for pattern in switch.without_effect)


def assumption(switches: Mapping[str, Switch]) -> str:
    """Returns what proofs take for granted about paths that are stated to have no effect; empty where there are none."""
    named = [f"{path} of {name}" for name, switch in switches.items() for path in settled(switch)]
    return f"these have no effect, as it is assumed: {_some(named)}" if named else ""


def assumptions_of_together(switches: Mapping[str, Switch]) -> list[str]:
    """Returns what a proof that stations hear each other takes for granted about what is not followed."""
    guarded = [
        f"{path} of {name}"
        for name, switch in switches.items()
        for path in dict.fromkeys(
            t.path for t in switch.touches if t.touches is Touches.GUARDS and not _settled(switch, t)
        )
    ]
    struck = f"no guard or login keeps a port shut: {_some(guarded)}" if guarded else ""
    return list(filter(None, (assumption(switches), struck)))


def _some(named: list[str]) -> str:
    return ", ".join(named[:4]) + (f" and {len(named) - 4} more" if len(named) > 4 else "")


def doubted(campus: Campus) -> Campus:
    """Returns a campus in which whatever may be touched by what is not followed is not known; the very same where nothing is."""
    ends: dict[str, set[str]] = {}
    for cable in campus.cables:
        for end in (cable.a, cable.b):
            ends.setdefault(end.switch, set()).add(end.port)
    touched = {n: s for n, s in campus.switches.items() if open_touches(s) or _stops(s, ends.get(n, ()))}
    table = telling_vlans(campus) if any(open_touches(s) for s in touched.values()) else {}
    made = {n: _doubted(s, table, ends.get(n, ())) for n, s in touched.items()}
    return replace(campus, switches={**campus.switches, **made}) if made else campus


def as_told(campus: Campus, *, today: bool) -> Campus:
    """Returns a campus as its files configure it, or as it is in force today, where a file tells both of a port and they differ.

    What is in force and cannot be followed stays not known.
    """
    made = {n: _as_told(s, today=today) for n, s in campus.switches.items() if any(t.why for t in s.touches)}
    return replace(campus, switches={**campus.switches, **made})


def _as_told(switch: Switch, *, today: bool) -> Switch:
    ports = dict(switch.ports)
    kept = [t for t in switch.touches if not t.why or (today and not t.now)]
    for touch in switch.touches if today else ():
        if touch.now and touch.port in ports:
            ports[touch.port] = replace(ports[touch.port], **dict(touch.now))
    return replace(switch, ports=ports, touches=tuple(kept))


def telling_vlans(campus: Campus) -> Mapping[Vid, Vlan]:
    """Returns VLANs that stand for all of a campus: of those that no list, table or port tells apart, one.

    A device that may do anything treats all VLANs alike, and so does everybody else two VLANs of one class; frames in one of them
    get where those in the other do.
    """
    masks: set[int] = set()
    for switch in campus.switches.values():
        for table in (switch.vlans or {}, *switch.other_tables):
            masks.update(1 << v for v in table)
        masks.update(1 << g.vid for g in switch.gateways if g.vid)
        for switching, limits in {(p.switching, p.registration) for p in switch.ports.values()}:
            masks.update(_told(switching))
            masks.update(_told(limits))
    masks.update(s.vlans.mask for s in campus.segments.values())
    masks.update(1 << h.tag for h in campus.hosts.values() if h.tag)
    classes = [VlanSet(range(VID_MIN, VID_MAX + 1)).mask]
    for mask in sorted(masks):
        classes = [part for c in classes for part in (c & mask, c & ~mask) if part]
    return {v: Vlan(v) for v in sorted((c & -c).bit_length() - 1 for c in classes)}


def _told(value: object) -> Iterator[int]:
    """Yields the sets of VLANs that settings of a port name, as masks, whatever kind it is."""
    if isinstance(value, VlanSet):
        yield value.mask
    elif isinstance(value, int) and not isinstance(value, bool):
        yield 1 << value if VID_MIN <= value <= VID_MAX else 0
    elif isinstance(value, tuple):
        yield from (mask for inner in value for mask in _told(inner))
    elif is_dataclass(value):
        yield from (mask for f in fields(value) for mask in _told(getattr(value, f.name)))


def _doubted(switch: Switch, every: Mapping[Vid, Vlan], ends: Container[str]) -> Switch:
    some = open_touches(switch)
    frames = [t for t in some if t.touches is Touches.FRAMES]
    for touch in (t for t in frames if t.port):
        switch = _with_open_port(switch, touch)
    frames = [t for t in frames if not t.port]
    if frames:
        why, broken = said(frames), any(t.broken for t in frames)
        ports = {
            n: replace(
                p,
                switching=p.switching if p.lag else Unstated(),
                enabled=p.enabled or broken,  # whether it is shut is what cannot be read
                doubt=p.doubt or why,
            )
            for n, p in switch.ports.items()
        }
        none = "?" * (1 + max(map(len, ports), default=0))  # longer than the name of any port of it
        own = tuple(Heard(p.name, switch.name, none) for p in ports.values() if p.enabled and p.lag is None)
        keeps = switch.vlans is not None and switch.kind is Kind.SWITCH
        tables = (every, {}) if keeps else ()
        switch = replace(
            switch,
            vlans=switch.vlans if keeps or switch.kind is not Kind.SWITCH else every,
            ports=ports,
            heard=(*switch.heard, *own),  # any frame of it may get anywhere in it: by a port that is not known
            other_tables=(*switch.other_tables, *tables),
            tree=replace(switch.tree, protocol=None),
            doubt=switch.doubt or why,
        )
    if packets := [t for t in some if t.touches is not Touches.ADDRESSES and not t.port]:
        switch = replace(switch, learns=switch.learns or said(packets), filters={})
    if any(t.touches is Touches.ADDRESSES for t in some):
        switch = replace(switch, gateways_stated=False)
    if stops := _stops(switch, ends):
        ports = {n: replace(p, doubt=p.doubt or _may_stop(p.name, stops)) for n, p in switch.ports.items()}
        switch = replace(switch, ports=ports)
    kept = (t for t in switch.touches if t.touches is Touches.GUARDS or _settled(switch, t))
    return replace(switch, touches=tuple(kept))


def _with_open_port(switch: Switch, touch: Touch) -> Switch:
    """Returns a device with a port of which nothing is known, not even whether it is shut."""
    port = switch.ports.get(touch.port)
    if port is None:
        return switch
    made = replace(
        port, switching=port.switching if port.lag else Unstated(), enabled=True, doubt=port.doubt or said([touch])
    )
    return replace(switch, ports={**switch.ports, touch.port: made})


def _may_stop(port: str, stops: list[Touch]) -> str:
    """Says what may stop frames of a port; empty where nothing does."""
    some = [t for t in stops if t.port in {"", port}]
    return said(some) if some else ""


def said(some: list[Touch]) -> str:
    """Says what is not followed, and what to write where it has no effect."""
    paths = list(dict.fromkeys(t.path for t in some))
    if why := next((t.why for t in some if t.why), ""):
        return f"{why} ({some[0].source}); --configured or --today decides for one of them"
    more, verb = (f" and {len(paths) - 1} more", "are") if len(paths) > 1 else ("", "is")
    if all(t.broken for t in some):
        return f"{paths[0]}{more} cannot be read ({some[0].source})"
    line = f"`assume: {{without-effect: ['{paths[0]}']}}`"
    return f"{paths[0]}{more} {verb} not followed ({some[0].source}); if {'one' if more else 'it'} has no effect, write {line}"
