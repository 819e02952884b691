"""Claims given on the spot: `apart tills kiosks`, `together tank-sensors`."""

from __future__ import annotations

from inkov.forwarding.network import Network
from inkov.model.campus import Apart, Claim, Facing, Together
from inkov.model.errors import nearest
from inkov.proof.stations import UnknownSegment, segment_named


class BadClaim(ValueError):
    """A sentence that is no claim; the message says what was expected."""


def parse_claim(text: str, network: Network) -> Claim:
    """Reads a claim as typed on the command line: `apart A B facing hostile`, `together A surviving 1`.

    Names are segments of the campus file, VLAN numbers or VLAN names; `apart all` means all segments.

    Raises:
        BadClaim: the sentence is no claim or names something unknown.
    """
    kind, *names = text.replace(",", " ").split() or [""]
    if kind not in {"apart", "together"}:
        hint = nearest(kind, ["apart", "together"]) if kind else ""
        raise BadClaim(f"{text!r:.60} is not a claim; expected 'apart A B' or 'together A'{hint}")
    names, facing, surviving = _options(kind, names)
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
        return Together(text, names[0], surviving)
    return Apart(text, tuple(names), facing=facing)


def _options(kind: str, names: list[str]) -> tuple[list[str], Facing, int]:
    """Takes `facing hostile` or `surviving 1` off the end of a sentence."""
    option, value = names[-2:] if len(names) > 2 else ("", "")
    if kind == "apart" and option == "facing":
        if value not in {f.value for f in Facing}:
            raise BadClaim(f"{value!r:.60} is no way of facing; expected honest or hostile")
        return names[:-2], Facing(value), 0
    if kind == "together" and option == "surviving":
        if value not in {"0", "1", "2"}:
            raise BadClaim(f"{value!r:.60} is no number of failures; expected 0, 1 or 2")
        return names[:-2], Facing.HONEST, int(value)
    return names, Facing.HONEST, 0
