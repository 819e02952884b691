"""The Python interface: five calls that do what the commands do, and print nothing."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache
from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING

from inkov.formats.site import Progress, load_files
from inkov.formats.text import utf8
from inkov.forwarding.network import Network
from inkov.model.campus import Campus, Claim, Segment
from inkov.model.errors import BadInput, Problem, nearest
from inkov.model.identity import device_named, port_in
from inkov.model.names import PortRef
from inkov.model.source import Source
from inkov.model.vlanset import NONE, VlanSet

if TYPE_CHECKING:  # each call imports what it alone needs: on a small site that takes longer than the work
    from inkov.formats.parsed import Shared
    from inkov.plan.trim import Trim
    from inkov.proof.certificate import Data
    from inkov.proof.ends import End
    from inkov.proof.outcome import Verdict
    from inkov.proof.trace import Trace
    from inkov.rules.finding import Finding
    from inkov.views.checks import CheckedRow
    from inkov.views.findings import AuditView
    from inkov.views.tables import HeardRow


def load(
    path: str | PathLike[str],
    progress: Progress | None = None,
    more: Sequence[Path] = (),
    cache: Path | None = None,
    *,
    strict: bool = True,
    allow_outside: bool = False,
    shared: Shared | None = None,
) -> Campus:
    """Reads a campus from a folder, a campus file or one switch file.

    Args:
        path: what to read.
        progress: called with (files read, files in all).
        more: switch files to add.
        cache: a folder that keeps what was read, so that files that did not change are not read again; none is kept
            without one.
        strict: raise for a switch file that cannot be read; otherwise go on without it: `Campus.unread` tells.
        allow_outside: read lists and switch files that a campus file names outside its folder, too.
        shared: a dictionary, empty at first, handed to the loads of several states of one campus: a file that holds what
            it held in another of them is not read again.

    Raises:
        BadInput: with every problem of every file.

    >>> campus = inkov.load("quillfin/as-found")
    >>> campus.name, len(campus.switches)
    ('Quillfin Marine Station', 28)
    """
    return load_files(path, more, progress, cache, strict=strict, allow_outside=allow_outside, shared=shared)[0]


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

    >>> worst = inkov.audit(inkov.load("quillfin/as-found"))[0]
    >>> worst.rule, worst.place
    ('native/mismatch', 'visitor-pier:u1 <-> watchtower-a:a4')
    >>> inkov.audit(inkov.load("quillfin/mended"))
    ()
    """
    from inkov.rules.catalogue import audit as run

    return run(network(campus))


def lines_of(campus: Campus) -> Callable[[str, str], int | None]:
    """Returns what finds the line of a data path in a file of a campus; files are read when first asked for."""
    from inkov.formats.positions import Positions

    read: dict[str, Positions] = {}

    def line(name: str, path: str) -> int | None:
        if name not in campus.files:
            return None
        if name not in read:
            read[name] = Positions(utf8(Path(campus.files[name]).read_bytes()).decode("utf-8", "replace"))
        return read[name].line(path)

    return line


def write_baseline(view: AuditView, path: Path) -> None:
    """Writes what an audit found as a baseline, sorted, so that it can be kept and compared.

    Raises:
        BadInput: the file cannot be written, or holds what somebody wrote.
    """
    from inkov.formats.results import write_result
    from inkov.store.baselines import Known, baseline_text

    listed = [f for head in view.findings for f in (head, *head.also)]
    text = baseline_text(Known(f.id, f.rule, f.place) for f in listed)
    write_result(path, text.encode("utf-8"), kind="baseline")


def prove(
    campus: Campus, claims: Sequence[Claim | str] | None = None, *, strict: bool = False, budget: float | None = None
) -> list[Verdict]:
    """Decides claims: the given ones, or the campus file's, or that every VLAN is apart from every other.

    Args:
        campus: from `load`.
        claims: claims, sentences such as `"apart tills kiosks"`, or names of claims in the campus file.
        strict: assume nothing that is not stated; what a proof rests on is then missing.
        budget: seconds for all of them; what is not decided by then cannot be told. Without one, as long as it takes.

    Raises:
        BadInput: a sentence is no claim, or names an unknown segment.

    >>> (verdict,) = inkov.prove(inkov.load("quillfin/mended"), ["apart tills kiosks layer 2"])
    >>> type(verdict.outcome).__name__
    'Proved'
    """
    from inkov.proof.prove import prove as run

    net = network(campus)
    made = None if claims is None else _claims(net, claims)
    return run(net, made, strict=strict, late=after(budget))


