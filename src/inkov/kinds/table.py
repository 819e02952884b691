"""All kinds of port, and the questions that the rest of Inkov asks about a port.

Every reading of what is not stated is put together here: a relay map in *may* is what some reading passes, one in *must*
what every reading does.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Container, Mapping, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Any, Final

from inkov.kinds.access import AccessKind
from inkov.kinds.bridged import BridgedKind
from inkov.kinds.general import GeneralKind
from inkov.kinds.kind import Box, Faces, PortKind, Side
from inkov.kinds.negotiated import NegotiatedKind
from inkov.kinds.private import PrivateHostKind, PromiscuousKind
from inkov.kinds.relay import NOTHING, Mask, RelayMap, View
from inkov.kinds.routed import RoutedKind
from inkov.kinds.trunk import TrunkKind
from inkov.kinds.unstated import UnstatedKind
from inkov.kinds.whole import PlainKind, TunnelKind
from inkov.model.names import PortRef
from inkov.model.settings import Setting
from inkov.model.switch import (
    NEGOTIATED_FORMAT,
    Access,
    Bridged,
    General,
    Habits,
    Negotiated,
    Plain,
    Port,
    PrivateHost,
    Promiscuous,
    Routed,
    Stance,
    Switch,
    Switching,
    Trunk,
    Tunnel,
    Unstated,
    Vlan,
)
from inkov.model.vlanset import NONE, Vid, VlanSet

KINDS: Final[Mapping[type[Switching], PortKind[Any]]] = {
    Access: AccessKind(),
    Trunk: TrunkKind(),
    Negotiated: NegotiatedKind(),
    General: GeneralKind(),
    PrivateHost: PrivateHostKind(),
    Promiscuous: PromiscuousKind(),
    Tunnel: TunnelKind(),
    Bridged: BridgedKind(),
    Routed: RoutedKind(),
    Plain: PlainKind(),
    Unstated: UnstatedKind(),
}
"""The module of each type in `model.switch.Switching`; a test compares the two."""

Formats = Mapping[str, int]
"""The number of each tag format that some port of the campus has."""


def kind(switching: Switching) -> PortKind[Any]:
    """Returns what is known of a port's kind."""
    return KINDS[type(switching)]


def is_up(port: Port, switch: Switch) -> bool:
    """Tells whether a port is on; a LAG is while one of the members that are known is."""
    known = [switch.ports[m] for m in port.members if m in switch.ports]
    return port.enabled and (not known or any(m.enabled for m in known))


# -- what it does with frames ------------------------------------------------------------------------


def relay_map(
    port: Port, switch: Switch, active: Mask, view: View, formats: Formats, *, others: Sequence[Mapping[Vid, Vlan]] = ()
) -> RelayMap:
    """Compiles a port or LAG that has found out what it is.

    Args:
        port: the port; a member of a LAG compiles like any other, its LAG is what frames pass.
        switch: the switch it is on.
        active: VLANs defined and active there, in this view.
        view: how what is not stated is read.
        formats: the tag formats of the campus.
        others: VLAN tables that the switch may take over from its sync group.
    """
    if not is_up(port, switch) or (port.doubt and view is View.MUST):
        return NOTHING
    own = kind(port.switching)
    habits = reading(switch.habits, switch.unstated_habits, own.habits, view)
    made = own.relay(port.switching, Box((switch.vlans, *others), active, habits, view))
    if port.tag_format == NEGOTIATED_FORMAT:
        takes_own = switch.habits.own_tag or "own_tag" in switch.unstated_habits
        refused = RelayMap(active, active if takes_own else 0, active)  # an access port of any VLAN
        return _any_format(made, view, formats, refused if isinstance(port.switching, Trunk) else None)
    number = formats.get(port.tag_format, 0)
    return replace(made, formats=(number,)) if number else made


