"""Relay maps: what a port does with frames, in one form for every kind of port.

Inside a switch a frame is always in exactly one relay domain, here numbered like its VLAN. A port is fully
described by which domain an arriving frame enters and how a frame of each domain leaves (IEEE 802.1Q-2022,
6.9 and 8.6.1 to 8.6.4). Every kind of port compiles to a `RelayMap`; nothing else in Inkov knows kinds.

A map holds sets, not single values, so that the same type serves both views: in `must` a set has what
surely happens, in `may` all that could.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import Enum
from typing import TypeAlias, assert_never

from inkov.model.switch import (
    Access,
    Bridged,
    FrameTypes,
    General,
    Habits,
    Negotiated,
    Plain,
    Port,
    PrivateHost,
    Promiscuous,
    Routed,
    Switch,
    Switching,
    Trunk,
    Tunnel,
    Unstated,
    VlanType,
)
from inkov.model.vlanset import Vid, bits

Mask: TypeAlias = int
"""A set of relay domains: bit *d* stands for domain *d*."""

Domain: TypeAlias = int

Tags: TypeAlias = tuple[int, ...]
"""The VIDs on a frame, outermost first."""


class View(Enum):
    """Which facts count: what surely passes, or everything that could."""

    MUST = "must"
    MAY = "may"


@dataclass(frozen=True, slots=True)
class RelayMap:
    """What one port does with frames.

    Attributes:
        in_untagged: domains an untagged or priority-tagged frame may enter; empty means it is dropped.
        in_tagged: tags that are accepted, each into the domain of its number.
        out_untagged: domains whose frames leave untagged.
        out_tagged: domains whose frames leave with the tag of their number.
        in_mapped: (tag, domain) for tags that lead into the domain of another number.
        out_mapped: (domain, tag) for domains that leave with another number's tag.
        keeps: everything enters `in_untagged`, with its tags kept inside; what leaves shows them again.
    """

    in_untagged: Mask = 0
    in_tagged: Mask = 0
    out_untagged: Mask = 0
    out_tagged: Mask = 0
    in_mapped: tuple[tuple[Vid, Domain], ...] = ()
    out_mapped: tuple[tuple[Domain, Vid], ...] = ()
    keeps: bool = False

    def accept(self, tags: Tags) -> list[tuple[Domain, Tags]]:
        """Returns the domains a frame may enter, each with the tags left inside; empty when it is dropped."""
        if tags and tags[0] == 0:
            tags = tags[1:] if self.keeps else (0, *tags[1:])
        if self.keeps:
            return [(d, tags) for d in bits(self.in_untagged)] if len(tags) <= MAX_TAGS else []
        if not tags or tags[0] == 0:
            return [(d, tags[1:]) for d in bits(self.in_untagged)]
        outer, inner = tags[0], tags[1:]
        entered = [(d, inner) for t, d in self.in_mapped if t == outer]
        return [(outer, inner), *entered] if self.in_tagged >> outer & 1 else entered

    def send(self, domain: Domain, inner: Tags = ()) -> list[Tags]:
        """Returns the tags a frame of a domain may leave with; empty when it does not leave here."""
        sent: list[Tags] = []
        if self.out_untagged >> domain & 1:
            sent.append(inner)
        if self.out_tagged >> domain & 1:
            sent.append((domain, *inner))
        return sent + [(t, *inner) for d, t in self.out_mapped if d == domain]

    @property
    def sends(self) -> Mask:
        """Domains that leave here at all."""
        return self.out_untagged | self.out_tagged | sum(1 << d for d in {d for d, _ in self.out_mapped})

    @property
    def takes(self) -> Mask:
        """Domains that frames may enter here."""
        return self.in_untagged | self.in_tagged | sum(1 << d for d in {d for _, d in self.in_mapped})

    def limited(self, out: Mask, into: Mask) -> RelayMap:
        """Returns what is left where only some domains leave and only some are entered; -1 stands for all."""
        return RelayMap(
            self.in_untagged & into,
            self.in_tagged & into,
            self.out_untagged & out,
            self.out_tagged & out,
            tuple((t, d) for t, d in self.in_mapped if into >> d & 1),
            tuple((d, t) for d, t in self.out_mapped if out >> d & 1),
            self.keeps,
        )

    def __or__(self, other: RelayMap) -> RelayMap:
        """Returns what either map does: for a port that could be one or the other."""
        return RelayMap(
            self.in_untagged | other.in_untagged,
            self.in_tagged | other.in_tagged,
            self.out_untagged | other.out_untagged,
            self.out_tagged | other.out_tagged,
            tuple(dict.fromkeys(self.in_mapped + other.in_mapped)),
            tuple(dict.fromkeys(self.out_mapped + other.out_mapped)),
            self.keeps or other.keeps,
        )


MAX_TAGS = 4
"""Tags that are followed inside a frame; a loop of tunnels would add one for ever."""

AS_IT_IS: Mask = 1
"""The one domain of an unmanaged device: number 0, which is no VLAN."""

NOTHING = RelayMap()


def relay_map(port: Port, switch: Switch, active: Mask, view: View) -> RelayMap:
    """Compiles a port or LAG that has found out what it is.

    Args:
        port: the port; a member of a LAG compiles like any other, its LAG is what frames pass.
        switch: the switch it is on.
        active: VLANs defined and active there, in this view.
        view: which facts count.
    """
    return _compiled(port.switching, switch, active, view) if port.enabled else NOTHING


def _compiled(switching: Switching, switch: Switch, active: Mask, view: View) -> RelayMap:  # noqa: C901 - a row a case
    """The handbook's port table, a row a case."""
    match switching:
        case Access(vid=vid, voice=voice):
            own = _bit(vid) & active if vid is not None else 0 if view is View.MUST else active
            phone = _bit(voice) & active & ~own
            return RelayMap(own, phone | (own if switch.habits.own_tag else 0), own, phone)
        case Trunk():
            return _trunk(switching, switch.habits, active)
        case Negotiated(access=access):
            return _compiled(access, switch, active, view)
        case General(pvid=pvid, untagged=untagged, tagged=tagged, frames=frames, filtering=filtering):
            member = (untagged.mask | tagged.mask) & active
            enters = member if filtering else active
            return RelayMap(
                in_untagged=_bit(pvid) & enters if frames is not FrameTypes.TAGGED else 0,
                in_tagged=enters if frames is not FrameTypes.UNTAGGED else 0,
                out_untagged=untagged.mask & active,
                out_tagged=tagged.mask & active & ~untagged.mask,
            )
        case PrivateHost(primary=primary, secondary=secondary):
            own = _bit(secondary) & active
            heard = _bit(primary) | (own if _is_community(switch, secondary, view) else 0)
            return RelayMap(in_untagged=own, out_untagged=heard & active)
        case Promiscuous(primary=primary, secondaries=secondaries):
            return RelayMap(
                in_untagged=_bit(primary) & active, out_untagged=(_bit(primary) | secondaries.mask) & active
            )
        case Tunnel(vid=vid):
            own = _bit(vid) & active
            return RelayMap(in_untagged=own, out_untagged=own, keeps=True)
        case Bridged(untagged=untagged_domain, tagged=pairs):
            return _mapped(_bit(untagged_domain), _bit(untagged_domain), dict(pairs), active)
        case Plain():
            return RelayMap(in_untagged=AS_IT_IS, out_untagged=AS_IT_IS, keeps=True)
        case Routed():
            return NOTHING
        case Unstated():
            return NOTHING if view is View.MUST else RelayMap(active, active, active, active)
        case _:
            assert_never(switching)


