"""What a reader returns: what one file tells of one switch, or of several."""

from __future__ import annotations

from typing import Final, NamedTuple, TypeAlias

from inkov.model.switch import Switch

WHOLE: Final = "whole"


PART: Final = "part"


OVER: Final = "over"


class Entry(NamedTuple):
    """What one file tells of one switch; others may tell more of it.

    Attributes:
        switch: the switch; what the file does not say of it is not stated.
        saved: it is what the switch has saved.
        notes: what the readers guessed or passed over.
        named: the content says what the device is called; else only the file's name does.
        observed: what it says of VLANs is what is in force, not what is configured.
        short: what is missing because the file is cut, or the device refused to tell.
        standing: it is meant to be all of the switch (`whole`), a part of it, or to count `over` all others.
    """

    switch: Switch
    saved: bool = False
    notes: tuple[str, ...] = ()
    named: bool = True
    observed: bool = False
    short: tuple[str, ...] = ()
    standing: str = WHOLE


Entries: TypeAlias = tuple[Entry, ...]
"""What one file was read as: what it tells of one switch, or of several."""
