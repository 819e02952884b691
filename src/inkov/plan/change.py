"""What differs between two campuses, setting by setting, and a campus with some of the differences alone."""

from __future__ import annotations

from collections.abc import Callable, Collection, Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from typing import Any, Final

from inkov.kinds.table import setting_words, trunk_of
from inkov.model.campus import Campus
from inkov.model.names import natural
from inkov.model.settings import Setting
from inkov.model.switch import Port, Switch, Vlan
from inkov.steps.steps import regrouped

Key = tuple[str, str, Hashable, str]
"""A setting: switch, part of it, which of that part, field; the switch is empty for what the campus file says."""


@dataclass(frozen=True, slots=True)
class Change:
    """One setting that differs.

    Attributes:
        key: which.
        at: where: `switch`, `switch:port`, or empty for the campus.
        what: what became of it, in words.
        silent: it is text alone, such as a label, and changes no frame.
    """

    key: Key
    at: str
    what: str
    silent: bool = False


_PORT: Final = tuple(f.name for f in fields(Port) if f.name not in {"name", "origin", "members"})
_WHOLE: Final = (
    "tree",
    "sync",
    "prunes",
    "registration",
    "routing",
    "learns",
    "routes",
    "habits",
    "unstated_habits",
    "kind",
    "mac",
    "role",
    "default_vlan_listed",
    "lacks",
    "limits",
)
_HIDDEN: Final = frozenset({"secret", "source", "origin"})
_FEW: Final = 6
"""So many differences are left out one by one: that takes fewer tries than halving."""
_LONG: Final = 60
"""Two settings of more characters than these are told by what differs."""

_WORDS: Final = {"is_lag": "LAG", "tag_format": "tags", "unstated_habits": "habits not stated", "heard": "neighbours"}


def changes(before: Campus, after: Campus) -> list[Change]:
    """Returns what differs between two campuses, in natural order of switches and ports."""
    found: list[Change] = []
    for name in sorted({*before.switches, *after.switches}, key=natural):
        a, b = before.switches.get(name), after.switches.get(name)
        if a is None or b is None:
            found.append(Change((name, "switch", "", ""), name, "is new" if a is None else "is gone"))
        elif a is not b:
            found += _of_switch(a, b)
    if set(before.cables) != set(after.cables):
        was, now = ({f"{c.a} - {c.b}" for c in campus.cables} for campus in (before, after))
        found += [Change(("", "cable", c, ""), "", f"cable {c} is gone") for c in sorted(was - now, key=natural)]
        found += [Change(("", "cable", c, ""), "", f"cable {c} is new") for c in sorted(now - was, key=natural)]
    return [*found, *_of_named(before, after)]


def _of_named(before: Campus, after: Campus) -> Iterator[Change]:
    """Yields hosts and segments that differ, and the parking VLAN, where both campuses name any."""
    for part, was, now in (("host", before.hosts, after.hosts), ("segment", before.segments, after.segments)):
        for name in dict.fromkeys((*was, *now)) if was and now else ():
            one, other = was.get(name), now.get(name)
            if one != other:
                what = "is new" if one is None else "is gone" if other is None else _differing(one, other)
                yield Change(("", part, name, ""), f"{part} {name}", what)
    if before.parking and after.parking and before.parking != after.parking:
        yield Change(("", "parking", "", ""), "", f"parking VLAN: {before.parking} → {after.parking}")


def _of_switch(a: Switch, b: Switch) -> Iterator[Change]:
    name = a.name
    if (a.vlans is None) != (b.vlans is None):
        said = "no longer lists its VLANs" if b.vlans is None else "lists its VLANs"
        yield Change((name, "table", "", ""), name, said)
    yield from _of_tables(a, b)
    for port in sorted({*a.ports, *b.ports}, key=natural):
        before, after = a.ports.get(port), b.ports.get(port)
        if before is None or after is None:
            yield Change((name, "port", port, ""), f"{name}:{port}", "is new" if before is None else "is gone")
        elif before is not after:
            yield from _of_port(name, before, after)
    yield from _of_parts(a, b)
    if _heard(a) != _heard(b):
        yield Change((name, "heard", "", ""), name, "hears other neighbours")
    for part in _WHOLE:
        if getattr(a, part) != getattr(b, part):
            yield Change(
                (name, part, "", ""), name, _became(part, getattr(a, part), getattr(b, part)), silent=part == "role"
            )