@lru_cache(maxsize=1024)
def reading(stated: Habits, unstated: frozenset[str], names: tuple[str, ...], view: View) -> Habits:
    """Returns the habits of a switch in a view, those of the names given.

    Each of them lets a port pass more, whatever the others are: what any reading of one that is not stated passes, it
    passes with it, and what every reading passes, without it.
    """
    open_ = [n for n in names if n in unstated]
    return stated if view is View.USUAL or not open_ else replace(stated, **dict.fromkeys(open_, view is View.MAY))


def _any_format(made: RelayMap, view: View, formats: Formats, refused: RelayMap | None) -> RelayMap:
    """Returns a relay map where the tag format is left to negotiation; `refused` is what a fixed trunk may be instead."""
    spoken = tuple(sorted({*formats.values(), 0}))
    if view is View.USUAL:
        return replace(made, formats=spoken)
    if view is View.MAY:
        return replace(made | refused if refused else made, formats=spoken, unsure=len(spoken) > 1)
    return NOTHING if refused else made.untagged_of(spoken)


def untagged_vlan(switching: Switching) -> Vid | None:
    """Returns the VLAN a station's untagged frames enter, as set; None when there is none or it is not stated."""
    return kind(switching).untagged(switching)


def station_vlans(switching: Switching) -> list[Vid]:
    """Returns the VLANs of a station that sends untagged, and of a phone in front of it; all a private port hears."""
    return kind(switching).heard_by_station(switching)


def perhaps_of_any(port: Port) -> bool:
    """Tells whether a hostile station of any VLAN may be behind a port, even of one that its switch does not relay.

    Nothing states its mode, or the access VLAN of one that becomes a trunk for whoever asks: dead as an access port, it
    lets its station do more than that.
    """
    if isinstance(port.switching, Negotiated):
        return port.switching.access.vid is None and port.stance is not Stance.SILENT
    return isinstance(port.switching, Unstated)


def memberships(switching: Switching) -> Mask:
    """Returns the VLANs a station behind the port belongs to, whether or not the switch defines them."""
    return kind(switching).members(switching)


def carries_tags(port: Port) -> bool:
    """Tells whether a port, as it is after negotiation, carries VLANs tagged."""
    return kind(port.switching).carries_tags


def joins_vlans(port: Port) -> bool:
    """Tells whether the one untagged station of a port may be in several VLANs."""
    perhaps = isinstance(port.switching, Unstated) and port.switching.general
    return kind(port.switching).joins_vlans or perhaps


def passes_vlans(port: Port) -> bool:
    """Tells whether a port has VLANs of its own; one of a router or an unmanaged device, or a tunnel, has not."""
    return kind(port.switching).has_vlans


def keeps_format(port: Port) -> bool:
    """Tells whether a port looks at tags at all; an unmanaged device does not."""
    return not isinstance(port.switching, Plain)


# -- negotiation -------------------------------------------------------------------------------------


def sides(port: Port) -> list[Side]:
    """Returns how a port may enter negotiation."""
    return kind(port.switching).sides(port.switching, port.stance)


def negotiates(port: Port) -> bool:
    """Tells whether what a port is depends on its far end."""
    return isinstance(port.switching, Negotiated)


def contradicts(port: Port) -> bool:
    """Tells whether a port is to negotiate and to stay silent; it counts as access then."""
    return negotiates(port) and port.stance is Stance.SILENT


def as_access(port: Port) -> Port:
    """Returns a port as it is when it formed no trunk."""
    outcomes = kind(port.switching).becomes(port.switching)
    return replace(port, switching=outcomes[0]) if outcomes else port


def as_trunk(port: Port) -> Port:
    """Returns a port as it is when it formed a trunk."""
    outcomes = kind(port.switching).becomes(port.switching)
    return replace(port, switching=outcomes[1]) if outcomes else port


def knows_its_mode(port: Port) -> bool:
    """Tells whether a port is in one mode whatever is on the other side, so that it answers nobody."""
    return isinstance(port.switching, Access | Trunk) or contradicts(port)


# -- what is set -------------------------------------------------------------------------------------


