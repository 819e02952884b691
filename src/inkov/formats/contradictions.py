"""What two files of one device say that cannot both be."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from inkov.formats.grouping import Piece
from inkov.model.settings import Setting
from inkov.model.source import Source
from inkov.model.sources import Contradiction


class Contradictions:
    """The files of one device, and what they contradict each other about.

    Attributes:
        name: the device.
        group: what each file tells of it, the file that counts most first.
        found: what two files say that cannot both be.
    """

    def __init__(self, name: str, group: Sequence[Piece]) -> None:
        self.name, self.group = name, group
        self.found: list[Contradiction] = []

    def differ(
        self,
        pieces: tuple[Piece, Piece],
        words: tuple[str, str],
        setting: Setting,
        *,
        port: str = "",
        entry: object = None,
        sources: tuple[Source, Source] | None = None,
    ) -> None:
        """Records that two files say what cannot both be, each in words."""
        first, second = (p.switch.ports[port].origin if port else p.switch.origin for p in pieces)
        places = sources or (first.of(setting, entry), second.of(setting, entry))
        settled = pieces[0].weight != pieces[1].weight
        self.found.append(
            Contradiction(self.name, port, setting, (words[0], places[0]), (words[1], places[1]), settled=settled)
        )

    def why(self, *settings: Setting, port: str = "") -> str:
        """Returns what files that count alike say of some settings, in words."""
        return "; ".join(
            f"{c.setting.key or c.setting.cause}: {c.says[1]} says {c.says[0]}, {c.but[1]} says {c.but[0]}"
            for c in self.found
            if c.setting in settings and c.port == port and not c.settled
        )


def shown(value: Any) -> str:
    """Returns a value in words."""
    if isinstance(value, bool):
        return "on" if value else "off"
    return str(getattr(value, "value", value) or "none")
