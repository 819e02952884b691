"""Claims given on the spot: `apart tills kiosks`, `together tank-sensors`."""

from __future__ import annotations

from inkov.forwarding.network import Network
from inkov.model.campus import Apart, Claim, Together
from inkov.model.errors import nearest
from inkov.proof.stations import UnknownSegment, segment_named


class BadClaim(ValueError):
    """A sentence that is no claim; the message says what was expected."""


def parse_claim(text: str, network: Network) -> Claim:
    """Reads a claim as typed on the command line.

    Names are segments of the campus file, VLAN numbers or VLAN names; `apart all` means all segments.

    Raises:
        BadClaim: the sentence is no claim or names something unknown.
    """
    kind, *names = text.replace(",", " ").split() or [""]
    if kind not in {"apart", "together"}:
        hint = nearest(kind, ["apart", "together"]) if kind else ""
        raise BadClaim(f"{text!r:.60} is not a claim; expected 'apart A B' or 'together A'{hint}")
    if kind == "apart" and names == ["all"]:
        names = list(network.campus.segments) or [str(v) for v in sorted(network.members)]
    if kind == "apart" and len(set(names)) < 2:
        raise BadClaim("'apart' needs two segments or more, as in 'apart tills kiosks'")
    if kind == "together" and len(names) != 1:
        raise BadClaim("'together' needs one segment, as in 'together tank-sensors'")
    try:
        for name in names:
            segment_named(network, name)
    except UnknownSegment as exc:
        raise BadClaim(str(exc)) from None
    if kind == "together":
        return Together(text, names[0])
    return Apart(text, tuple(names))