def _claims(net: Network, claims: Sequence[Claim | str]) -> list[Claim]:
    from inkov.proof.sentences import BadClaim, parse_claim

    stated = {c.name: c for c in net.campus.claims}
    made: list[Claim] = []
    problems: list[Problem] = []
    for claim in claims:
        try:
            made.append(parse_claim(claim, net) if isinstance(claim, str) else claim)
        except BadClaim as exc:
            if claim in stated:
                made.append(stated[str(claim)])
            else:
                hint = nearest(str(claim), stated, listed=0)
                said = f"{claim!r} is neither a claim nor the name of one{hint}" if hint else str(exc)
                problems.append(Problem(Source("claim"), said))
    if problems:
        raise BadInput(problems)
    return made


def claim_called(campus: Campus, text: str) -> Claim:
    """Returns the claim that a sentence makes, or the one of the campus file that has a name.

    Raises:
        BadInput: it is neither; with a hint.
    """
    stated = {c.name: c for c in campus.claims}
    if text not in stated and next(iter(text.split()), "") not in {"apart", "together", "only"}:
        raise BadInput([Problem(Source("claim"), f"there is no claim {text!r}{nearest(text, stated)}")])
    return _claims(network(campus), [text])[0]


def segment_called(campus: Campus, name: str) -> Segment:
    """Returns the segment, host, VLAN or port that a name stands for, as claims have it.

    Raises:
        BadInput: there is none; with a hint.
    """
    from inkov.proof.stations import UnknownSegment, segment_named

    try:
        return segment_named(network(campus), name)
    except UnknownSegment as exc:
        raise BadInput([Problem(Source("segment"), str(exc))]) from None


def after(budget: float | None) -> Callable[[], bool]:
    """Returns what tells that so many seconds have passed from now on."""
    end = None if budget is None else time.monotonic() + budget
    return lambda: end is not None and time.monotonic() > end


def certify(campus: Campus, verdicts: Sequence[Verdict], folder: Path) -> tuple[list[str], list[str]]:
    """Writes a certificate of each proof, a file a claim.

    Args:
        campus: from `load`.
        verdicts: from `prove`.
        folder: where to write; made if it is not there.

    Returns:
        The names of the files, and of the claims that were proved but have no certificate.

    Raises:
        BadInput: the folder cannot be written.
    """
    from inkov.formats.results import write_results
    from inkov.proof.certificate import certificate
    from inkov.proof.outcome import Proved
    from inkov.proof.prove import Prover
    from inkov.store.documents import json_text

    inputs = _digests(campus)
    prover = Prover(network(campus))
    made: dict[str, Data] = {}
    without: list[str] = []
    for verdict in verdicts:
        document = certificate(prover, verdict, inputs)
        name = verdict.claim.name
        if document is not None:
            made[_file_name(name, made)] = document
        elif isinstance(verdict.outcome, Proved):
            without.append(name)
    write_results({folder / name: json_text(one) for name, one in made.items()}, kind="certificate")
    return list(made), without


def _digests(campus: Campus) -> dict[str, str]:
    from inkov.store.documents import digest

    return {name: digest(Path(path)) for name, path in campus.files.items()}


def _file_name(claim: str, taken: Mapping[str, object]) -> str:
    stem = "-".join("".join(c if c.isalnum() and c.isascii() else " " for c in claim.lower()).split())[:80] or "claim"
    return next(n for i in range(1, len(taken) + 2) if (n := f"{stem}{f'-{i}' if i > 1 else ''}.json") not in taken)


