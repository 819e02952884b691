"""Ports of boxes where each VLAN is a bridge of its own, with a subinterface for each tag."""

from __future__ import annotations

from inkov.kinds.kind import Box, Faces, Fixed, bit
from inkov.kinds.relay import Mask, RelayMap
from inkov.model.settings import Setting
from inkov.model.switch import Bridged
from inkov.model.vlanset import Vid


class BridgedKind(Fixed[Bridged]):
    """A port of such a box. The bridge of its untagged frames does not filter: tags without a subinterface pass it whole."""

    word = "bridged"
    faces = Faces.TAGS
    setting = Setting.BRIDGED
    habits = ()

    def relay(self, port: Bridged, box: Box) -> RelayMap:
        untagged, same, others, swallowed = bit(port.untagged) & box.active, 0, [], 0
        for tag, domain in port.tagged:
            if not box.active >> domain & 1:
                swallowed |= 1 << tag
            elif tag == domain:
                same |= 1 << domain
            else:
                others.append((tag, domain))
        return RelayMap(
            untagged,
            same,
            untagged,
            same,
            in_mapped=tuple(others),
            out_mapped=tuple((d, t) for t, d in others),
            keeps=bool(untagged),
            swallows=swallowed,
        )

    def members(self, port: Bridged) -> Mask:
        made = bit(port.untagged)
        for _, domain in port.tagged:
            made |= 1 << domain
        return made

    def heard_by_station(self, port: Bridged) -> list[Vid]:
        return [] if port.untagged is None else [port.untagged]

    def untagged(self, port: Bridged) -> Vid | None:
        return port.untagged

    def vlans(self, port: Bridged) -> str:
        plain = [f"untagged in {port.untagged}"] if port.untagged else []
        return ", ".join([*plain, *(f"tag {tag} in {d}" for tag, d in port.tagged)]) or "in no bridge"
