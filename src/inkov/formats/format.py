"""What a format is: how files of it are told apart, read, and written to."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, NamedTuple, TypeAlias

from inkov.formats.edits import Edits
from inkov.formats.entry import Entries
from inkov.formats.reading import Reading
from inkov.model.sources import Topic

if TYPE_CHECKING:
    from inkov.formats.ours.campus_file import CampusFile
    from inkov.formats.ours.switch_document import Assume

MEGABYTE = 1024 * 1024


class Part(NamedTuple):
    """A file that holds some containers of a device and none with its ports; it is read with the others of the device.

    Attributes:
        name: what it calls the device; empty when it does not.
    """

    name: str


class Given(NamedTuple):
    """What a reader is told beside the content.

    Attributes:
        name: what the device is called where the content does not say.
        assume: what the campus file states of all switches; None without one.
        parts: contents of further files of the same device, with their readings.
        alone: no file of this format holds the ports of the device.
    """

    name: str
    assume: Assume | None = None
    parts: tuple[tuple[bytes, Reading], ...] = ()
    alone: bool = False


Content: TypeAlias = "Entries | Part | CampusFile | None"
"""What a file was read as; None after recording what is wrong."""


class Format(NamedTuple):
    """One kind of file.

    Attributes:
        name: as sentences list it.
        endings: what its files usually end with; a file with such an ending that is passed over is told of.
        most: the size in bytes that no file of it exceeds.
        recognise: tells by content whether a file is of it.
        read: reads a file that was recognised.
        edit: sets settings of ports, and VLANs, in the text of a file; raises `edits.CannotEdit`. None where files are what
            a device told, so that editing them changes nothing.
        binary: files of it are no text.
        whole: a file of it is all of a switch, so that a second one of the same switch is a mistake.
        joins: a file with some containers of a device is read together with the file that has its ports.
        typed: people write files of it, so that one with a mistake does not count at all; of what devices tell the rest does.
        ways: for each topic of an audit that such files may tell of, how to get it.
    """

    name: str
    endings: frozenset[str]
    most: int
    recognise: Callable[[bytes], bool]
    read: Callable[[bytes, Reading, Given], Content]
    edit: Callable[[str, Edits], str] | None
    ways: Mapping[Topic, str]
    binary: bool = False
    whole: bool = False
    joins: bool = False
    typed: bool = False
