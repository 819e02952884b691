"""General (hybrid) ports: sets of their own, tagged and untagged (IEEE 802.1Q-2022, 8.8.2 and 12.10)."""

from __future__ import annotations

from dataclasses import replace

from inkov.kinds.kind import Box, Faces, Fixed, bit
from inkov.kinds.relay import AS_IT_IS, Mask, RelayMap, View
from inkov.model.settings import Setting
from inkov.model.switch import Access, FrameTypes, General, Port, Stance, Switching, Trunk
from inkov.model.vlanset import NONE, Vid, VlanSet


class GeneralKind(Fixed[General]):
    """A general port."""

    word = "general"
    faces = Faces.TAGS
    setting = Setting.GENERAL
    habits = ()
    joins_vlans = True

    def relay(self, port: General, box: Box) -> RelayMap:
        member = self.members(port) & box.active
        filtering = box.view is not View.MAY if port.filtering is None else port.filtering
        enters = member if filtering else box.active
        untagged = bit(port.pvid) & (enters | AS_IT_IS)
        admits = port.frames or (None if box.view is View.MUST else FrameTypes.ALL)
        return RelayMap(
            in_untagged=untagged if admits in {FrameTypes.ALL, FrameTypes.UNTAGGED} else 0,
            in_tagged=enters if admits in {FrameTypes.ALL, FrameTypes.TAGGED} else 0,
            out_untagged=port.untagged.mask & box.active | (AS_IT_IS if port.plain else 0),
            out_tagged=port.tagged.mask & box.active & ~port.untagged.mask,
        )

    def members(self, port: General) -> Mask:
        return port.untagged.mask | port.tagged.mask

    def heard_by_station(self, port: General) -> list[Vid]:
        return [] if port.pvid is None else [port.pvid]

    def untagged(self, port: General) -> Vid | None:
        return port.pvid

    def vlans(self, port: General) -> str:
        only = "" if port.frames in {FrameTypes.ALL, None} else f", only {port.frames.value}"
        filtering = "" if port.filtering in {True, None} else ", no filtering"
        pvid = "none" if port.pvid is None else port.pvid
        return f"pvid {pvid}, untagged {port.untagged}, tagged {port.tagged}{only}{filtering}"

    def unknown(self, port: General, stance: Stance | None) -> str:
        if port.filtering is None:
            return "whether this port filters what comes in is not stated"
        return "which frames this port admits is not stated" if port.frames is None else ""


def as_registered(port: Port, some: Mask) -> Port:
    """Returns a port as it is for VLANs that come to it by registration: a tagged member of those of some that it may take.

    Where its PVID is among them, it lets untagged frames in from then on, though it filters.
    """
    vlans = VlanSet.from_mask((port.registration.normal - port.registration.forbidden).mask & some)
    own = port.switching
    takes = isinstance(own, General) and own.pvid in vlans and own.frames is not FrameTypes.TAGGED
    pvid = own.pvid if isinstance(own, General) and takes else None
    return replace(port, switching=General(pvid, NONE, vlans, FrameTypes.ALL if takes else FrameTypes.TAGGED, True))


def plainest(port: General, own_tag: bool | None) -> Switching:
    """Returns what a general port is in the words of the trade, where that is exactly the same; else the port.

    Args:
        port: a port with everything stated.
        own_tag: whether access ports of its box accept their own VID as a tag; None when that is not stated. The box
            must be one whose trunks accept their native VLAN tagged, and no native VLAN that is not in their list.
    """
    members = port.untagged | port.tagged
    if port.plain or port.frames is None or not (port.filtering or port.frames is FrameTypes.UNTAGGED):
        return port
    takes = port.pvid if port.frames is not FrameTypes.TAGGED and port.pvid in members else None
    if port.tagged - port.untagged:
        native = next(iter(port.untagged)) if len(port.untagged) == 1 else None
        fits = len(port.untagged) < 2 and takes == native and port.frames is not FrameTypes.UNTAGGED and port.pvid != 0
        return Trunk(native, members) if fits else port
    if takes is None or port.untagged != VlanSet([takes]) or port.frames is FrameTypes.TAGGED:
        return port
    return Access(takes) if own_tag is (port.frames is FrameTypes.ALL) else port
