"""The advice on allowed lists as plain data: what each end of a trunk should allow, and what that saves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from inkov.forwarding.needs import Side
from inkov.model.settings import Setting
from inkov.model.vlanset import NONE, Vid, VlanSet
from inkov.plan.trim import EndPlan, LinkPlan, Trim
from inkov.rules.wording import count, joined, named


@dataclass(frozen=True, slots=True)
class EndRow:
    """One end of a trunk, that is, one direction.

    Attributes:
        port: `switch:port`.
        allows: its list now, as range text, of the VLANs in use.
        needed: VLANs with members on both sides.
        surplus: VLANs in use it allows for nothing.
        missing: VLANs needed and not allowed.
        protected: VLANs not needed and kept all the same.
        exact: the list to set, as numbers and ranges.
        all_except: the same for the VLANs in use, as what to leave out.
        spared: how many VLANs are no longer sent here.
        source: where the list is set.
    """

    port: str
    allows: str
    needed: str
    surplus: str
    missing: str
    protected: str
    exact: str
    all_except: str
    spared: int
    source: str


@dataclass(frozen=True, slots=True)
class Reason:
    """Why a link must carry a VLAN.

    Attributes:
        vlan: which.
        because: who has members on both sides, and whether there is another way.
        missing: the lists that leave it out; empty when none does.
        cut_off: how many member ports that costs now.
        kept_off: what else keeps it off now; empty when nothing does.
    """

    vlan: int
    because: str
    missing: str
    cut_off: int
    kept_off: str


@dataclass(frozen=True, slots=True)
class TrimRow:
    """A link.

    Attributes:
        a: one end.
        b: the other end.
        ends: those of its ends that have a list; none where there is nothing to advise.
        reasons: why it must carry the VLANs that do not cross it, or when asked for, each that it needs; lowest first.
        skipped: why there is no advice; empty when there is.
    """

    a: str
    b: str
    ends: tuple[EndRow, ...]
    reasons: tuple[Reason, ...]
    skipped: str


@dataclass(frozen=True, slots=True)
class GrowthRow:
    """A list that today's trimming would make too short once the planned switches are there."""

    port: str
    vlans: str
    because: str


@dataclass(frozen=True, slots=True)
class TrimView:
    """All the advice.

    Attributes:
        links: in natural order.
        sent: how often a VLAN is sent over a trunk port now: VLANs, summed over ports.
        spared: how many of those would no longer be.
        growth: what planned switches would be hurt by; none without planned switches.
    """

    links: tuple[TrimRow, ...]
    sent: int
    spared: int
    growth: tuple[GrowthRow, ...]


def trim_view(
    trim: Trim,
    switches: frozenset[str] | None = None,
    vlans: VlanSet | None = None,
    before: Trim | None = None,
    *,
    why: bool = False,
) -> TrimView:
    """Returns the advice; on links of some switches only, about some VLANs only.

    Args:
        trim: the advice.
        switches: only links of these.
        vlans: only these VLANs.
        before: the advice without the planned switches, if there are some.
        why: give a reason for every VLAN that a link needs.
    """
    plans = [p for p in trim.links if switches is None or {p.link.a.switch, p.link.b.switch} & switches]
    rows = tuple(_row(trim, plan, vlans, why=why) for plan in plans)
    sent = sum(len(trim.network.ladder(p.link).carried) * len(p.ends) for p in plans if trim.network.joined(p.link))
    hurt = before.hurt(trim) if before is not None else []
    growth = tuple(GrowthRow(str(h.end), str(h.vlans), _grown(trim, before, h.vlans)) for h in hurt if before)
    return TrimView(rows, sent, sum(e.spared for r in rows for e in r.ends), growth)


def _grown(trim: Trim, before: Trim, vlans: VlanSet) -> str:
    new = [n for n in trim.network.switches if n not in before.network.switches]
    holders = [n for n in new if any(n in trim.network.members.get(v, {}) for v in vlans)]
    return f"{joined(holders or new)} will have members of {vlans}"


def _row(trim: Trim, plan: LinkPlan, vlans: VlanSet | None, *, why: bool) -> TrimRow:
    link = plan.link
    needed = NONE
    for end in plan.ends:
        needed |= end.needed if why else end.missing
    for loss in plan.stopped:
        needed |= loss.vlans & VlanSet.from_mask(trim.needs.needed(link))
    shown = needed if vlans is None else needed & vlans
    return TrimRow(
        str(link.a),
        str(link.b),
        tuple(_end(trim, end, vlans) for end in plan.ends),
        tuple(_reason(trim, plan, vid) for vid in shown),
        plan.skipped,
    )


def _end(trim: Trim, end: EndPlan, vlans: VlanSet | None) -> EndRow:
    used = VlanSet.from_mask(trim.network.used)
    shown = used if vlans is None else used & vlans
    left_out = used - end.wanted
    return EndRow(
        port=str(end.end),
        allows=str(end.allowed & shown),
        needed=str(end.needed & shown),
        surplus=str(end.surplus & shown),
        missing=str(end.missing & shown),
        protected=str(end.protected & shown),
        exact=end.wanted.exact,
        all_except=f"all but {left_out.exact}" if left_out else "all",
        spared=len(end.spared & shown),
        source=str(trim.network.port(end.end).origin.of(Setting.ALLOWED)),
    )


def _reason(trim: Trim, plan: LinkPlan, vid: Vid) -> Reason:
    missing = [str(e.end) for e in plan.ends if vid in e.missing]
    sides = trim.needs.sides(plan.link, vid)
    return Reason(
        vid,
        f"{named(trim.network, vid)}: {_because(trim, plan, sides)}",
        f"not in the list of {joined(missing)}" if missing else "",
        trim.cut_off(vid, sides) if missing else 0,
        next((str(loss) for loss in plan.stopped if vid in loss.vlans), ""),
    )


def _because(trim: Trim, plan: LinkPlan, sides: list[Side]) -> str:
    """Returns in a sentence who needs a VLAN on a link."""
    ring = trim.needs.ring(plan.link)
    how = f"one of {len(ring)} links of a ring, and the tree may open any" if ring else "this is the only way"
    if not sides:
        return "a router at this link has an address in it"
    return f"{' - '.join(_side(s) for s in sides)}; {how}"


def _side(side: Side) -> str:
    first = [f"{name} {count(n, 'member')}" for name, n in side.members[:1]]
    rest: Sequence[tuple[str, int]] = side.members[1:]
    if rest:
        first.append(f"{count(len(rest), 'more switch', 'more switches')} {sum(n for _, n in rest)}")
    return " and ".join(first)
