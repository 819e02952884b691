"""Sync groups: tables that switches copy from each other, and what the next copy would remove."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.forwarding.ladder import vlan_source
from inkov.forwarding.network import Network
from inkov.forwarding.sync import Circle, Syncing
from inkov.model.settings import Setting
from inkov.model.switch import DEFAULT_VLAN, VlanType
from inkov.model.tree import SyncRole
from inkov.model.vlanset import NONE, VlanSet
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import count, joined, vlan_cause, vlans

_TABLE = "{310: tank-sensors, 330: vet-records}"
_PORTS = "{1: {access: 310}, 2: {access: 330}, u1: {trunk: '310,330'}}"
_AUTHOR = "{group: quillfin, role: author, generation: 7, secret: kelp}"
_FOLLOWER = "{group: quillfin, role: follower, generation: 7, secret: kelp}"


def _two(a: str, b: str, table_b: str = _TABLE, *, joined_up: bool = True) -> dict[str, str]:
    far = ("{u1: seal-ward u1}", "{u1: archive u1}") if joined_up else ("{}", "{}")
    return {
        "archive.yaml": switch_text("archive", _TABLE, _PORTS, sync=a, neighbours=far[0]),
        "seal-ward.yaml": switch_text("seal-ward", table_b, _PORTS, sync=b, neighbours=far[1]),
    }


_GOOD = Example(_two(_AUTHOR, _FOLLOWER))


def _said(facts: Facts, switch: str, of: Setting, fact: str) -> Evidence:
    return Evidence(fact, facts.network.switches[switch].origin.of(of))


def _used_on(facts: Facts, switch: str, some: VlanSet) -> tuple[VlanSet, int]:
    """Returns which of some VLANs have member ports or gateways on a switch, and how many ports that is."""
    network = facts.network
    ports = {v: len(network.members.get(v, {}).get(switch, ())) for v in some}
    gateways = network.switches[switch].own_vlans
    return VlanSet(v for v in some if ports[v] or v in gateways), sum(ports.values())


def _in_use(facts: Facts, switch: str, some: VlanSet) -> VlanSet:
    """Returns which of some VLANs a switch has members of, or must relay for others."""
    needed = 0
    for link in facts.network.links_at.get(switch, ()):
        needed |= facts.network.needs.needed(link)
    return _used_on(facts, switch, some)[0] | some & VlanSet.from_mask(needed)


def _dying(facts: Facts, syncing: Syncing, circle: Circle, gone: VlanSet) -> int:
    """Counts the member ports of some VLANs that no longer reach the rest once a circle has settled."""
    after = Network(syncing.settled([circle]))
    islands = after.islands
    dead = 0
    for vid in gone:
        members = {n: len(refs) for n, refs in facts.network.live_members(vid).items()}
        sizes = [sum(members.get(n, 0) for n in island) for island in islands.inhabited(vid)]
        dead += sum(members.values()) - max(sizes, default=0)
    return dead


def _all_circles(syncing: Syncing) -> Iterator[tuple[Circle, bool]]:
    """Yields the circles of today, and those that would be if a group were all joined; the flag tells which."""
    today = syncing.circles
    yield from ((c, True) for c in today)
    seen = {c.members for c in today}
    yield from ((c, False) for c in syncing.would_be() if c.members not in seen)


@rule(
    "sync/wipe",
    Severity.OUTAGE,
    faults=(17,),
    looks_for="A switch whose table is newer than its group's and lacks VLANs that are in use.",
    why="The highest generation wins, whoever has it. An old switch from the store room, edited often in its former life, "
    "removes the VLANs of all others within seconds of being plugged in.",
    mend="Reset its generation before it is joined to the others: take it out of the group and put it back.",
    breaks=Example(
        _two(_AUTHOR, _FOLLOWER.replace("generation: 7", "generation: 90"), "{310: tank-sensors}", joined_up=False),
        place="seal-ward",
    ),
    passes=_GOOD,
)
def wipe(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch with a newer table."""
    syncing = facts.network.syncing
    told: set[str] = set()
    for circle, now in _all_circles(syncing):
        newest = circle.newest
        if newest is None or newest in told:
            continue
        lost = {n: _in_use(facts, n, syncing.vanishing(n, newest)) for n in circle.members if n != newest}
        hit = [n for n, some in lost.items() if some]
        if not hit:
            continue
        gone = NONE
        for some in lost.values():
            gone |= some
        ports = _dying(facts, syncing, circle, gone)
        told.add(newest)
        sync = syncing.sync(newest)
        generation = sync.generation if sync else None
        when = "as soon as it is heard" if now else "as soon as it is joined to them"
        yield Fault(
            severity=Severity.OUTAGE if now else Severity.RISK,
            place=newest,
            what=f"{newest} has generation {generation}, the newest of group {circle.group}, and its table lacks {vlans(gone)}: "
            f"{when}, {joined(hit, 3)} {'lose' if len(hit) > 1 else 'loses'} {'them' if len(gone) > 1 else 'it'} and "
            f"{count(ports, 'port')} {'dies' if ports == 1 else 'die'}.",
            mend=f"Set the generation of {newest} back before it meets the others: give it another group, then this one again.",
            evidence=(
                _said(facts, newest, Setting.SYNC_GENERATION, f"generation {generation}"),
                *(
                    _said(facts, n, Setting.SYNC_GENERATION, f"generation {s.generation}")
                    for n in hit[:2]
                    if (s := syncing.sync(n))
                ),
            ),
            causes=(Cause(newest, Setting.SYNC_GENERATION),),
            vlans=gone,
            ports=ports,
        )


