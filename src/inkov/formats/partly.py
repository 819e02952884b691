"""Files of which some values cannot be read: the rest counts, and what such a value would have said is not known."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace
from typing import Final

from inkov.formats.entry import Entries
from inkov.model.errors import Problem
from inkov.model.source import Touch, Touches
from inkov.model.switch import Switch

_KEYS: Final = re.compile(r"\[[^\]]*\]|/(?:config|state)(?=/|$)")
_OF_DEVICE: Final = re.compile(
    r"/(?:interfaces/interface\[name=[^\]]+\]/(?!bridge-port/(?:bridge|component)-name|(?:type|higher-layer-if|lower-layer-if)$)"
    r"|(?:vlans|network-instances|acl|stp|lacp|local-routes)/"
    r"|bridges/bridge\[name=[^\]]+\]/component\[name=[^\]]+\]/(?:bridge-vlan|filtering-database)"
    r"|(?:dot1[dqx]|if|ip|portCopy)[A-Z]\w*\."
    r"|Port\[name=[^\]]+\]/(?:tag|trunks|cvlans|vlan_mode|lacp|other_config))"
)
"""Paths at which a value says something of its own device alone, not who is who or what is cabled to what."""

_OF_PORT: Final = re.compile(
    r"/interfaces/interface\[name=([^\]]+)\](?:/config/enabled|/(?:ethernet|aggregation)/switched-vlan/.*)$"
)


def in_part(entries: Entries, wrong: Sequence[Problem]) -> Entries:
    """Returns what was read of a file, with each value that cannot be read as something that is not followed."""
    return tuple(e._replace(switch=_touched(e.switch, wrong)) for e in entries)


def as_partly(problem: Problem) -> Problem:
    """Returns a problem as one of a file that is read in part, where its value says something of its own device alone."""
    return replace(problem, partly=_OF_DEVICE.match(problem.source.path) is not None)


def _touched(switch: Switch, wrong: Sequence[Problem]) -> Switch:
    found = []
    for problem in wrong:
        path, own = "/" + _KEYS.sub("", problem.source.path).lstrip("/"), _OF_PORT.match(problem.source.path)
        port = own[1] if own and own[1] in switch.ports else ""
        kinds = (Touches.FRAMES,) if port else (Touches.FRAMES, Touches.ADDRESSES)
        found += [Touch(path, kind, problem.source, port, broken=True) for kind in kinds]
    return replace(switch, touches=(*switch.touches, *found))