def _of_tables(a: Switch, b: Switch) -> Iterator[Change]:
    """Yields the entries of VLAN tables that differ, where both list them."""
    if a.vlans is None or b.vlans is None:
        return
    for vid in sorted({*a.vlans, *b.vlans}):
        was, now = a.vlans.get(vid), b.vlans.get(vid)
        if was != now:
            silent = was is not None and now is not None and replace(was, name="") == replace(now, name="")
            yield Change((a.name, "vlan", vid, ""), a.name, _vlan(vid, was, now), silent)


def _of_parts(a: Switch, b: Switch) -> Iterator[Change]:
    """Yields the gateways and filters that differ."""
    for part in ("gateway", "filter"):
        was, now = _parts(a, part), _parts(b, part)
        for one in sorted({*was, *now}, key=natural):
            if was.get(one) != now.get(one):
                how = "is new" if one not in was else "is gone" if one not in now else "is another"
                there = was.get(one) or now[one]
                name = f"{part} {there.place if part == 'gateway' else one}"
                said = _became(name, was[one], now[one]) if how == "is another" else f"{name}: {how}"
                yield Change((a.name, part, one, ""), a.name, said)


def _parts(switch: Switch, part: str) -> Mapping[str, Any]:
    return {g.key: g for g in switch.gateways} if part == "gateway" else switch.filters


def _heard(switch: Switch) -> list[tuple[str, str, str, str]]:
    return [(h.port, h.system, h.far_port, h.chassis) for h in switch.heard]


def _of_port(switch: str, a: Port, b: Port) -> Iterator[Change]:
    if a.is_lag != b.is_lag:  # another thing of the same name: all of it or nothing
        what = f"is {'a LAG' if b.is_lag else 'a port'}, was {'a LAG' if a.is_lag else 'a port'}"
        yield Change((switch, "port", a.name, ""), f"{switch}:{a.name}", what)
        return
    for part in _PORT:
        was, now = getattr(a, part), getattr(b, part)
        if was == now:
            continue
        if part == "switching":
            what = _switching(a, b)
        elif part == "enabled":
            what = "enabled" if now else "disabled"
        else:
            what = _became(part, was, now)
        yield Change((switch, "port", a.name, part), f"{switch}:{a.name}", what, silent=part in {"label", "speed"})
    if a.switching == b.switching and a.origin.states(Setting.VOICE) != b.origin.states(Setting.VOICE):
        what = f"a voice VLAN is {'stated' if b.origin.states(Setting.VOICE) else 'no longer stated'}, which does nothing here"
        yield Change((switch, "port", a.name, "origin"), f"{switch}:{a.name}", what, silent=True)


def _switching(a: Port, b: Port) -> str:
    """Returns what became of what a port does with frames; of a list, what it has more or less."""
    was, now = trunk_of(a.switching), trunk_of(b.switching)
    if was and now and type(a.switching) is type(b.switching) and replace(was, allowed=now.allowed) == now:
        less, more = was.allowed - now.allowed, now.allowed - was.allowed
        return "list: " + ", ".join([*([f"without {less}"] if less else []), *([f"with {more}"] if more else [])])
    words = setting_words(a), setting_words(b)
    if type(a.switching) is type(b.switching) and sum(map(len, words)) > _LONG:
        return _differing(a.switching, b.switching)
    return " → ".join(words)


def _vlan(vid: int, was: Vlan | None, now: Vlan | None) -> str:
    if was is None or now is None:
        return f"VLAN {vid} is {'defined' if was is None else 'no longer defined'}"
    if was.active != now.active:
        return f"VLAN {vid} is {'active' if now.active else 'suspended'}"
    if was.name != now.name:
        return f"VLAN {vid} is named {now.name or 'nothing'}, was {was.name or 'nothing'}"
    return f"VLAN {vid}: {was.type.value} → {now.type.value}"


def _became(part: str, was: object, now: object) -> str:
    """Returns what became of a setting; of one with several fields, those that differ."""
    word = _WORDS.get(part, part)
    if hasattr(was, "__dataclass_fields__") and type(was) is type(now):
        return f"{word}: {_differing(was, now)}"
    return f"{word}: {_shown(was)} → {_shown(now)}"


