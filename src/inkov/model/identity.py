"""Which device is meant: by a name that somebody wrote, and by what a neighbour tells of itself (IEEE 802.1AB-2016, 8.5.2 and 8.5.6).

One place decides for cables, hosts, claims, changes and discovery:

- A name means the device of that name, in any case; a short name means the one device whose long name begins with it, and
  the other way. Names with two different domains are two devices.
- A chassis address outweighs a name. Two devices with two addresses are two, whatever they call themselves.
- Where a name and an address say different devices, either may be meant, and neither surely.

The checker of certificates has rules of its own for the same; a test compares the two.
"""

from __future__ import annotations

import fnmatch
import re
from collections import defaultdict
from collections.abc import Collection, Container, Iterable, Mapping
from functools import lru_cache
from itertools import chain
from typing import Final, NamedTuple

from inkov.model.names import PortRef, natural
from inkov.model.switch import Heard, Switch

_DOMAIN: Final = re.compile(r"\.[A-Za-z][\w-]*(?:\.[\w-]+)*\.?\Z")
MAC: Final = re.compile(r"[0-9a-f]{2}(?::[0-9a-f]{2}){5}\Z")
"""An address of a bridge or port, as the model has it."""
_PARTING: Final = re.compile(r"\s*[:\s]\s*")
_WILD: Final = re.compile(r"[*?[]")


# -- names that people write -------------------------------------------------------------------------


def without_domain(name: str) -> str:
    """Returns a name in lower case, and without the domain that it ends with."""
    return _DOMAIN.sub("", name.casefold().rstrip("."))


def same_name(a: str, b: str) -> bool:
    """Tells whether two names may be of one device: equal but for case, or one is the other without its domain."""
    one, other = a.casefold().rstrip("."), b.casefold().rstrip(".")
    return one == other or (bool(one and other) and (without_domain(one) == other or without_domain(other) == one))


def device_named(name: str, known: Collection[str]) -> str:
    """Returns which of some devices a name is meant for: the one of that name, or the only one but for case and the domain.

    Where there is none, or two domains differ, it is the name as it is.
    """
    if name in known:
        return name
    fits = _by_short_name(_Same(known)).get(without_domain(name), ())
    return fits[0] if len(fits) == 1 and same_name(name, fits[0]) else name


class _Same:
    """Some devices as a key: the very same object, as lists of hosts and ports ask about one campus a thousand times."""

    def __init__(self, known: Collection[str]) -> None:
        self.known, self.size = known, len(known)

    def __hash__(self) -> int:
        return id(self.known)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and other.known is self.known and other.size == self.size


@lru_cache(maxsize=4)
def _by_short_name(known: _Same) -> Mapping[str, list[str]]:
    fits: dict[str, list[str]] = defaultdict(list)
    for name in known.known:
        fits[without_domain(name)].append(name)
    return fits


def devices_matching(pattern: str, known: Collection[str]) -> list[str]:
    """Returns the devices whose names match a pattern, or the one that it names."""
    if _WILD.search(pattern) and (fits := _matching(pattern, _Same(known))):
        return list(fits)
    named = device_named(pattern, known)
    return [named] if named in known else []


@lru_cache(maxsize=128)
def _matching(pattern: str, known: _Same) -> tuple[str, ...]:
    return tuple(fnmatch.filter(known.known, pattern))


def port_in(text: str, switches: Mapping[str, Container[str]]) -> PortRef | None:
    """Returns the port that `switch:port` or `switch port` stands for where both are known, wherever the names are parted.

    Args:
        text: as written; names may hold colons and blanks themselves.
        switches: the ports of each switch.
    """
    text = text.strip()
    parted = [PortRef(text[: m.start()].strip(), text[m.end() :].strip()) for m in _PARTING.finditer(text)]
    meant = (PortRef(device_named(switch, switches), port) for switch, port in parted)
    return next((r for r in chain(parted, meant) if r.switch in switches and r.port in switches[r.switch]), None)


# -- neighbours that discovery hears -----------------------------------------------------------------


class Meant(NamedTuple):
    """Which device of a campus a neighbour may be.

    Attributes:
        devices: the devices that it may be: none for a stranger, one, or two where its name and its address differ.
        stranger: it may be a device that is not in the campus.
        doubt: why it is not sure which device it is; empty when it is.
    """

    devices: tuple[str, ...]
    stranger: bool
    doubt: str = ""