def by_access_vlan(
    refs: Sequence[PortRef], ports: Mapping[str, Port], unlike: Container[PortRef] = ()
) -> tuple[dict[Vid, list[PortRef]], list[PortRef]]:
    """Parts ports of a switch into plain access ports by VLAN, as nearly all are, and all others; each in the order given.

    Access ports with a voice VLAN, without a VLAN that is stated, or of which something is in doubt are among the others, and so
    are those of `unlike`.
    """
    plain: dict[Vid, list[PortRef]] = defaultdict(list)
    others: list[PortRef] = []
    for ref in refs:
        port, vid = ports[ref.port], None
        if isinstance(port.switching, Access) and port.switching.voice is None and not port.doubt:
            vid = port.switching.vid
        if vid is None or ref in unlike:
            others.append(ref)
        else:
            plain[vid].append(ref)
    return plain, others


def common(switching: Switching) -> bool:
    """Tells whether a port is of the common kinds: an access port without a voice VLAN, or a fixed trunk."""
    return isinstance(switching, Trunk) or (isinstance(switching, Access) and switching.voice is None)


def access_of(switching: Switching) -> Access | None:
    """Returns the settings of an access port; None for every other port."""
    return switching if isinstance(switching, Access) else None


def trunk_of(switching: Switching) -> Trunk | None:
    """Returns the settings of a fixed trunk; None for every other port."""
    return switching if isinstance(switching, Trunk) else None


def general_of(switching: Switching) -> General | None:
    """Returns the settings of a general port; None for every other port."""
    return switching if isinstance(switching, General) else None


def private_host_of(switching: Switching) -> PrivateHost | None:
    """Returns the settings of a station's port in a private VLAN; None for every other port."""
    return switching if isinstance(switching, PrivateHost) else None


def promiscuous_of(switching: Switching) -> Promiscuous | None:
    """Returns the settings of a promiscuous port; None for every other port."""
    return switching if isinstance(switching, Promiscuous) else None


def subinterfaces(switching: Switching) -> tuple[Vid | None, ...] | None:
    """Returns the tags of a routed port, None for untagged; None for every other port."""
    return switching.tags if isinstance(switching, Routed) else None


def faces_one(switching: Switching) -> bool:
    """Tells whether a port is for one station."""
    return kind(switching).faces is Faces.STATION


def is_tunnel(switching: Switching) -> bool:
    """Tells whether a port takes everything into one VLAN, tags and all."""
    return isinstance(switching, Tunnel)


MODES: Final = (
    Setting.MODE,
    Setting.ACCESS,
    Setting.ALLOWED,
    Setting.NATIVE,
    Setting.NATIVE_TAGGED,
    Setting.TRANSLATE,
    Setting.GENERAL,
    Setting.PRIVATE,
    Setting.PROMISCUOUS,
    Setting.TUNNEL,
    Setting.BRIDGED,
    Setting.SUBINTERFACES,
)
"""The settings that make a port what it is."""


def allowed_list(switching: Switching) -> VlanSet:
    """Returns the allowed list of a trunk, or of a port that may become one."""
    outcomes = kind(switching).becomes(switching)
    trunk = trunk_of(outcomes[1] if outcomes else switching)
    return trunk.allowed if trunk else NONE


# -- words -------------------------------------------------------------------------------------------


def word(port: Port) -> str:
    """Returns what kind of port it is, in one word."""
    return kind(port.switching).word


def setting_words(port: Port) -> str:
    """Returns what a port is set to, in the words of the switch file."""
    return kind(port.switching).words(port.switching)


def vlan_words(switching: Switching) -> str:
    """Returns the VLANs a port is set to, as written where possible."""
    return kind(switching).vlans(switching)


def mode_setting(port: Port) -> Setting:
    """Returns the setting that makes a port what it is."""
    return kind(port.switching).setting


def unknown(port: Port) -> str:
    """Names the fact about a port that the input does not state and forwarding depends on; empty when there is none."""
    return kind(port.switching).unknown(port.switching, port.stance)
