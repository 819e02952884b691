"""OpenConfig exports, as JSON or as XML: told apart from others, read alone or with other files of the same device, and edited."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any

from inkov.formats import jsontext
from inkov.formats.edits import Edits
from inkov.formats.entry import PART, WHOLE, Entry
from inkov.formats.format import Content, Given, Part
from inkov.formats.openconfig import device as openconfig
from inkov.formats.openconfig import netconf
from inkov.formats.openconfig.wrappers import ROOTS, is_openconfig
from inkov.formats.reading import Reading
from inkov.formats.text import utf8

_LOOKS = re.compile(
    rb'"(?:(?:openconfig-|oc-)[\w-]+:[\w-]+|(?:%s)|ietf-restconf:(?:data|errors)|notifications?|updates?|syncResponse)"'
    % "|".join(sorted(ROOTS)).encode()
)
_WORDS = (
    *(r.replace("-", "[-_]?") for r in ROOTS),
    *("lldp", "neighbou?rs", "snmp", "snmpwalk", "walk", "mibs?", "q?-?bridge", "if-?mib", "ovsdb", "netconf", "dot1q"),
)
_CONTAINER = re.compile(rf"(?i)[-_.]?(?:openconfig[-_.])?(?:{'|'.join(_WORDS)})\Z")


def recognise(data: bytes) -> bool:
    """Tells whether a file is JSON that names what OpenConfig holds; `read` looks closer."""
    return jsontext.is_json(data) and _LOOKS.search(data) is not None


def device_name(stem: str, folder: str) -> str:
    """Returns what a file calls its device by its own name: without the container it holds; then its folder's."""
    return _CONTAINER.sub("", stem) or folder or stem


def read(data: bytes, reading: Reading, given: Given) -> Content:
    """Reads an export.

    Returns:
        The switch; a part when it has no interfaces and is read alone; None for JSON of another kind.

    Raises:
        BadInput: it is not JSON, or an error answer of a device.
    """
    found = _values(data, reading)
    if not any(map(is_openconfig, found)):
        return () if data.lstrip()[:1] == b"<" else None
    export = openconfig.Export(found, reading)
    for content, other in given.parts:
        export.add(_values(content, other), other)
    if not (given.parts or given.alone) and "interfaces" not in export.document:
        return Part(export.name)
    switch = export.switch(given.name)
    if given.assume is not None:
        from inkov.formats.ours.switch_file import habits
        from inkov.kinds.accounts import without_native

        stated, unstated = habits(given.assume)
        switch = replace(switch, habits=stated, unstated_habits=unstated)
        if given.assume.unstated_native == "none":
            switch = replace(switch, ports={n: without_native(p) for n, p in switch.ports.items()})
    whole = "interfaces" in export.document
    return (Entry(switch, named=export.name != "", standing=WHOLE if whole else PART),)


def _values(data: bytes, reading: Reading) -> list[Any]:
    """Returns the values that a file holds, as JSON has them.

    Raises:
        BadInput: it is neither JSON nor XML, or an error answer of a device.
    """
    text = utf8(data)
    if jsontext.is_json(text):
        return jsontext.values(text, reading)
    return netconf.values(text, reading)


def edit(text: str, edits: Edits) -> str:
    """Sets some settings of ports, and VLANs."""
    from inkov.formats.openconfig.json_edits import in_export

    return in_export(text, edits)
