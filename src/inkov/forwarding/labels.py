"""Cables that labels name: ports at both ends whose labels name each other, while nothing else says that they are cabled."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Mapping
from typing import Final

from inkov.forwarding.cabling import Cabling
from inkov.model.identity import device_named
from inkov.model.names import PortRef, label_words
from inkov.model.switch import Switch

BY_LABEL: Final = "only the labels at both ends say that it is cabled"
"""What is doubtful about an inferred cable."""


_FIRST: Final = re.compile(r"[^\W.:][^\s.:]*")
"""Parts of words that a name of a device may begin with; no less than do."""


def by_labels(switches: Mapping[str, Switch], found: Cabling) -> list[tuple[PortRef, PortRef]]:
    """Returns pairs of ports that nothing says are cabled, and whose labels name each other.

    A label names a switch, and perhaps its port right after it. Where a port is not named, the label must be the only
    one of its switch towards the other.

    Args:
        switches: the switches by name.
        found: what is known of their cables; ports in it, and disabled ones, are left out.
    """
    labels = {port.label for switch in switches.values() for port in switch.ports.values()}
    firsts = {first.casefold() for name in switches for first in _FIRST.findall(name)[:1]}
    naming = {label for label in labels if not firsts.isdisjoint(_FIRST.findall(label.casefold()))}
    if not naming:
        return []
    known = found.known
    says: dict[PortRef, tuple[str, str]] = {}
    for switch in switches.values():
        for port in switch.ports.values():
            if port.label not in naming:
                continue  # as most ports; a colon may part a switch from its port
            ref = PortRef(switch.name, port.name)
            if port.enabled and not port.is_lag and ref not in known:
                named = ends_in_label(port.label, switch.name, switches)
                if len(named) == 1:
                    says[ref] = named[0]
    towards: dict[tuple[str, str], list[PortRef]] = defaultdict(list)
    for ref, (name, _) in says.items():
        towards[ref.switch, name].append(ref)
    pairs: dict[frozenset[PortRef], tuple[PortRef, PortRef]] = {}
    for ref, (name, said) in says.items():
        back = [o for o in towards[name, ref.switch] if said in {"", o.port} and says[o][1] in {"", ref.port}]
        unnamed = not said and len(towards[ref.switch, name]) > 1
        if len(back) == 1 and not (unnamed and says[back[0]][1] != ref.port):
            a, b = sorted((ref, back[0]), key=lambda e: e.order)
            pairs[frozenset((a, b))] = (a, b)
    often = Counter(e for pair in pairs.values() for e in pair)
    return sorted((p for p in pairs.values() if max(often[e] for e in p) == 1), key=lambda p: (p[0].order, p[1].order))


def labelled_alike(before: Switch, after: Switch) -> bool:
    """Tells whether the labels of a switch name no other cables: all are as they were, and no port that has one was turned on."""
    return before.ports is after.ports or (
        before.ports.keys() == after.ports.keys()
        and all(
            was is now or (was.label == now.label and (was.enabled or not now.enabled or not now.label))
            for was, now in zip(before.ports.values(), map(after.ports.__getitem__, before.ports), strict=True)
        )
    )


def ends_in_label(label: str, own: str, switches: Mapping[str, Switch]) -> list[tuple[str, str]]:
    """Returns the switches a label names, each with the port it names right after it, if that is one of its ports.

    Args:
        label: as it is written on the port.
        own: the port's switch, which does not count.
        switches: the switches by name.
    """
    words = label_words(label)
    found: list[tuple[str, str]] = []
    for n, word in enumerate(words):
        name, _, after = word.partition(":")
        name = device_named(name, switches)
        if name in switches and name != own:
            after = after or (words[n + 1] if n + 1 < len(words) else "")
            found.append((name, after if after in switches[name].ports else ""))
    return found
