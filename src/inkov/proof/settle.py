"""What to write to state a fact that a claim waits for: a file of one line, to save beside the others."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, TypeAlias

from inkov.kinds.spell import stating
from inkov.model.habits import habit_stated
from inkov.model.names import PortRef
from inkov.model.switch import DOT1Q, Habits, Port
from inkov.proof.outcome import Fact

Settled: TypeAlias = dict[str, dict[str, Any]]
"""Keys of a switch file by the name of the switch."""


def at_port(port: Port, ref: PortRef) -> Settled:
    """Returns what states what is not stated of a port; nothing where its keys cannot."""
    return _of_port(port, ref, stating(port))


def tag_format(port: Port, ref: PortRef) -> Settled:
    """Returns what states the tag format of a port."""
    return _of_port(port, ref, {"tags": DOT1Q})


def _of_port(port: Port, ref: PortRef, keys: Mapping[str, Any] | None) -> Settled:
    name = ref.port if ref.port.isalnum() else f"={ref.port}"
    return {ref.switch: {"lags" if port.is_lag else "ports": {name: keys}}} if keys else {}


def habit(name: str, switch: str) -> Settled:
    """Returns what states a habit, as platforms usually have it."""
    return {switch: {"assume": habit_stated(name, getattr(Habits(), name))}}


def lines(missing: Iterable[str]) -> tuple[str, ...]:
    """Returns switch files of one line that state some facts, each once."""
    settled = [item for fact in missing if isinstance(fact, Fact) for item in fact.settled.items()]
    if not settled:
        return ()
    from inkov.model.yamltext import dumped

    found = (dumped({"inkov": "switch", "name": name, **keys}, flow=True).strip() for name, keys in settled)
    return tuple(dict.fromkeys(found))
