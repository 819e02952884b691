"""Everything a report hands over, as plain data: verdict, findings, claims, map, tables, switches, what is not known, inputs."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from inkov.change.drift import DriftView
from inkov.change.history import TrendView
from inkov.drawing.maps import Overlay, map_of
from inkov.drawing.overlays import of_claim, of_tree, of_vlan, usual
from inkov.drawing.picture import Picture, Tone
from inkov.forwarding.network import Network
from inkov.model.names import natural
from inkov.proof.outcome import Verdict
from inkov.rules.finding import Finding
from inkov.rules.wording import count, joined
from inkov.views.findings import AuditView, audit_view
from inkov.views.gateways import GatewaysView, gateways_view
from inkov.views.reports import VerdictView, verdict_views
from inkov.views.tables import LinkRow, PortRow, link_rows, port_rows
from inkov.views.trees import TreesView, trees_view


@dataclass(frozen=True, slots=True)
class VlanLine:
    """A VLAN: its names, how many members and switches, and its parts, each as the switches on it."""

    vlan: int
    names: tuple[str, ...]
    members: int
    switches: int
    parts: tuple[tuple[str, ...], ...]


@dataclass(frozen=True, slots=True)
class SwitchPage:
    """A device: what it is, its VLANs, its ports as rows, and the findings that name it."""

    name: str
    kind: str
    role: str
    mac: str
    vlans: str
    files: tuple[str, ...]
    ports: tuple[PortRow, ...]
    findings: tuple[tuple[str, str, str], ...]


@dataclass(frozen=True, slots=True)
class InputRow:
    """A file that was read: its name, digest, and size in bytes."""

    file: str
    digest: str
    size: int


@dataclass(frozen=True, slots=True)
class Overlaid:
    """A question that may be laid over the map: boxes with the letters of their parts, and links by what they are to say.

    Numbers are those of the drawing's boxes and lines.

    Attributes:
        key: a short word, different for each.
        name: what it asks.
        boxes: what it is about, with a letter where that falls into parts.
        links: numbers by tone; a tone without links is not there.
    """

    key: str
    name: str
    boxes: tuple[tuple[int, str], ...]
    links: tuple[tuple[str, tuple[int, ...]], ...]


@dataclass(frozen=True, slots=True)
class Handover:
    """A report."""

    campus: str
    verdict: tuple[str, ...]
    audit: AuditView
    claims: tuple[VerdictView, ...]
    picture: Picture
    overlays: tuple[Overlaid, ...]
    vlans: tuple[VlanLine, ...]
    links: tuple[LinkRow, ...]
    trees: TreesView
    gateways: GatewaysView
    switches: tuple[SwitchPage, ...]
    assumed: tuple[str, ...]
    unknown: tuple[str, ...]
    notes: tuple[str, ...]
    unread: tuple[str, ...]
    inputs: tuple[InputRow, ...]
    options: tuple[str, ...]
    version: str
    dated: str
    since: DriftView | None
    trend: TrendView | None


def handover(  # noqa: PLR0917 - all that a report is made of
    network: Network,
    findings: Sequence[Finding],
    verdicts: Sequence[Verdict],
    inputs: Sequence[InputRow],
    options: Sequence[str],
    version: str,
    dated: str = "",
    since: DriftView | None = None,
    trend: TrendView | None = None,
    waived: int = 0,
) -> Handover:
    """Puts a report together.

    Args:
        network: the campus with its forwarding.
        findings: of the audit.
        verdicts: of the claims.
        inputs: the files that were read.
        options: as the command was given them.
        version: of the program.
        dated: a date, when one was asked for.
        since: what changed since some earlier state.
        trend: the campus over its revisions.
        waived: findings that are waived.
    """
    network = network.followed
    claims = verdict_views(verdicts)
    broken = [c.name for c in claims if c.outcome == "broken" and not c.failures]
    audit = audit_view(network, findings, waived, broken=broken)
    links = tuple(link_rows(network))
    picture = map_of(network, usual(network))
    from_claims = dict.fromkeys(a for v in claims for a in v.assumed)
    missing = dict.fromkeys(m for v in claims for m in v.missing)
    return Handover(
        campus=network.campus.name,
        verdict=tuple(_verdict(audit, claims, since)),
        audit=audit,
        claims=claims,
        picture=picture,
        overlays=tuple(_overlays(network, picture, links, verdicts)),
        vlans=tuple(_vlan(network, v) for v in sorted({*network.members, *_named(network)})),
        links=links,
        trees=trees_view(network),
        gateways=gateways_view(network),
        switches=tuple(_pages(network, audit)),
        assumed=tuple(from_claims),
        unknown=tuple(missing),
        notes=network.campus.notes,
        unread=tuple(map(str, network.campus.unread)),
        inputs=tuple(inputs),
        options=tuple(options),
        version=version,
        dated=dated,
        since=since,
        trend=trend,
    )


def _verdict(audit: AuditView, claims: Sequence[VerdictView], since: DriftView | None) -> list[str]:
    """Returns three sentences: what is wrong, what is proved, and what changed or is not known."""
    size = audit.size
    looked = f"{count(size.switches, 'device')} with {count(size.ports, 'port')} and {count(size.links, 'link')}"
    wrong = [*audit.unread, *audit.partly]
    whole = not wrong and all(c.outcome != "broken" for c in claims)
    nothing = "Nothing is wrong." if whole else "No rule found a fault."
    said = [f"{audit.summary or nothing} Looked at were {looked}."]
    if claims:
        proved = sum(c.outcome == "proved" for c in claims)
        broken = [c.name for c in claims if c.outcome == "broken"]
        rest = len(claims) - proved - len(broken)
        parts = [f"Of {count(len(claims), 'claim')} {proved} {'is' if proved == 1 else 'are'} proved"]
        later = sum(bool(c.failures) for c in claims if c.outcome == "broken")
        parts += [f"{len(broken)} broken ({joined(broken, 3)})"] if broken else []
        parts += [f"{later} of them only after a failure"] if later else []
        parts += [f"{rest} cannot be told from what the files say"] if rest else []
        said.append(f"{', '.join(parts)}.")
    else:
        said.append("No claims were made; a campus file states them.")
    if since is not None:
        new, gone = len(since.findings.new), len(since.findings.gone)
        said.append(
            f"Since {since.before}: {count(new, 'new finding')}, {gone} gone, {count(len(since.claims), 'claim')} turned."
        )
    elif audit.unread:
        said.append(f"{count(len(audit.unread), 'file')} could not be read, and nothing is said of what they hold.")
    elif audit.partly:
        said.append(f"Some values of {count(len(audit.partly), 'file')} could not be read.")
    else:
        said.append("Every file was read.")
    return said


def _named(network: Network) -> set[int]:
    return {v for s in network.switches.values() for v in s.vlans or ()}


def _vlan(network: Network, vid: int) -> VlanLine:
    names: dict[str, int] = defaultdict(int)
    switches = 0
    for table, holders in network.tables:
        entry = table.get(vid)
        if entry is not None:
            switches += len(holders)
            if entry.name:
                names[entry.name] += len(holders)
    parts = [tuple(sorted(i, key=natural)) for i in network.islands.inhabited(vid)]
    parts.sort(key=lambda p: (-len(p), natural(p[0])))
    members = sum(map(len, network.members.get(vid, {}).values()))
    return VlanLine(vid, tuple(sorted(names, key=lambda n: (-names[n], n))), members, switches, tuple(parts))


_MOST_VLANS = 60
_MOST_CLAIMS = 20


def _overlays(
    network: Network, picture: Picture, links: Sequence[LinkRow], verdicts: Sequence[Verdict]
) -> Iterator[Overlaid]:
    """Yields what may be laid over the map: the tree, claims that are broken or open, and VLANs with most members."""
    if any(b.kind == "bundle" for b in picture.boxes) or len(picture.lines) < len(links):
        return
    number = {b.title.partition("\n")[0]: n for n, b in enumerate(picture.boxes)}
    if network.trees.parts:
        yield _laid("tree", of_tree(network, None), network, number)
    told = [(v, of_claim(network, v.claim, v.outcome)) for v in verdicts]
    for n, (verdict, overlay) in enumerate([(v, o) for v, o in told if o.links or o.boxes][:_MOST_CLAIMS]):
        overlay.name = f"{verdict.claim.name}: {verdict.outcome.word}"
        yield _laid(f"claim{n}", overlay, network, number)
    counts = {v: sum(map(len, m.values())) for v, m in network.members.items()}
    for vid in sorted(sorted(counts, key=lambda v: (-counts[v], v))[:_MOST_VLANS]):
        yield _laid(f"vlan{vid}", of_vlan(network, vid), network, number)


def _laid(key: str, overlay: Overlay, network: Network, number: Mapping[str, int]) -> Overlaid:
    by_tone: dict[str, list[int]] = defaultdict(list)
    for n, link in enumerate(network.links):
        tone = overlay.links.get((link.a, link.b))
        if tone is not None:
            by_tone[tone.value].append(n)
    loud = [n for n, tone in overlay.boxes.items() if tone is not Tone.PLAIN and n in number]
    boxes = tuple((number[n], overlay.islands.get(n, "")) for n in loud)
    return Overlaid(key, overlay.name, boxes, tuple((tone, tuple(found)) for tone, found in sorted(by_tone.items())))


def _pages(network: Network, audit: AuditView) -> list[SwitchPage]:
    ports: dict[str, list[PortRow]] = defaultdict(list)
    for row in port_rows(network):
        ports[row.port.partition(":")[0]].append(row)
    named: dict[str, dict[str, tuple[str, str, str]]] = defaultdict(dict)
    for finding in audit.findings:
        for name in _devices(network, finding.place):
            named[name][finding.id] = (finding.id, finding.severity, finding.place)
    files: dict[str, list[str]] = defaultdict(list)
    for told in network.campus.told:
        files[told.device].append(told.file)
    return [
        SwitchPage(
            s.name,
            s.kind.value,
            s.role,
            s.mac,
            "as used" if s.vlans is None else str(len(s.vlans)),
            tuple(files[s.name]),
            tuple(ports[s.name]),
            tuple(named[s.name].values()),
        )
        for s in network.switches.values()
    ]


def _devices(network: Network, place: str) -> list[str]:
    """Returns the devices that a place names: ends of a link, ports, or the device alone."""
    parts = [p.strip().partition(":")[0] for p in place.replace("<->", "\0").split("\0")]
    return [p for p in parts if p in network.switches]
