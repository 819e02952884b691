"""What a rogue switch gets on host ports, as plain data."""

from __future__ import annotations

from dataclasses import dataclass

from inkov.forwarding.network import Network
from inkov.kinds.table import setting_words
from inkov.model.names import ports_text
from inkov.proof.rogue import rogue


@dataclass(frozen=True, slots=True)
class RogueRow:
    """Ports of one switch that are alike: what they are set to, and what a switch of somebody's own gets there.

    `own` are the VLANs a station there belongs to, `beyond` the others that a rogue switch sends into or hears, `sends` and
    `hears` all of either, and `members` how many member ports the others have. The worse is assumed of unstated habits.
    """

    switch: str
    ports: str
    count: int
    set_to: str
    own: str
    beyond: str
    sends: str
    hears: str
    members: int


def rogue_rows(network: Network, switches: frozenset[str] | None = None) -> list[RogueRow]:
    """Returns the host ports of some switches, worst first."""
    return [
        RogueRow(
            switch=g.ports[0].switch,
            ports=ports_text(r.port for r in g.ports),
            count=len(g.ports),
            set_to=setting_words(network.port(g.ports[0])),
            own=str(g.own),
            beyond=str(g.beyond),
            sends=str(g.sends),
            hears=str(g.hears),
            members=g.members,
        )
        for g in rogue(network)
        if switches is None or g.ports[0].switch in switches
    ]