def _differing(was: object, now: object) -> str:
    """Returns the fields in which two values of one type differ, with what became of them."""
    shown = []
    for f in fields(was):  # type: ignore[arg-type]  # a dataclass, as whoever asks has looked
        a, b = getattr(was, f.name), getattr(now, f.name)
        if f.compare and a != b:
            name = f.name.replace("_", " ")
            if f.name in _HIDDEN:
                shown.append(f"{name} changed")
            elif isinstance(a, tuple) and isinstance(b, tuple) and a and b:
                shown.append(f"{name} {_listed(a, b)}")
            else:
                shown.append(f"{name} {_shown(a)} → {_shown(b)}")
    return ", ".join(shown)


def _listed(was: Sequence[object], now: Sequence[object]) -> str:
    """Returns what a list lost and got."""
    gone, new = [x for x in was if x not in now], [x for x in now if x not in was]
    parts = [f"{word} {_shown(tuple(some))}" for word, some in (("without", gone), ("with", new)) if some]
    return " and ".join(parts) or "in another order"


def _shown(value: object) -> str:
    """Returns a value in a few words."""
    if value is None:
        return "not stated"
    if not value and not isinstance(value, bool | int):
        return "none"
    if hasattr(value, "value"):
        return str(value.value)
    if hasattr(value, "__dataclass_fields__") and type(value).__str__ is object.__str__:
        names = [
            n for n in value.__dataclass_fields__ if n not in _HIDDEN and getattr(value, n) not in (None, "", (), {})
        ]
        return " ".join(f"{n} {_shown(getattr(value, n))}" for n in names[:6]) or "none"
    if isinstance(value, Mapping):
        return ", ".join(f"{k} {_shown(v)}" for k, v in list(value.items())[:6])
    if isinstance(value, tuple | frozenset):
        return ", ".join(map(_shown, sorted(value, key=str)[:6]))
    return str(value)


def with_some(before: Campus, after: Campus, keys: Collection[Key]) -> Campus:
    """Returns a campus with some of the differences to another: with all of them it forwards as the other does.

    Args:
        before: the campus.
        after: the other.
        keys: which settings are taken from the other.
    """
    by_switch: dict[str, set[Key]] = {}
    for key in keys:
        by_switch.setdefault(key[0], set()).add(key)
    switches = dict(before.switches)
    said = by_switch.pop("", set())
    for name, own in by_switch.items():
        if name not in after.switches:
            switches.pop(name, None)
        elif name not in before.switches:
            switches[name] = after.switches[name]
        else:
            switches[name] = _mixed(before.switches[name], after.switches[name], own)
    cables = {f"{c.a} - {c.b}": c for c in before.cables}
    theirs = {f"{c.a} - {c.b}": c for c in after.cables}
    hosts, segments = before.hosts, before.segments
    for _, part, one, _ in said:
        if part == "cable":
            cables = _taken(cables, theirs, one)
        elif part == "host":
            hosts = _taken(hosts, after.hosts, one)
        elif part == "segment":
            segments = _taken(segments, after.segments, one)
    known = {(s.name, p) for s in switches.values() for p in s.ports}
    ordered = dict(sorted(switches.items(), key=lambda item: natural(item[0])))
    return replace(
        before,
        switches=ordered,
        cables=tuple(c for c in cables.values() if {tuple(c.a), tuple(c.b)} <= known),
        hosts={name: h for name, h in hosts.items() if tuple(h.port) in known},
        segments=segments,
        parking=after.parking if any(part == "parking" for _, part, _, _ in said) else before.parking,
    )


