"""How switch files say what platforms do differently."""

from __future__ import annotations

from typing import Final

HABIT_WORDS: Final = {
    "own_tag": ("drop", "accept"),
    "native_outside_list": ("drop", "pass"),
    "tagged_native": ("drop", "accept"),
    "uneven_link": ("block", "run"),
}
"""What stands for a habit that a platform does not have, and for one that it has; the key has dashes."""


def habit_stated(name: str, value: bool) -> dict[str, str]:
    """Returns what a switch file says under `assume` of a habit."""
    return {name.replace("_", "-"): HABIT_WORDS[name][value]}
