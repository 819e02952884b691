"""Port labels against the facts: what somebody wrote on a port, and what it is cabled to."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.forwarding.labels import ends_in_label
from inkov.model.names import PortRef
from inkov.model.settings import Setting
from inkov.rules.finding import Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import at, cause

_PORTS = "{{1: {{access: 310}}, u1: {{trunk: all, label: {}}}}}"


def _pair(label: str) -> dict[str, str]:
    table = "{310: tank-sensors}"
    return {
        "a.yaml": switch_text("archive", table, _PORTS.format(label), neighbours="{u1: seal-ward u1}"),
        "b.yaml": switch_text("seal-ward", table, _PORTS.format("to archive u1"), neighbours="{u1: archive u1}"),
        "c.yaml": switch_text("boat-store", table, "{1: {access: 310}, u1: {access: 310}}"),
    }


@rule(
    "label/contradicts",
    Severity.TIDY,
    faults=(22,),
    looks_for="A port whose label names another switch, or another port of it, than the port is cabled to.",
    why="Whoever works by the label unplugs the wrong cable, or sets the wrong end.",
    mend="Put the label right, or the cable.",
    breaks=Example(_pair("to boat-store u1"), place="archive:u1"),
    passes=Example(_pair("to seal-ward u1")),
)
def contradicts(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port. A label counts where it names a switch of the campus, none of which is the far end."""
    network = facts.network
    for link in network.links:
        if link.doubt:
            continue
        lags = [] if (link.a, link.b) in {(w.a, w.b) for w in link.wires} else [(link.a, link.b)]
        for a, b in [*((w.a, w.b) for w in link.wires), *lags]:
            for own, far in ((a, b), (b, a)):
                said = ends_in_label(network.port(own).label, own.switch, network.switches)
                if said and not any(_fits(facts, name, port, far) for name, port in said):
                    shown = " ".join(filter(None, said[0]))
                    yield Fault(
                        place=str(own),
                        what=f"The label of {own} says {shown}, and it is cabled to {far}.",
                        mend=f"Put the label of {own} right, or the cable.",
                        evidence=(
                            at(network, own, f"label '{network.port(own).label}'", Setting.LABEL),
                            Evidence("the far end", network.port(far).origin.here),
                        ),
                        causes=(cause(own, Setting.LABEL), cause(own, Setting.CABLE)),
                    )


def _fits(facts: Facts, name: str, port: str, far: PortRef) -> bool:
    """Tells whether a label names a far end; one that is a LAG is named by any of its members, too."""
    return name == far.switch and port in {"", far.port, *facts.network.port(far).members}