def _bit(vid: Domain | None) -> Mask:
    return 0 if vid is None else 1 << vid


def _trunk(trunk: Trunk, habits: Habits, active: Mask) -> RelayMap:
    native = _bit(trunk.native) & active
    listed = trunk.allowed.mask & active
    if not native & listed and not habits.native_outside_list:
        native = 0
    untagged = 0 if trunk.native_tagged else native
    tagged_in = listed if habits.tagged_native or trunk.native_tagged else listed & ~native
    made = RelayMap(untagged, tagged_in, untagged, listed & ~untagged)
    if not trunk.translate:
        return made
    wire = dict(trunk.translate)
    renamed = sum(1 << v for v in {*wire, *wire.values()})  # tags that do not stand for the VLAN of their number
    return RelayMap(
        in_untagged=made.in_untagged,
        in_tagged=made.in_tagged & ~renamed,
        out_untagged=made.out_untagged,
        out_tagged=made.out_tagged & ~renamed,
        in_mapped=tuple((t, d) for t, d in wire.items() if made.in_tagged >> d & 1),
        out_mapped=tuple((d, t) for t, d in wire.items() if made.out_tagged >> d & 1),
    )


def _mapped(in_untagged: Mask, out_untagged: Mask, wire: Mapping[Vid, Domain], active: Mask) -> RelayMap:
    same = sum(1 << t for t, d in wire.items() if t == d) & active
    others = [(t, d) for t, d in wire.items() if t != d and active >> d & 1]
    return RelayMap(
        in_untagged & active,
        same,
        out_untagged & active,
        same,
        in_mapped=tuple(others),
        out_mapped=tuple((d, t) for t, d in others),
    )


