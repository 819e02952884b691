"""Healthy campuses must be silent, and one fault in one of them must be the first finding; prints the table.

Usage: python benchmarks/noise.py [campuses]
"""

from __future__ import annotations

import random
import sys
import tempfile
from collections.abc import Callable
from dataclasses import replace
from ipaddress import ip_address, ip_interface
from pathlib import Path

from campus import NATIVE, Shape, write_openconfig

from inkov import api
from inkov.model.campus import Campus, Host
from inkov.model.names import PortRef
from inkov.model.routing import Gateway
from inkov.model.switch import Access, Negotiated, Port, Stance, Switch, Trunk, Vlan
from inkov.model.tree import BridgeTree, PortTree, Protocol
from inkov.model.vlanset import ALL, NONE, VlanSet
from inkov.rules.finding import Finding

Inject = Callable[["Station"], Campus]


class Station:
    """A healthy campus, and a source of random places in it."""

    def __init__(self, folder: Path, seed: int) -> None:
        self.rng = random.Random(seed)
        shape = Shape(
            self.rng.randrange(6, 30),
            24,
            self.rng.randrange(6, 30),
            seed,
            fanout=self.rng.choice([2, 4, 8]),
            rings=seed % 2 == 0,
        )
        write_openconfig(folder, shape)
        self.campus = with_intent(api.load(folder))
        self.links = api.network(self.campus).links

    def switch(self) -> Switch:
        """Returns any switch."""
        return self.rng.choice(list(self.campus.switches.values()))

    def access(self) -> tuple[PortRef, Port]:
        """Returns a port with a station, of a VLAN that other switches use too."""
        switch = self.switch()
        port = self.rng.choice([p for p in switch.ports.values() if p.enabled and isinstance(p.switching, Access)])
        return PortRef(switch.name, port.name), port

    def link(self) -> tuple[PortRef, PortRef]:
        """Returns the two ends of a link that is the only way to something."""
        rings = [k for k in self.links if k.a.port == "p24"]
        alone = [
            k
            for k in self.links
            if k.a.port != "p24" and not any({k.a.switch, k.b.switch} & {r.a.switch, r.b.switch} for r in rings)
        ]
        link = self.rng.choice(alone or self.links)
        return link.a, link.b

    def ports(self, changes: dict[PortRef, dict[str, object]]) -> Campus:
        """Returns the campus with some ports changed."""
        switches = dict(self.campus.switches)
        for ref, change in changes.items():
            switch = switches[ref.switch]
            switches[ref.switch] = replace(
                switch, ports={**switch.ports, ref.port: replace(switch.ports[ref.port], **change)}
            )
        return replace(self.campus, switches=switches)

    def with_switch(self, name: str, **change: object) -> Campus:
        """Returns the campus with one switch changed."""
        return replace(
            self.campus, switches={**self.campus.switches, name: replace(self.campus.switches[name], **change)}
        )

    def trunk(self, ref: PortRef) -> Trunk:
        """Returns what an end of a link is."""
        made = self.campus.switches[ref.switch].ports[ref.port].switching
        assert isinstance(made, Trunk)
        return made

    def used(self, ref: PortRef, far: PortRef) -> int:
        """Returns a VLAN that has members on both switches of a link, or at least on one."""
        vids = [
            {
                p.switching.vid
                for p in self.campus.switches[r.switch].ports.values()
                if p.enabled and isinstance(p.switching, Access)
            }
            for r in (ref, far)
        ]
        return self.rng.choice(sorted(vids[0] & vids[1] or vids[1]))


def with_intent(campus: Campus) -> Campus:
    """Adds a tree with a chosen root, gateways of all VLANs on the first switch, and a host."""
    switches = dict(campus.switches)
    for i, (name, switch) in enumerate(switches.items()):
        ports = {
            n: replace(p, tree=PortTree(edge=True), stance=Stance.SILENT)
            if isinstance(p.switching, Access)
            else replace(p, stance=Stance.SILENT)
            for n, p in switch.ports.items()
        }
        priority = {0: 4096, 1: 8192}.get(i, 32768)
        switches[name] = replace(
            switch, ports=ports, mac=f"02:00:00:00:00:{i:02x}", tree=BridgeTree(Protocol.RSTP, priority)
        )
    first = next(iter(switches))
    vids = sorted(v for v in switches[first].vlans if v < NATIVE)
    gateways = tuple(
        Gateway(v, (ip_interface(f"10.0.{n}.1/24"),), source=switches[first].origin.here) for n, v in enumerate(vids)
    )
    switches[first] = replace(switches[first], gateways=gateways, routing=True)
    return replace(campus, switches=switches)


