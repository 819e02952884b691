"""The LLDP tables of an SNMP walk (LLDP-MIB, IEEE 802.1AB-2005, with the 802.1 and MED extensions) to what ports heard."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator
from typing import Final

from inkov.formats.discovery import identifier, kind_of
from inkov.formats.snmp.oids import Index
from inkov.formats.snmp.tables import Tables
from inkov.model.names import natural
from inkov.model.source import Source
from inkov.model.switch import Heard
from inkov.model.vlanset import VID_MAX, VID_MIN, Vid

_CHASSIS_FORMS: Final = {4: "mac", 5: "address"}
_PORT_FORMS: Final = {3: "mac", 4: "address"}
_BY_MAC, _BY_NAME, _LOCAL = 3, 5, 7
_VOICE = 1


def heard(walk: Tables) -> list[Heard]:
    """Returns what the ports of a walk's device heard; of rows that say the same of a neighbour, the newest counts."""
    own = _Ports(walk)
    newest: dict[tuple[int, int], Index] = {}
    for index in walk.tables["lldpRemPortId"]:
        if len(index) == 3:
            key = (index[1], index[2])
            newest[key] = max(index, newest.get(key, index))
    names: dict[Index, list[tuple[Vid, str]]] = defaultdict(list)
    for index, (name, _) in walk.tables["lldpXdot1RemVlanName"].items():
        if len(index) == 4 and VID_MIN <= index[3] <= VID_MAX:
            names[index[:3]].append((index[3], str(name)))
    found: list[Heard] = []
    for index in newest.values():
        port = own.of(index[1])
        if port is None:
            walk.untold.append(f"which port local number {index[1]} of LLDP is")
            continue
        pvid = walk.number("lldpXdot1RemPortVlanId", index)
        far_form = _PORT_FORMS.get(walk.number("lldpRemPortIdSubtype", index) or 0, "")
        chassis_form = _CHASSIS_FORMS.get(walk.number("lldpRemChassisIdSubtype", index) or 0, "")
        found.append(
            Heard(
                port,
                walk.text("lldpRemSysName", index).strip(),
                identifier(walk.octets("lldpRemPortId", index) or b"", far_form),
                identifier(walk.octets("lldpRemChassisId", index) or b"", chassis_form).lower(),
                Source(walk.reading.file, walk.line("lldpRemPortId", index)),
                also=walk.text("lldpRemPortDesc", index),
                kind=kind_of(_enabled(walk.octets("lldpRemSysCapEnabled", index) or b"")),
                pvid=pvid if pvid and VID_MIN <= pvid <= VID_MAX else None,
                names=tuple(sorted(names[index])),
                voice=_voice(walk, index),
            )
        )
    return sorted(found, key=lambda h: (natural(h.port), h.system, h.far_port, h.chassis))


def _voice(walk: Tables, index: Index) -> Vid | None:
    """Returns the VLAN in which a phone sends tagged voice: known, tagged, and not 0 (TIA-1057, 10.2.3.2)."""
    own = (*index, _VOICE)
    vid = walk.number("lldpXMedRemMediaPolicyVlanID", own)
    sends = (
        walk.number("lldpXMedRemMediaPolicyTagged", own) == 1 and walk.number("lldpXMedRemMediaPolicyUnknown", own) != 1
    )
    return vid if vid and sends and VID_MIN <= vid <= VID_MAX else None


def _enabled(octets: bytes) -> Iterator[int]:
    """Yields the numbers of capabilities; here the first bit of the first octet is number 0 (unlike in frames)."""
    yield from (8 * k + j for k, octet in enumerate(octets[:2]) for j in range(8) if octet & 0x80 >> j)


class _Ports:
    """Which port a local port number of LLDP is: by what the port is announced as; the numbering is nobody else's."""

    def __init__(self, walk: Tables) -> None:
        self.walk = walk
        self.by_mac: dict[str, list[int]] = defaultdict(list)
        self.by_name = {n: i for i, n in walk.names.items()}
        for index, (mac, _) in walk.tables["ifPhysAddress"].items():
            self.by_mac[str(mac)].append(index[0])
        aliases = Counter(str(alias) for alias, _ in walk.tables["ifAlias"].values())
        self.by_alias = {
            str(alias): i[0] for i, (alias, _) in walk.tables["ifAlias"].items() if alias and aliases[str(alias)] == 1
        }
        self.by_description = {str(text): i[0] for i, (text, _) in walk.tables["ifDescr"].items()}

    def of(self, number: int) -> str | None:
        """Returns the name of the port; None when that is not certain."""
        walk, index = self.walk, (number,)
        subtype, octets = walk.number("lldpLocPortIdSubtype", index), walk.octets("lldpLocPortId", index)
        if octets is None:
            return None
        text = octets.decode("utf-8", "replace")
        found: int | None = None
        if subtype == _BY_MAC:
            same = self.by_mac.get(octets.hex(":"), [])
            found = same[0] if len(same) == 1 else number if number in same else None
        else:
            found = self.by_name.get(text, self.by_description.get(text))
        described = walk.text("lldpLocPortDesc", index)
        if found is None:
            found = self.by_name.get(described, self.by_description.get(described, self.by_alias.get(described)))
        if found is None and subtype == _LOCAL and text.isdecimal() and len(text) < 10:
            known = {i for i in (walk.ifindex_of.get(int(text)), int(text)) if i in walk.names}
            found = known.pop() if len(known) == 1 else None
        if found is not None:
            return walk.names.get(found)
        return text if subtype == _BY_NAME and not walk.names else None
