"""Claims given on the spot: `apart tills kiosks`, `only research kiosks through core`, `together tank-sensors`."""

from __future__ import annotations

from collections.abc import Iterable

from inkov.forwarding.network import Network
from inkov.model.campus import BOTH, Apart, Claim, Facing, Together
from inkov.model.errors import nearest
from inkov.model.identity import device_named
from inkov.model.names import PortRef
from inkov.proof.stations import UnknownSegment, segment_named


class BadClaim(ValueError):
    """A sentence that is no claim; the message says what was expected."""


def parse_claim(text: str, network: Network) -> Claim:
    """Reads a claim as typed on the command line.

    `apart A B facing hostile`, `apart A from B C`, `only A B through R`, `together A B surviving 1`, each with
    `layer 2` or `layer 3`, and the first three with pairs that may meet: `except A B A C`. Names are segments of the campus file, hosts, VLAN numbers or VLAN names; `apart all` means
    all segments.

    Raises:
        BadClaim: the sentence is no claim or names something unknown.
    """
    kind, *rest = text.replace(",", " ").split() or [""]
    if kind not in _TAKES:
        hint = nearest(kind, _TAKES) if kind else ""
        raise BadClaim(f"{text!r:.60} is not a claim; expected 'apart A B', 'only A B through R' or 'together A'{hint}")
    names, options = _parted(kind, rest)
    if kind == "apart" and names == ["all"]:
        names = [n for n, s in network.campus.segments.items() if not s.outside] or [
            str(v) for v in sorted(network.members)
        ]
    names, others, allowed = (
        [_in_full(n, network) for n in some] for some in (names, options.get("from", []), options.get("except", []))
    )
    if kind != "together" and len({*names, *others}) < 2:
        raise BadClaim(f"{kind!r} needs two segments or more, as in {_EXAMPLES[kind]!r}")
    if not names or (others and len(names) != 1):
        raise BadClaim(f"{kind!r} needs {'one segment' if names else 'a segment'}, as in {_EXAMPLES[kind]!r}")
    through = tuple(device_named(d, network.switches) for d in options.get("through", ()))
    if kind == "only" and not through:
        raise BadClaim("'only' needs the devices they may meet through, as in 'only research management through core'")
    try:
        for name in (*names, *others):
            segment_named(network, name)
    except UnknownSegment as exc:
        raise BadClaim(str(exc)) from None
    if unknown := next((d for d in through if d not in network.switches), ""):
        raise BadClaim(f"there is no device {unknown!r}{nearest(unknown, network.switches)}")
    layers = frozenset({int(options["layer"][0])}) if "layer" in options else BOTH
    if kind == "together":
        return Together(text, tuple(names), int(options.get("surviving", ["0"])[0]), layers)
    facing = Facing(options.get("facing", ["honest"])[0])
    names, pairs = [*names, *others], _pairs(allowed, {*names, *others})
    return Apart(text, tuple(names), pairs, facing, layers, through, one_against=bool(others))


def _pairs(allowed: list[str], names: set[str]) -> frozenset[frozenset[str]]:
    if len(allowed) % 2 or not names.issuperset(allowed):
        raise BadClaim(
            "'except' needs pairs of the segments named, as in 'apart tills kiosks desks except tills kiosks'"
        )
    return frozenset(map(frozenset, zip(allowed[::2], allowed[1::2], strict=True)))


def sentence(claim: Claim) -> str:
    """Returns a claim as `parse_claim` reads it, with all that was asked."""
    said: list[tuple[str, Iterable[object]]]
    if isinstance(claim, Together):
        said = [("together", claim.segments), ("surviving", [claim.surviving] if claim.surviving else [])]
    else:
        count = 1 if claim.one_against else len(claim.segments)
        facing = [claim.facing.value] if claim.facing is Facing.HOSTILE else []
        said = [
            ("only" if claim.through else "apart", claim.segments[:count]),
            ("from", claim.segments[count:]),
            (
                "except",
                [name for pair in sorted(map(sorted, claim.allowed)) if {*pair} <= {*claim.segments} for name in pair],
            ),
            ("through", claim.through),
            ("facing", facing),
        ]
    said.append(("layer", sorted(claim.layers) if claim.layers != BOTH else []))
    return " ".join(str(word) for key, some in said for word in (key, *some) if some)


def _in_full(name: str, network: Network) -> str:
    """Returns a name; that of a port with its switch as it is called in the campus."""
    ref = PortRef.parse(name)
    if ref is None or name in network.campus.segments or name in network.campus.hosts:
        return name
    full = PortRef(device_named(ref.switch, network.switches), ref.port)
    return str(full) if network.has(full) else name


_EXAMPLES = {
    "apart": "apart tills kiosks",
    "only": "only research management through core",
    "together": "together tank-sensors",
}

_TAKES = {
    "apart": {"from", "except", "facing", "layer"},
    "only": {"from", "except", "through", "facing", "layer"},
    "together": {"surviving", "layer"},
}
"""The words that may follow the names in a sentence of each kind."""

_VALUES = {"facing": ("honest", "hostile"), "surviving": ("0", "1", "2"), "layer": ("2", "3")}


def _parted(kind: str, words: list[str]) -> tuple[list[str], dict[str, list[str]]]:
    """Parts a sentence at the words that take something: the names before them, and what each takes."""
    names: list[str] = []
    options: dict[str, list[str]] = {}
    here = names
    for n, word in enumerate(words):
        if word in _TAKES[kind] and n and word not in options:
            here = options[word] = []
        else:
            here.append(word)
    for word, values in options.items():
        allowed = _VALUES.get(word)
        if not values or (allowed and (len(values) > 1 or values[0] not in allowed)):
            expected = " or ".join(
                filter(None, [", ".join((allowed or ("a name",))[:-1]), (allowed or ("a name",))[-1]])
            )
            raise BadClaim(f"{' '.join([word, *values])!r:.60} is not understood; expected {word} {expected}")
    return names, options
