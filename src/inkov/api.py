"""The Python interface: five calls that do what the commands do, and print nothing."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from os import PathLike

from inkov.formats.site import Progress
from inkov.formats.site import load as _load
from inkov.forwarding.flood import Flooding
from inkov.forwarding.network import Network
from inkov.model.campus import Campus, Claim
from inkov.model.errors import BadInput, Problem, nearest
from inkov.model.names import PortRef
from inkov.model.source import Source
from inkov.proof.outcome import Verdict
from inkov.proof.prove import prove as _prove
from inkov.proof.sentences import BadClaim, parse_claim
from inkov.rules.catalogue import audit as _audit
from inkov.rules.finding import Finding
from inkov.views.tables import HeardRow


def load(path: str | PathLike[str], progress: Progress | None = None) -> Campus:
    """Reads a campus from a folder, a campus file or one switch file.

    Raises:
        BadInput: with every problem of every file.
    """
    return _load(path, progress)


class _ById:
    """A campus as a dictionary key by identity, which is enough to remember its network and cheap."""

    __slots__ = ("campus",)

    def __init__(self, campus: Campus) -> None:
        self.campus = campus

    def __hash__(self) -> int:
        return id(self.campus)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _ById) and other.campus is self.campus


@lru_cache(maxsize=4)
def _network(key: _ById) -> Network:
    return Network(key.campus)


def network(campus: Campus) -> Network:
    """Returns a campus with its forwarding; the last few are remembered, so that calls in a row share the work."""
    return _network(_ById(campus))


def audit(campus: Campus) -> tuple[Finding, ...]:
    """Runs all rules.

    Returns:
        Findings, worst first, those with a common cause folded into one.
    """
    return _audit(network(campus))


def prove(campus: Campus, claims: Sequence[Claim | str] | None = None) -> list[Verdict]:
    """Decides claims: the given ones, or the campus file's, or that every VLAN is apart from every other.

    Args:
        campus: from `load`.
        claims: claims, or sentences such as `"apart tills kiosks"`.

    Raises:
        BadInput: a sentence is no claim, or names an unknown segment.
    """
    net = network(campus)
    if claims is None:
        return _prove(net)
    made: list[Claim] = []
    problems: list[Problem] = []
    for claim in claims:
        try:
            made.append(parse_claim(claim, net) if isinstance(claim, str) else claim)
        except BadClaim as exc:
            problems.append(Problem(Source("claim"), str(exc)))
    if problems:
        raise BadInput(problems)
    return _prove(net, made)


def flood(campus: Campus, source: str, tag: int | None = None, inner: int | None = None) -> list[HeardRow]:
    """Tells who hears a broadcast.

    Args:
        campus: from `load`.
        source: the port it is sent into, as `switch:port`.
        tag: VID on the frame, 0 to 4094; untagged when None.
        inner: VID of a second tag inside the first.

    Returns:
        Items with `.at` (where it leaves, as `switch:port`) and `.tags` (VIDs on it there, outermost first), in
        natural order.

    Raises:
        BadInput: there is no such port, or a second tag without a first.
    """
    ref = port_named(campus, source)
    if inner is not None and tag is None:
        raise BadInput([Problem(Source("flood"), "an inner tag needs an outer one")])
    tags = tuple(v for v in (tag, inner) if v is not None)
    return [HeardRow(str(h.at), h.tags) for h in Flooding(network(campus)).heard(ref, tags)]


def port_named(campus: Campus, text: str) -> PortRef:
    """Returns the port that `switch:port` or the name of a host stands for.

    Raises:
        BadInput: there is none; with a hint.
    """
    if text in campus.hosts:
        return campus.hosts[text].port
    ref = PortRef.parse(text)
    where = Source("port")
    if ref is None:
        hint = nearest(text, campus.hosts, listed=0)
        raise BadInput([Problem(where, f"{text!r:.60} is no port and no host; expected switch:port or a host{hint}")])
    if ref.switch not in campus.switches:
        raise BadInput([Problem(where, f"there is no switch {ref.switch!r}{nearest(ref.switch, campus.switches)}")])
    ports = campus.switches[ref.switch].ports
    if ref.port not in ports:
        raise BadInput([Problem(where, f"{ref.switch} has no port {ref.port!r}{nearest(ref.port, ports)}")])
    return ref