def _is_community(switch: Switch, secondary: Vid, view: View) -> bool:
    """Tells whether ports of a secondary VLAN hear each other; not known for one that has no type."""
    entry = (switch.vlans or {}).get(secondary)
    kind = VlanType.PLAIN if entry is None else entry.type
    return kind is VlanType.COMMUNITY or (kind is VlanType.PLAIN and view is View.MAY)


def unknown(port: Port) -> str | None:
    """Names the fact about a port that the input does not state and forwarding depends on, if there is one."""
    match port.switching:
        case Unstated():
            return "its mode is not stated"
        case Access(vid=None):
            return "the VLAN of this access port is not stated"
        case Negotiated() if port.stance is None:
            return "how it negotiates is not stated"
        case Negotiated():
            return "what it negotiates is not known"
        case PrivateHost():
            return "whether its secondary VLAN is isolated or a community is not stated"
        case _:
            return None


def untagged_vlan(switching: Switching) -> Vid | None:
    """Returns the VLAN a station's untagged frames enter, as set; None when there is none or it is not stated."""
    match switching:
        case Access(vid=vid):
            return vid
        case Negotiated(access=access):
            return access.vid
        case Trunk(native=native):
            return native
        case General(pvid=pvid):
            return pvid
        case PrivateHost(secondary=secondary):
            return secondary
        case Promiscuous(primary=primary):
            return primary
        case Tunnel(vid=vid):
            return vid
        case Bridged(untagged=untagged):
            return untagged
        case Routed() | Plain() | Unstated():
            return None


def station_vlans(switching: Switching) -> list[Vid]:
    """Returns the VLANs of a station that sends untagged, and of a phone in front of it; all a private port hears."""
    match switching:
        case Access(vid=vid, voice=None):
            return [] if vid is None else [vid]
        case Access() | Negotiated() | PrivateHost() | Promiscuous() | Tunnel():
            also = {switching.primary} if isinstance(switching, PrivateHost) else set()
            return sorted(also.union(bits(memberships(switching))))
        case General() | Bridged():
            vid = untagged_vlan(switching)
            return [] if vid is None else [vid]
        case Trunk() | Routed() | Plain() | Unstated():
            return []


def memberships(switching: Switching) -> Mask:
    """Returns the VLANs a station behind the port belongs to, whether or not the switch defines them."""
    match switching:
        case Access(vid=vid, voice=voice):
            return _bit(vid) | _bit(voice)
        case Negotiated(access=access):
            return memberships(access)
        case Trunk(native=native, allowed=allowed):
            return allowed.mask | (_bit(native) & allowed.mask)
        case General(untagged=untagged, tagged=tagged):
            return untagged.mask | tagged.mask
        case PrivateHost(secondary=secondary):
            return _bit(secondary)
        case Promiscuous(primary=primary, secondaries=secondaries):
            return _bit(primary) | secondaries.mask
        case Tunnel(vid=vid):
            return _bit(vid)
        case Bridged(untagged=untagged_domain, tagged=pairs):
            return _bit(untagged_domain) | sum(1 << d for d in {d for _, d in pairs})
        case Routed() | Plain() | Unstated():
            return 0
