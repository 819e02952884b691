"""General (hybrid) ports: sets of their own, tagged and untagged (IEEE 802.1Q-2022, 8.8.2 and 12.10)."""

from __future__ import annotations

from inkov.kinds.kind import Box, Faces, Fixed, bit
from inkov.kinds.relay import Mask, RelayMap
from inkov.model.settings import Setting
from inkov.model.switch import FrameTypes, General
from inkov.model.vlanset import Vid


class GeneralKind(Fixed[General]):
    """A general port."""

    word = "general"
    faces = Faces.TAGS
    setting = Setting.GENERAL
    habits = ()

    def relay(self, port: General, box: Box) -> RelayMap:
        enters = self.members(port) & box.active if port.filtering else box.active
        return RelayMap(
            in_untagged=bit(port.pvid) & enters if port.frames is not FrameTypes.TAGGED else 0,
            in_tagged=enters if port.frames is not FrameTypes.UNTAGGED else 0,
            out_untagged=port.untagged.mask & box.active,
            out_tagged=port.tagged.mask & box.active & ~port.untagged.mask,
        )

    def members(self, port: General) -> Mask:
        return port.untagged.mask | port.tagged.mask

    def heard_by_station(self, port: General) -> list[Vid]:
        return [] if port.pvid is None else [port.pvid]

    def untagged(self, port: General) -> Vid | None:
        return port.pvid

    def vlans(self, port: General) -> str:
        only = "" if port.frames is FrameTypes.ALL else f", only {port.frames.value}"
        filtering = "" if port.filtering else ", no filtering"
        return f"pvid {port.pvid}, untagged {port.untagged}, tagged {port.tagged}{only}{filtering}"