def host(s: Station, address: str, gateway: str) -> Campus:
    """Puts a host on an access port; `{n}` stands for the number of its subnet."""
    ref, port = s.access()
    first = next(iter(s.campus.switches.values()))
    n = sorted(v for v in first.vlans if v < NATIVE).index(port.switching.vid)
    made = Host("desk", ref, ip_interface(address.format(n=n, m=n + 1)), ip_address(gateway.format(n=n)))
    return replace(s.campus, hosts={"desk": made})


def native(s: Station, *, both: bool, vid: int | None = None) -> Campus:
    a, b = s.link()
    vid = vid or s.used(a, b)
    return s.ports(
        {
            e: {"switching": replace(s.trunk(e), native=vid, allowed=s.trunk(e).allowed | VlanSet([vid]))}
            for e in ((a, b) if both else (a,))
        }
    )


def access_link(s: Station, *, both: bool) -> Campus:
    a, b = s.link()
    vid = s.used(a, b)
    return s.ports({e: {"switching": Access(vid)} for e in ((a, b) if both else (a,))})


def unlisted(s: Station) -> Campus:
    a, b = s.link()
    return s.ports({a: {"switching": replace(s.trunk(a), allowed=s.trunk(a).allowed - VlanSet([s.used(a, b)]))}})


def table(s: Station, change: Callable[[int, Vlan], Vlan | None]) -> Campus:
    switch = s.switch()
    vid = s.rng.choice(
        sorted({p.switching.vid for p in switch.ports.values() if p.enabled and isinstance(p.switching, Access)})
    )
    made = change(vid, switch.vlans[vid])
    left = {v: e for v, e in switch.vlans.items() if v != vid}
    return s.with_switch(switch.name, vlans=dict(sorted({**left, **({made.vid: made} if made else {})}.items())))


def port(s: Station, **change: object) -> Campus:
    ref, _ = s.access()
    return s.ports({ref: change})


def negotiated(s: Station, *stances: Stance) -> Campus:
    ends = s.link()
    return s.ports(
        {
            e: {"switching": Negotiated(Access(NATIVE), s.trunk(e)), "stance": how}
            for e, how in zip(ends, stances, strict=False)
        }
    )


def gateway(s: Station, change: Callable[[tuple[Gateway, ...]], tuple[Gateway, ...]]) -> Campus:
    first = next(iter(s.campus.switches.values()))
    return s.with_switch(first.name, gateways=change(first.gateways))


def root_lost(s: Station) -> Campus:
    return replace(
        s.campus, switches={n: replace(w, tree=BridgeTree(Protocol.RSTP)) for n, w in s.campus.switches.items()}
    )


def one_sided(s: Station) -> Campus:
    a, _ = s.link()
    switch = s.campus.switches[a.switch]
    return s.with_switch(a.switch, heard=tuple(h for h in switch.heard if h.port != a.port))


def labelled(s: Station) -> Campus:
    a, b = s.link()
    other = next((n for n in s.campus.switches if n not in {a.switch, b.switch}), a.switch)
    return s.ports({a: {"label": f"to {other}"}})


def own_voice(s: Station) -> Campus:
    ref, made = s.access()
    return s.ports({ref: {"switching": replace(made.switching, voice=made.switching.vid)}})


def doubled(gateways: tuple[Gateway, ...]) -> tuple[Gateway, ...]:
    wide = ip_interface(f"{gateways[1].addresses[0].ip + 1}/24")
    return (replace(gateways[0], addresses=(*gateways[0].addresses, wide)), *gateways[1:])