def _mixed(a: Switch, b: Switch, keys: Collection[Key]) -> Switch:
    """Returns a switch with some settings of another."""
    vlans = None if a.vlans is None else dict(a.vlans)
    ports, gateways, filters = dict(a.ports), {g.key: g for g in a.gateways}, dict(a.filters)
    whole: dict[str, Any] = {}
    for _, part, one, name in sorted(keys, key=str):
        if part == "table":
            vlans = None if b.vlans is None else dict(b.vlans)
        elif part == "vlan":
            vlans = _taken(vlans or {}, b.vlans or {}, one)
        elif part == "port" and (not name or one not in ports or one not in b.ports):
            ports = _taken(ports, b.ports, one)
        elif part == "port":
            told = (
                {name, "origin"} if name == "switching" else {name}
            )  # rules ask what was written, not what counts alone
            ports[str(one)] = replace(ports[str(one)], **{n: getattr(b.ports[str(one)], n) for n in told})
        elif part == "gateway":
            gateways = _taken(gateways, {g.key: g for g in b.gateways}, one)
        elif part == "filter":
            filters = _taken(filters, b.filters, one)
        else:
            whole[part] = getattr(b, part)
    ordered = {n: ports[n] for n in sorted(ports, key=natural)}
    return regrouped(
        replace(a, vlans=vlans, ports=ordered, gateways=tuple(gateways.values()), filters=filters, **whole)
    )


def _taken(mine: Mapping[Any, Any], theirs: Mapping[Any, Any], one: Hashable) -> dict[Any, Any]:
    made = dict(mine)
    if one in theirs:
        made[one] = theirs[one]
    else:
        made.pop(one, None)
    return made


def folded(found: Iterable[Change]) -> list[tuple[str, str, list[Change]]]:
    """Returns changes that are the same on many ports as one: where, what, and which they are."""
    alike: dict[tuple[str, str], list[Change]] = {}
    for change in found:
        port = change.at.partition(":")[2]
        alike.setdefault((change.at.partition(":")[0] if port else change.at, change.what), []).append(change)
    return [(where, what, some) for (where, what), some in alike.items()]


def smallest(candidates: list[Key], brings: Callable[[list[Key]], bool]) -> list[Key]:
    """Returns a smallest set of differences that brings an effect about: no one of it can be left out.

    Where more differences never take the effect away, few tries do: the shortest run of the first ones that brings it about ends
    with one that is needed, and so on with that one taken for given. Where that does not hold, parts are left out until none can
    be (delta debugging).

    Args:
        candidates: differences, the likeliest first; all of them bring it about.
        brings: tells whether some do.
    """
    if len(candidates) <= _FEW:
        return _spared(candidates, candidates, brings)
    needed: list[Key] = []
    rest = candidates
    while not needed or not brings(needed):
        if not rest:
            return _by_parts(candidates, brings)
        last = shortest(needed, rest, brings)
        needed, rest = [*needed, rest[last - 1]], rest[: last - 1]
    # without the last one found the others do not bring it about, as was just tried
    return _spared([key for key in candidates if key in needed], needed[:-1], brings)


def _spared(kept: list[Key], unsure: Collection[Key], brings: Callable[[list[Key]], bool]) -> list[Key]:
    """Leaves differences out, the least likely first, until none can be; one may be spared only once others are gone."""
    again = True
    while again and len(kept) > 1:
        again = False
        for key in [k for k in reversed(kept) if k in unsure]:
            less = [k for k in kept if k != key]
            if less and brings(less):
                kept, again = less, True
    return kept


def shortest(given: list[Key], rest: list[Key], brings: Callable[[list[Key]], bool]) -> int:
    """Returns how many of the first of `rest` bring an effect about beside those given, where all of them do."""
    low, high = 0, 1
    while high < len(rest) and not brings([*given, *rest[:high]]):
        low, high = high, min(2 * high, len(rest))
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if brings([*given, *rest[:middle]]) else (middle, high)
    return high


def _by_parts(candidates: list[Key], brings: Callable[[list[Key]], bool]) -> list[Key]:
    kept, parts = list(candidates), 2
    while len(kept) > 1:
        size = -(-len(kept) // parts)
        pieces = [kept[i : i + size] for i in range(0, len(kept), size)]
        if (one := next((p for p in pieces if brings(p)), None)) is not None:
            kept, parts = one, 2
        elif parts > 2 and (rest := _without_one(pieces, brings)) is not None:
            kept, parts = rest, max(parts - 1, 2)
        elif parts < len(kept):
            parts = min(len(kept), parts * 2)
        else:
            break
    return kept


def _without_one(pieces: list[list[Key]], brings: Callable[[list[Key]], bool]) -> list[Key] | None:
    for i in range(len(pieces)):
        rest = [key for j, piece in enumerate(pieces) if j != i for key in piece]
        if brings(rest):
            return rest
    return None
