"""The spanning tree's settings: who is root, and whether somebody meant it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from inkov.forwarding.trees import Part, Tree
from inkov.model.names import natural
from inkov.model.settings import Setting
from inkov.model.source import Source
from inkov.model.switch import Switch
from inkov.model.tree import PRIORITY_STEP, Protocol, Region
from inkov.rules import table_cures
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule
from inkov.rules.triangle import OTHER, triangle
from inkov.rules.wording import count, joined

_GOOD = Example(triangle())


def _priority(facts: Facts, switch: str, tree: Tree) -> int:
    return facts.network.switches[switch].tree.priority_in(tree.number)


def _at(facts: Facts, switch: str, tree: Tree) -> Evidence:
    return Evidence(f"priority {_priority(facts, switch, tree)}", _written(facts.network.switches[switch], tree.number))


def _written(switch: Switch, number: int) -> Source:
    """Returns where the priority in the tree of a VLAN or an instance is set."""
    own = number in switch.tree.own
    return switch.origin.of(Setting.TREE_OWN, number) if own else switch.origin.of(Setting.TREE_PRIORITY)


def _rooted(facts: Facts) -> Iterator[tuple[Part, Tree, str]]:
    """Yields each root of a part where there is more than one way, with one of its trees."""
    for part in facts.network.trees.parts:
        seen: set[str] = set()
        for tree in part.trees if part.ring else ():
            for root in sorted({r for n, r in tree.election.root.items() if r != n}, key=natural):
                if root not in seen:
                    seen.add(root)
                    yield part, tree, root


@rule(
    "tree/root",
    Severity.RISK,
    faults=(14,),
    looks_for="A spanning tree whose root nobody chose: no switch has a lower priority than all others.",
    why="Then the lowest address decides, which is the oldest box's, and all traffic between the others is led past it. When "
    "it is switched off, the whole tree is built anew.",
    mend="Give the switch that should be root priority 4096, and its stand-in 8192.",
    breaks=Example(triangle((OTHER, OTHER, OTHER)), place="archive"),
    passes=_GOOD,
)
def root(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a root."""
    for part, tree, name in _rooted(facts):
        members = [n for n, r in tree.election.root.items() if r == name]
        lowest = _priority(facts, name, tree)
        rivals = [n for n in sorted(members, key=natural) if n != name and _priority(facts, n, tree) == lowest]
        if not rivals:
            continue
        busiest = max(part.switches, key=lambda n: len(facts.network.links_at.get(n, ())))
        links = len(facts.network.links_at.get(name, ()))
        yield Fault(
            place=name,
            what=f"{name}, with {count(links, 'link')}, is the root of {count(len(members), 'switch', 'switches')} by accident: "
            f"{count(len(rivals), 'other')} {'has' if len(rivals) == 1 else 'have'} its priority {lowest}, so the lowest address "
            "decided.",
            mend=f"Give the switch that should be root priority 4096 and its stand-in 8192; {busiest} has the most links.",
            evidence=tuple(_at(facts, n, tree) for n in dict.fromkeys([name, busiest])),
            causes=(Cause(name, Setting.TREE_PRIORITY),),
        )
    yield from _nobody(facts)


