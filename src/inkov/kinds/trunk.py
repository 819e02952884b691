"""Trunks: VLANs of a list tagged, the native one untagged, tags that stand for other numbers."""

from __future__ import annotations

from inkov.kinds.kind import Box, Faces, Fixed, Side, bit
from inkov.kinds.relay import Mask, RelayMap, View
from inkov.model.settings import Setting
from inkov.model.switch import Stance, Trunk
from inkov.model.vlanset import Vid


class TrunkKind(Fixed[Trunk]):
    """A trunk. Where its native VLAN is not stated, it may be any, and then any VLAN of the list may cross untagged."""

    word = "trunk"
    faces = Faces.TAGS
    setting = Setting.ALLOWED
    habits = ("native_outside_list", "tagged_native")

    def relay(self, port: Trunk, box: Box) -> RelayMap:
        listed = port.allowed.mask & box.active
        if port.native_stated or box.view is View.USUAL:
            made = self._with_native(port, bit(port.native) & box.active, listed, box)
        elif box.view is View.MAY:
            untagged = box.active if box.habits.native_outside_list else listed
            made = RelayMap(untagged, listed, untagged, listed)
        else:  # each VLAN might be the native one, and leave untagged
            made = RelayMap(in_tagged=listed if box.habits.tagged_native else 0)
        return self._translated(port, made) if port.translate else made

    @staticmethod
    def _with_native(port: Trunk, native: Mask, listed: Mask, box: Box) -> RelayMap:
        if not native & listed and not box.habits.native_outside_list:
            native = 0
        untagged = 0 if port.native_tagged else native
        tagged_in = listed if box.habits.tagged_native or port.native_tagged else listed & ~native
        return RelayMap(untagged, tagged_in, untagged, listed & ~untagged)

    @staticmethod
    def _translated(port: Trunk, made: RelayMap) -> RelayMap:
        wire = dict(port.translate)
        renamed = 0  # tags that do not stand for the VLAN of their number
        for v in (*wire, *wire.values()):
            renamed |= 1 << v
        return RelayMap(
            in_untagged=made.in_untagged,
            in_tagged=made.in_tagged & ~renamed,
            out_untagged=made.out_untagged,
            out_tagged=made.out_tagged & ~renamed,
            in_mapped=tuple((t, d) for t, d in wire.items() if made.in_tagged >> d & 1),
            out_mapped=tuple((d, t) for t, d in wire.items() if made.out_tagged >> d & 1),
        )

    def members(self, port: Trunk) -> Mask:
        return port.allowed.mask

    def heard_by_station(self, port: Trunk) -> list[Vid]:
        return []

    def untagged(self, port: Trunk) -> Vid | None:
        return port.native

    def vlans(self, port: Trunk) -> str:
        mapped = "".join(f", tag {tag} for {vid}" for tag, vid in port.translate)
        return (port.spelling or str(port.allowed)) + mapped

    def words(self, port: Trunk) -> str:
        if port.native is None:
            return "trunk, no native" if port.native_stated else "trunk, native not stated"
        return f"trunk, native {port.native}{' tagged' if port.native_tagged else ''}"

    def unknown(self, port: Trunk, stance: Stance | None) -> str:
        return "" if port.native_stated else "the native VLAN of this trunk is not stated"

    def sides(self, port: Trunk, stance: Stance | None) -> list[Side]:
        if stance is None:
            return [Side.TRUNK_SILENT, Side.TRUNK_ANNOUNCING]
        return [Side.TRUNK_SILENT if stance is Stance.SILENT else Side.TRUNK_ANNOUNCING]
