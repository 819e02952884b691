"""What is to be set in a file, and the cuts that set it: every other character stays as it was."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from inkov.model.switch import Vlan
from inkov.model.vlanset import Vid


class CannotEdit(ValueError):
    """A setting has no place in the text that could be written to; the message says why."""


@dataclass(frozen=True, slots=True)
class Edits:
    """What is to be set in one file.

    Attributes:
        ports: of ports and LAGs, keys of a switch file with their values as text; None takes a key away.
        vlans: VLANs that are to be defined, or to go where None.
        keys: settings of the switch by the path of their keys in a switch file, with their values; None takes one away.
    """

    ports: Mapping[str, Mapping[str, str | None]] = field(default_factory=dict)
    vlans: Mapping[Vid, Vlan | None] = field(default_factory=dict)
    keys: Mapping[tuple[str, ...], Any] = field(default_factory=dict)


class Cut(NamedTuple):
    """Text to put in place of a part of a file."""

    start: int
    end: int
    text: str


def apply(text: str, cuts: Iterable[Cut]) -> str:
    """Returns a text with parts replaced; the parts do not overlap."""
    for cut in sorted(cuts, reverse=True):
        text = text[: cut.start] + cut.text + text[cut.end :]
    return text