class Devices:
    """The devices of a campus, asked which of them a neighbour is. A look-up costs the same in every campus."""

    def __init__(self, switches: Mapping[str, Switch]) -> None:
        self.switches = switches
        self._at: dict[str, list[str]] = defaultdict(list)
        for switch in switches.values():
            if switch.mac:
                self._at[switch.mac].append(switch.name)
        self._cache: dict[tuple[str, str], Meant] = {}

    def heard(self, heard: Heard) -> Meant:
        """Returns which device a neighbour is."""
        key = heard.system, heard.chassis
        if key not in self._cache:
            self._cache[key] = self._meant(*key)
        return self._cache[key]

    def _meant(self, system: str, chassis: str) -> Meant:
        named = device_named(system, self.switches) if system else ""
        named = named if named in self.switches else ""
        at = self._at.get(chassis, []) if chassis else []
        if named in at or (not at and not named):
            return Meant((named,) if named else (), stranger=not named)
        if len(at) == 1 and not named:
            return Meant((at[0],), stranger=False)
        if at:
            some = tuple(dict.fromkeys([*at, *([named] if named else [])]))
            what = f"a neighbour calls itself {system}, and " if named else "a neighbour "
            return Meant(some, stranger=False, doubt=f"{what}has address {chassis}, which is of {' and of '.join(at)}")
        if not self._contradicts(named, chassis):
            return Meant((named,), stranger=False)
        doubt = f"a neighbour calls itself {system}, and has address {chassis}; {named} has {self.switches[named].mac}"
        return Meant((named,) if named == system else (), stranger=True, doubt=doubt)

    def _contradicts(self, name: str, chassis: str) -> bool:
        """Tells whether a chassis address is surely none of a device: it has another, and no port of it has this one."""
        switch = self.switches[name]
        if not (MAC.match(chassis) and MAC.match(switch.mac)) or chassis == switch.mac:
            return False
        return all(chassis not in port.known_as for port in switch.ports.values())


def strangers(heard: Iterable[tuple[PortRef, Heard]], known: Container[str]) -> dict[str, list[PortRef]]:
    """Parts ports by which device outside of the campus they may have heard.

    Neighbours with one address are one device; those with two addresses are two; of those without an address, names decide.

    Args:
        heard: ports with strange neighbours that they heard.
        known: names that no stranger may have here.

    Returns:
        The ports of each stranger by a name that is its own, in natural order; ports in natural order.
    """
    groups: list[_Stranger] = []
    for ref, one in sorted(heard, key=lambda e: (not e[1].chassis, e[0].order, e[1].system, e[1].chassis)):
        fits = [g for g in groups if g.may_be(one)]
        merged = _Stranger.of([*fits, _Stranger({one.chassis} - {""}, {one.system} - {""}, {ref})])
        groups = [*(g for g in groups if g not in fits), merged]
    often: dict[str, int] = defaultdict(int)
    for group in groups:
        often[group.shown] += 1
    named = {
        g.shown if often[g.shown] == 1 and g.shown not in known else f"{g.shown} ({', '.join(sorted(g.addresses))})": g
        for g in groups
    }
    return {n: sorted(named[n].ports, key=lambda r: r.order) for n in sorted(named, key=natural)}


class _Stranger(NamedTuple):
    addresses: set[str]
    names: set[str]
    ports: set[PortRef]

    @classmethod
    def of(cls, some: Iterable[_Stranger]) -> _Stranger:
        return cls(*(set().union(*part) for part in zip(*some, strict=True)))

    def may_be(self, one: Heard) -> bool:
        """Tells whether it may be the neighbour that was heard."""
        if (
            one.chassis
            and self.addresses
            and (one.chassis in self.addresses or _addresses(one.chassis, self.addresses))
        ):
            return one.chassis in self.addresses
        return any(same_name(one.system, name) for name in self.names if one.system)

    @property
    def shown(self) -> str:
        """What it is called."""
        return min(self.names or self.addresses, key=natural, default="")


def _addresses(one: str, others: Iterable[str]) -> bool:
    """Tells whether all of some chassis identifiers are addresses, which no two devices have."""
    return all(MAC.match(a) for a in (one, *others))