def _nobody(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a part whose root is not known because several have the lowest priority."""
    network = facts.network
    for part in network.trees.parts:
        said = {n: s.tree for n in part.switches if (s := network.switches[n]).tree.protocol is not None}
        if part.trees or not part.ring or not said or any(t.own for t in said.values()):
            continue
        lowest = min(t.priority for t in said.values())
        rivals = sorted((n for n, t in said.items() if t.priority == lowest), key=natural)
        if len(rivals) > 1:
            busiest = max(part.switches, key=lambda n: len(network.links_at.get(n, ())))
            yield Fault(
                place=busiest,
                what=f"Nobody chose the root: {joined(rivals, 3)} all have priority {lowest}, so the lowest address decides.",
                mend=f"Give the switch that should be root priority 4096 and its stand-in 8192; {busiest} has the most links.",
                evidence=tuple(
                    Evidence(f"priority {lowest}", network.switches[n].origin.of(Setting.TREE_PRIORITY))
                    for n in rivals[:2]
                ),
                causes=tuple(Cause(n, Setting.TREE_PRIORITY) for n in dict.fromkeys([busiest, *rivals])),
            )


@rule(
    "tree/edge-root",
    Severity.RISK,
    faults=(14,),
    looks_for="A switch of role edge, or without a role at the rim of the campus, that is the root of a spanning tree with more "
    "than one way.",
    why="Traffic between the large switches is then led down to a small one at the rim, over its slow uplinks.",
    mend="Give a core switch a lower priority than any other.",
    cure=table_cures.use_usual_priority,
    breaks=Example(
        {n: t.replace("tree:", "role: edge\ntree:") if n == "archive.yaml" else t for n, t in triangle().items()},
        place="archive",
    ),
    passes=_GOOD,
)
def edge_root(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a root."""
    for _, tree, name in _rooted(facts):
        switch = facts.network.switches[name]
        lowest = _priority(facts, name, tree)
        chosen = all(_priority(facts, n, tree) > lowest for n, r in tree.election.root.items() if r == name != n)
        inner = _further_in(facts, name) if chosen and not switch.role else ""
        if switch.role == "edge" or inner:
            where = "is a switch of role edge" if switch.role else f"hangs on {inner} at the rim of the campus"
            yield Fault(
                place=name,
                what=f"{name} {where}, and is the root of the tree: traffic between the others is led by way of it.",
                mend=f"Take the priority off {name}, and give the switch that should be root a lower one than any other.",
                evidence=(
                    *([Evidence("role edge", switch.origin.of(Setting.ROLE))] if switch.role else ()),
                    _at(facts, name, tree),
                ),
                causes=(Cause(name, Setting.TREE_PRIORITY),),
            )


def _further_in(facts: Facts, name: str) -> str:
    """Returns a switch that one at the rim hangs on: it has one or two links, and its neighbours all have far more."""
    at_ = facts.network.links_at
    fars = sorted({k.far_switch(name) for k in at_.get(name, ())}, key=natural)
    rim = 0 < len(at_.get(name, ())) <= 2 and all(len(at_.get(f, ())) > 2 * len(at_[name]) for f in fars)
    return fars[0] if rim else ""


@rule(
    "tree/priority",
    Severity.RISK,
    faults=(14,),
    looks_for="A bridge priority that is not a multiple of 4096.",
    why="The low twelve bits hold the number of the VLAN or instance (IEEE 802.1Q-2022, 14.2.5). A switch refuses such a "
    "value or rounds it, and another one may become root than was meant.",
    mend="Use a multiple of 4096.",
    cure=table_cures.round_priority,
    breaks=Example(triangle(("{protocol: rstp, priority: 1000}", OTHER, OTHER)), place="archive"),
    passes=_GOOD,
)
def priority(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch."""
    for switch in facts.network.switches.values():
        said = {0: switch.tree.priority, **switch.tree.own}
        odd = sorted({p for p in said.values() if p % PRIORITY_STEP})
        if odd:
            below = odd[0] // PRIORITY_STEP * PRIORITY_STEP
            yield Fault(
                place=switch.name,
                what=f"Priority {joined(map(str, odd))} of {switch.name} is no multiple of {PRIORITY_STEP}: it will be refused or rounded.",
                mend=f"Use a multiple of {PRIORITY_STEP}, such as {below} or {below + PRIORITY_STEP}.",
                evidence=(
                    Evidence(f"priority {odd[0]}", _written(switch, next(n for n, p in said.items() if p == odd[0]))),
                ),
                causes=(Cause(switch.name, Setting.PRIORITY_STEP),),
            )


_REGION = "{{protocol: mstp, priority: {}, region: {{name: {}, revision: {}, instances: {{1: {}}}}}}}"


def _regions(*said: tuple[str, int, str]) -> dict[str, str]:
    trees = [_REGION.format(4096 if i == 0 else 32768, *one) for i, one in enumerate(said)]
    return triangle((trees[0], trees[1], trees[2]))


@rule(
    "tree/regions",
    Severity.RISK,
    faults=(13,),
    looks_for="Neighbouring MSTP switches that were meant to be one region and differ in name, revision or VLAN mapping.",
    why="They are then two regions: between them there is one tree for all VLANs, and a VLAN may be blocked where its own "
    "instance would let it pass.",
    mend="Set the same name, revision and mapping on all switches of the region.",
    breaks=Example(_regions(("reef", 1, "310"), ("reef", 1, "310"), ("reef", 2, "310")), place="pump-loft"),
    passes=Example(_regions(*[("reef", 1, "310")] * 3)),
)
def regions(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a configuration that is in the minority."""
    network = facts.network
    for part in network.trees.parts:
        said: dict[Region, list[str]] = defaultdict(list)
        for n in part.switches:
            tree = network.switches[n].tree
            if tree.protocol is Protocol.MSTP and tree.region is not None:
                said[tree.region].append(n)
        if len(said) < 2:
            continue
        usual, homes = max(said.items(), key=lambda item: (len(item[1]), -part.switches.index(item[1][0])))
        for region, names in said.items():
            differs = _differs(region, usual)
            if region != usual and len(differs) < 3:  # nothing in common: two regions on purpose
                place = joined(names)
                yield Fault(
                    place=place,
                    what=f"{place} {'is' if len(names) == 1 else 'are'} in a region of {'its' if len(names) == 1 else 'their'} own: "
                    f"the {' and the '.join(differs)} {'differs' if len(differs) == 1 else 'differ'} from {joined(homes, 3)}.",
                    mend="Set the same name, revision and mapping on all switches of the region.",
                    evidence=tuple(
                        Evidence(
                            f"region {r.name!r}, revision {r.revision}",
                            network.switches[n].origin.of(Setting.TREE_REGION),
                        )
                        for r, n in ((region, names[0]), (usual, homes[0]))
                    ),
                    causes=tuple(Cause(n, Setting.TREE_REGION) for n in names),
                )


def _differs(a: Region, b: Region) -> list[str]:
    found = {"name": a.name != b.name, "revision": a.revision != b.revision, "mapping": a.instances != b.instances}
    return [what for what, yes in found.items() if yes]