FAULTS: dict[str, tuple[set[str], Inject]] = {
    "native VLAN of one end": ({"native/mismatch"}, lambda s: native(s, both=False)),
    "native VLAN with users": ({"native/users"}, lambda s: native(s, both=True)),
    "native VLAN is the default": ({"native/default"}, lambda s: native(s, both=True, vid=1)),
    "link of access ports": ({"trunk/absent"}, lambda s: access_link(s, both=True)),
    "trunk at one end only": ({"trunk/one-sided"}, lambda s: access_link(s, both=False)),
    "VLAN not in one list": ({"list/differs", "ring/gap", "ring/cut"}, unlisted),
    "lists that allow all": (
        {"list/everything"},
        lambda s: s.ports({e: {"switching": replace(s.trunk(e), allowed=ALL)} for e in s.link()}),
    ),
    "list of nothing": (
        {"list/differs", "trunk/absent"},
        lambda s: s.ports({s.link()[0]: {"switching": Trunk(NATIVE, NONE)}}),
    ),
    "VLAN missing in a table": (
        {"vlan/missing", "access/undefined", "gateway/down"},
        lambda s: table(s, lambda *_: None),
    ),
    "VLAN suspended": (
        {"vlan/missing", "access/undefined", "gateway/down"},
        lambda s: table(s, lambda _, e: replace(e, active=False)),
    ),
    "VLAN with another name": ({"vlan/aliases"}, lambda s: table(s, lambda _, e: replace(e, name="other"))),
    "VLAN without a name": ({"vlan/unnamed"}, lambda s: table(s, lambda _, e: replace(e, name=""))),
    "access VLAN mistyped": ({"access/undefined"}, lambda s: port(s, switching=Access(77))),
    "port left in the default VLAN": ({"access/default"}, lambda s: port(s, switching=Access(1))),
    "port that becomes a trunk": (
        {"stance/invites"},
        lambda s: port(
            s, switching=Negotiated(Access(s.access()[1].switching.vid), Trunk(None, ALL)), stance=Stance.PASSIVE
        ),
    ),
    "port told to ask and be silent": (
        {"stance/contradicts"},
        lambda s: port(
            s, switching=Negotiated(Access(s.access()[1].switching.vid), Trunk(None, ALL)), stance=Stance.SILENT
        ),
    ),
    "both ends wait": ({"stance/both-wait"}, lambda s: negotiated(s, Stance.PASSIVE, Stance.PASSIVE)),
    "silent trunk, waiting end": ({"stance/one-sided"}, lambda s: negotiated(s, Stance.PASSIVE)),
    "tag formats differ": ({"tags/differ"}, lambda s: s.ports({s.link()[0]: {"tag_format": "other"}})),
    "voice VLAN undefined": ({"voice/undefined"}, lambda s: port(s, switching=Access(s.access()[1].switching.vid, 78))),
    "voice VLAN is the data VLAN": ({"voice/same"}, own_voice),
    "uplink is an edge port": ({"edge/on-link"}, lambda s: s.ports({s.link()[0]: {"tree": PortTree(edge=True)}})),
    "nobody chose the root": ({"tree/root"}, root_lost),
    "odd bridge priority": (
        {"tree/priority"},
        lambda s: s.with_switch(s.switch().name, tree=BridgeTree(Protocol.RSTP, 33000)),
    ),
    "neighbour heard one way": ({"neighbour/one-sided"}, one_sided),
    "label of another cable": ({"label/contradicts"}, labelled),
    "gateway without its VLAN": (
        {"gateway/down"},
        lambda s: gateway(s, lambda g: (*g, Gateway(79, (ip_interface("10.1.0.1/24"),)))),
    ),
    "routing off": ({"gateway/idle"}, lambda s: s.with_switch(next(iter(s.campus.switches)), routing=False)),
    "subnets overlap": ({"gateway/overlap"}, lambda s: gateway(s, doubled)),
    "host in another subnet": ({"host/subnet"}, lambda s: host(s, "10.9.{n}.9/24", "10.0.{n}.1")),
    "host with another mask": ({"host/mask"}, lambda s: host(s, "10.0.{n}.9/16", "10.0.{n}.1")),
    "host with another gateway": ({"host/gateway"}, lambda s: host(s, "10.0.{n}.9/24", "10.0.{n}.254")),
    "host with the gateway's address": ({"address/twice"}, lambda s: host(s, "10.0.{n}.1/24", "10.0.{n}.1")),
}


def named(findings: tuple[Finding, ...]) -> set[str]:
    return {f.rule for head in findings for f in (head, *head.also)}


def main() -> None:
    count = int(sys.argv[1]) if sys.argv[1:] else 200
    loud: dict[str, int] = {}
    first: dict[str, int] = dict.fromkeys(FAULTS, 0)
    found: dict[str, int] = dict.fromkeys(FAULTS, 0)
    tried: dict[str, int] = dict.fromkeys(FAULTS, 0)
    kinds = list(FAULTS)
    with tempfile.TemporaryDirectory() as made:
        for seed in range(count):
            station = Station(Path(made) / str(seed), seed)
            for finding in api.audit(station.campus):
                if finding.severity.value != "tidy":
                    loud[finding.rule] = loud.get(finding.rule, 0) + 1
            for kind in (kinds[(seed * 5 + n) % len(kinds)] for n in range(5)):
                rules, inject = FAULTS[kind]
                if kind == "nobody chose the root" and seed % 2:
                    continue  # without a ring it does not matter who is
                findings = api.audit(inject(station))
                tried[kind] += 1
                found[kind] += bool(named(findings) & rules)
                first[kind] += bool(findings) and findings[0].rule in rules
    print(f"{count} healthy campuses: {sum(loud.values())} findings above tidy {loud or ''}")
    print(f"{'fault':<34} {'tried':>6} {'found':>6} {'first':>6}")
    for kind in kinds:
        print(f"{kind:<34} {tried[kind]:>6} {found[kind]:>6} {first[kind]:>6}")
    print(f"{'all':<34} {sum(tried.values()):>6} {sum(found.values()):>6} {sum(first.values()):>6}")


if __name__ == "__main__":
    main()