@rule(
    "sync/authors",
    Severity.RISK,
    faults=(17,),
    looks_for="Several authors in one sync group.",
    why="Two people edit two tables, and each edit throws the other's away.",
    mend="Leave one author, and a follower that can become one.",
    breaks=Example(_two(_AUTHOR, _AUTHOR), place="quillfin"),
    passes=_GOOD,
)
def authors(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a circle."""
    syncing = facts.network.syncing
    for circle in syncing.circles:
        found = [n for n in circle.members if (s := syncing.sync(n)) and s.role is SyncRole.AUTHOR]
        if len(found) > 1:
            yield Fault(
                place=circle.group,
                what=f"{joined(found)} are all authors of group {circle.group}: an edit at one throws away what was edited at another.",
                mend="Leave one author.",
                evidence=tuple(_said(facts, n, Setting.SYNC_ROLE, "author") for n in found[:4]),
                causes=tuple(Cause(n, Setting.SYNC_ROLE) for n in found),
            )


@rule(
    "sync/differs",
    Severity.RISK,
    faults=(17,),
    looks_for="Neighbours that both share their table, and differ in group or secret.",
    why="Their tables never match: a VLAN made on one side is missing on the other, and nobody is told.",
    mend="Set the same group and secret at both ends, or switch sharing off at one.",
    breaks=Example(_two(_AUTHOR, _FOLLOWER.replace("kelp", "help")), place="archive:u1 <-> seal-ward:u1"),
    passes=_GOOD,
)
def differs(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link."""
    network = facts.network
    syncing = facts.network.syncing
    for link in network.joins:
        names = (link.a.switch, link.b.switch)
        one, other = (syncing.sync(n) for n in names)
        if one is None or other is None or not syncing.works(link) or not all(map(syncing.passes_on, names)):
            continue
        what = "group" if one.group != other.group else "secret" if one.secret != other.secret else ""
        if what:
            setting = Setting.SYNC_GROUP if what == "group" else Setting.SYNC_SECRET
            shown = [f"group {s.group}" if what == "group" else "its secret" for s in (one, other)]
            yield Fault(
                place=str(link),
                what=f"{names[0]} and {names[1]} share VLAN tables, but not with each other: the {what} differs.",
                mend=f"Set the same {what} on both, or switch sharing off on one.",
                evidence=tuple(_said(facts, n, setting, text) for n, text in zip(names, shown, strict=True)),
                causes=tuple(Cause(n, setting) for n in names),
            )


@rule(
    "sync/own",
    Severity.RISK,
    faults=(17,),
    looks_for="A follower with VLANs of its own making, which the group would share but its newest table does not hold.",
    why="They work until the author's next edit. Then they vanish, and with them every port in them.",
    mend="Make the VLANs on the author.",
    breaks=Example(_two(_AUTHOR, _FOLLOWER, _TABLE[:-1] + ", 340: research}"), place="seal-ward"),
    passes=_GOOD,
)
def own(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a follower."""
    syncing = facts.network.syncing
    for circle in syncing.circles:
        writers = [n for n in circle.members if (s := syncing.sync(n)) and s.role is SyncRole.AUTHOR]
        author = next(iter(writers), circle.newest)
        told = syncing.sync(author) if author else None
        for name in circle.members:
            sync = syncing.sync(name)
            if author is None or told is None or sync is None or sync.role is not SyncRole.FOLLOWER:
                continue
            extra = syncing.vanishing(name, author) - VlanSet([DEFAULT_VLAN])
            newer = (sync.generation or 0) > (told.generation or 0)  # its own table will win: sync/wipe tells
            if extra and not newer:
                yield Fault(
                    place=name,
                    what=f"{name} follows {author} and has {vlans(extra)} of its own: the author's next edit removes "
                    f"{'it' if len(extra) == 1 else 'them'}.",
                    mend=f"Make {vlans(extra)} on {author}.",
                    evidence=(
                        Evidence(f"{next(iter(extra))} defined", vlan_source(facts.network, name, next(iter(extra)))),
                        _said(facts, name, Setting.SYNC_ROLE, "follower"),
                    ),
                    causes=(Cause(name, Setting.OWN_VLANS),),
                    vlans=extra,
                    ports=_used_on(facts, name, extra)[1],
                )


_SPREAD = _AUTHOR.replace("secret", "spread: 1-320, secret"), _FOLLOWER.replace("secret", "spread: 1-320, secret")


@rule(
    "sync/unspread",
    Severity.RISK,
    faults=(17,),
    looks_for="A VLAN that is used on several switches of a sync group, lies outside what the group spreads, and is missing on one.",
    why="People trust the group to bring every VLAN everywhere. Those outside its range must be made on each switch by hand, "
    "and one was forgotten.",
    mend="Define the VLAN on the switch by hand.",
    breaks=Example(_two(*_SPREAD, table_b="{310: tank-sensors}"), place="seal-ward"),
    passes=Example(_two(*_SPREAD)),
)
def unspread(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch."""
    yield from _local(facts, private=False)


_PRIVATE = "{600: {name: boats, type: primary}, 601: {name: alone, type: isolated, primary: 600}}"


def _boats(table_b: str) -> dict[str, str]:
    ports = "{1: {private: {primary: 600, secondary: 601}}, u1: {trunk: '600,601'}}"
    plain = [s.replace("secret", "private: false, secret") for s in (_AUTHOR, _FOLLOWER)]
    return {
        "archive.yaml": switch_text("archive", _PRIVATE, ports, sync=plain[0], neighbours="{u1: seal-ward u1}"),
        "seal-ward.yaml": switch_text("seal-ward", table_b, ports, sync=plain[1], neighbours="{u1: archive u1}"),
    }


@rule(
    "sync/private",
    Severity.RISK,
    faults=(17,),
    looks_for="A private VLAN on a switch whose sync group cannot spread private VLANs, missing on another switch that uses it.",
    why="The group copies plain VLANs only. Private ones stay where they were made, and the next switch drops their frames.",
    mend="Define the private VLANs on each switch by hand.",
    breaks=Example(_boats("{310: tank-sensors}"), place="seal-ward"),
    passes=Example(_boats(_PRIVATE)),
)
def private(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch."""
    yield from _local(facts, private=True)


def _local(facts: Facts, *, private: bool) -> Iterator[Fault]:
    """Yields findings about VLANs that a group leaves to each switch, of one kind."""
    syncing = facts.network.syncing
    for circle in syncing.circles:
        first = circle.newest or circle.members[0]
        known = {v: e for n in circle.members for v, e in syncing.table(n).items() if not syncing.spreads(first, e)}
        local = {v: e for v, e in known.items() if (e.type is not VlanType.PLAIN) is private}
        for switch in circle.members:
            lacking = VlanSet(local) - VlanSet(syncing.table(switch))
            used, ports = _used_on(facts, switch, lacking)
            if used:
                why = (
                    "which the group does not spread because they are private"
                    if private
                    else "which the group does not spread"
                )
                homes = [n for n in circle.members if set(syncing.table(n)) & set(used)]
                yield Fault(
                    place=switch,
                    what=f"{switch} uses {vlans(used)}, {why.replace('they are', 'it is') if len(used) == 1 else why}, and does not "
                    f"define {'it' if len(used) == 1 else 'them'} itself as {joined(homes, 3)} {'does' if len(homes) == 1 else 'do'}.",
                    mend=f"Define {vlans(used)} on {switch} by hand.",
                    evidence=(
                        _said(facts, switch, Setting.SYNC_SPREAD, "what the group spreads"),
                        Evidence("its table", facts.network.switches[switch].origin.of(Setting.VLANS)),
                    ),
                    causes=tuple(vlan_cause(switch, v) for v in used),
                    vlans=used,
                    ports=ports,
                )


@rule(
    "sync/secret",
    Severity.RISK,
    faults=(17,),
    looks_for="An author of a sync group without a secret.",
    why="Anyone who plugs in a switch with the group's name can then replace the VLAN table of all of them.",
    mend="Set a secret on all switches of the group.",
    breaks=Example(
        _two(_AUTHOR.replace(", secret: kelp", ""), _FOLLOWER.replace(", secret: kelp", "")), place="archive"
    ),
    passes=_GOOD,
)
def secret(facts: Facts) -> Iterator[Fault]:
    """Yields one finding an author."""
    for name, switch in facts.network.switches.items():
        if switch.sync is not None and switch.sync.role is SyncRole.AUTHOR and not switch.sync.secret:
            yield Fault(
                place=name,
                what=f"{name} is the author of group {switch.sync.group} and has no secret: any switch plugged in under that name "
                "can replace the table of all.",
                mend="Set a secret on all switches of the group.",
                evidence=(_said(facts, name, Setting.SYNC_GROUP, f"group {switch.sync.group}, no secret"),),
                causes=(Cause(name, Setting.SYNC_SECRET),),
            )