def recheck(certificates: Sequence[Path], site: str | PathLike[str]) -> list[CheckedRow]:
    """Checks certificates against a site, without the prover.

    Returns:
        A row a certificate, in their order.

    Raises:
        BadInput: the site cannot be read, or a certificate is no JSON.
    """
    from inkov.formats.ours.certificate_document import misformed
    from inkov.store.documents import read_json
    from inkov.views.checks import checked_row

    campus = load(site)
    documents = read_json(certificates, "a certificate")
    known = _digests(campus)
    return [checked_row(path.as_posix(), d, campus, known, misformed(d)) for path, d in documents]


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

    >>> heard = inkov.flood(inkov.load("quillfin/mended"), "seal-ward:9")
    >>> heard[0].at, heard[0].tags
    ('archive:p1', ())
    """
    from inkov.forwarding.flood import Flooding
    from inkov.kinds.relay import vid_of
    from inkov.views.tables import HeardRow

    ref = port_named(campus, source)
    if inner is not None and tag is None:
        raise BadInput([Problem(Source("flood"), "an inner tag needs an outer one")])
    tags = tuple(v for v in (tag, inner) if v is not None)
    return [
        HeardRow(str(h.at), tuple(map(vid_of, h.tags))) for h in Flooding(network(campus).followed).heard(ref, tags)
    ]


def converged(campus: Campus) -> Campus:
    """Returns a campus with every VLAN table as it will be once its sync groups have settled."""
    return network(campus).syncing.converged()


def trim(campus: Campus, keep: VlanSet = NONE) -> Trim:
    """Works out what each trunk's allowed list should be.

    Args:
        campus: from `load`.
        keep: VLANs never to be trimmed, besides those the campus file keeps.
    """
    from inkov.plan.trim import Trim

    return Trim(network(campus), keep)


def draft(network: Network) -> str:
    """Returns a first campus file of a network, once it was read back and says what was meant.

    Raises:
        BadInput: it cannot be written so that it is read as meant; names of switches or VLANs do not allow it.
    """
    from inkov.formats.readback import problems_of
    from inkov.plan.draft import draft as drafted

    text = drafted(network)
    wrong = problems_of(text, network.campus)
    if wrong:
        raise BadInput(wrong)
    return text


def end_named(network: Network, text: str, tag: int | None = None) -> End:
    """Returns the end of a trace that a host, `switch:port`, an IP address or a switch stands for.

    Raises:
        BadInput: there is none; with a hint.
    """
    from inkov.proof import ends

    try:
        return ends.end_named(network, text, tag)
    except ends.UnknownEnd as exc:
        raise BadInput([Problem(Source("trace"), str(exc))]) from None


def trace(network: Network, a: str, b: str, tag: int | None = None) -> Trace:
    """Follows a frame or a packet between two ends, both ways; `tag` is the VID that both put on their frames.

    Raises:
        BadInput: there is no such end, with a hint; or none of the two is in the campus.
    """
    from inkov.proof.ends import UnknownEnd
    from inkov.proof.trace import trace as followed

    try:
        return followed(network, end_named(network, a, tag), end_named(network, b, tag))
    except UnknownEnd as exc:
        raise BadInput([Problem(Source("trace"), str(exc))]) from None


def port_named(campus: Campus, text: str) -> PortRef:
    """Returns the port that `switch:port`, the name of a host, or its address stands for.

    Raises:
        BadInput: there is none; with a hint.
    """
    if text in campus.hosts:
        return campus.hosts[text].port
    if at := [h.port for h in campus.hosts.values() if h.address is not None and str(h.address.ip) == text]:
        return at[0]
    ref = port_in(text, {n: s.ports for n, s in campus.switches.items()}) or PortRef.parse(text)
    where = Source("port")
    if ref is None:
        hint = nearest(text, campus.hosts, listed=0)
        raise BadInput([Problem(where, f"{text!r:.60} is no port and no host; expected switch:port or a host{hint}")])
    ref = PortRef(device_named(ref.switch, campus.switches), ref.port)
    if ref.switch not in campus.switches:
        raise BadInput([Problem(where, f"there is no switch {ref.switch!r}{nearest(ref.switch, campus.switches)}")])
    ports = campus.switches[ref.switch].ports
    if ref.port not in ports:
        raise BadInput([Problem(where, f"{ref.switch} has no port {ref.port!r}{nearest(ref.port, ports)}")])
    return ref
