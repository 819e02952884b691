"""Switches read in earlier runs, kept by what their files hold, so that only files that changed are read again.

A cache is a folder of packs. A run adds one pack of what it had to read; when packs are many or mostly out of use, one
takes the place of all. Anything wrong with a pack means that it is not there. The folder is safe to delete at any time.
"""

from __future__ import annotations

import contextlib
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cache
from hashlib import blake2b
from pathlib import Path
from typing import TypeAlias

from inkov.formats.entry import Entries, Entry
from inkov.model.errors import BadInput
from inkov.model.switch import Switch
from inkov.store.codec import Damaged, decoded, encoded
from inkov.store.places import private, site_folder
from inkov.store.writing import write_bytes

_MAX_PACKS = 8
_MAX_SITES = 40
_SUFFIX = ".pack"
_DIGEST = 32


Shared: TypeAlias = dict[bytes, Entries]
"""What files of several sites were read as, by what they are known by."""


@dataclass(slots=True)
class Parsed:
    """What earlier runs read of one site.

    Attributes:
        folder: where the packs are; None to keep nothing.
        shared: what this run read of other sites, and now reads of this one; None where it is the only one.
        note: what is passed over because others may have written it; empty when nothing is.
    """

    folder: Path | None
    shared: Shared | None = None
    _known: dict[bytes, Entries] = field(default_factory=dict)
    _packs: list[Path] = field(default_factory=list)
    note: str = ""
    _used: dict[bytes, Entries] = field(default_factory=dict)
    _fresh: dict[bytes, Entries] = field(default_factory=dict)

    @classmethod
    def of_site(cls, cache_folder: Path | None, site: Path, shared: Shared | None = None) -> Parsed:
        """Opens what is kept of a site.

        Args:
            cache_folder: the folder of all sites; None to keep nothing.
            site: the folder or file that is read.
            shared: what this run read of other sites; files that hold the same are taken from there.
        """
        if cache_folder is None:
            return cls(None, shared)
        folder = site_folder(cache_folder, site)
        foreign = next((p for p in (cache_folder, folder) if p.exists() and not private(p)), None)
        if foreign is not None:
            note = f"{foreign.as_posix()}: passed over, as others may write there; nothing is kept of what is read"
            return cls(None, shared, note=note)
        packs = sorted(folder.glob(f"*{_SUFFIX}"))
        known: dict[bytes, Entries] = {}
        strange: Path | None = None
        for pack in packs:
            with contextlib.suppress(OSError, Damaged):
                if private(pack):
                    known.update(_unpacked(pack.read_bytes()))
                else:
                    strange = pack
        note = f"{strange.as_posix()}: passed over, as others may write to it" if strange else ""
        return cls(folder, shared, known, packs, note=note)

    def key(self, shown: str, assumed: str, data: bytes, *, lasting: bool) -> bytes:
        """Returns what a file is known by: its name as sources give it, what the campus file assumes, its content.

        Args:
            shown: its name.
            assumed: what the campus file assumes of all switches.
            data: its content.
            lasting: it may be kept for later runs.
        """
        digest = blake2b(f"{shown}\0{assumed}\0".encode(), digest_size=16)
        if (lasting and self.folder is not None) or self.shared is not None:
            digest.update(data)
        return digest.digest()

    def find(self, key: bytes) -> Entries | None:
        """Returns what a file was read as in an earlier run, if that is known."""
        if self.shared is not None and key in self.shared:
            return self.shared[key]
        entries = self._known.get(key)
        if entries is not None:
            self._used[key] = entries
            if self.shared is not None:
                self.shared[key] = entries
        return entries

    def keep(self, key: bytes, entries: Entries, *, lasting: bool) -> None:
        """Takes what a file was read as; what is `lasting` is written by `close`."""
        if lasting:
            self._fresh[key] = entries
        if self.shared is not None:
            self.shared[key] = entries

    def close(self) -> None:
        """Writes what is new. A cache that cannot be written is no error."""
        if self.folder is None or not self._fresh:
            return
        crowded = len(self._packs) >= _MAX_PACKS or len(self._known) > 2 * len(self._used)
        packed = _packed({**self._used, **self._fresh} if crowded else self._fresh)
        with contextlib.suppress(OSError, BadInput):
            self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            pack_now = self.folder / f"{blake2b(packed, digest_size=12).hexdigest()}{_SUFFIX}"
            write_bytes(pack_now, packed, mode=0o600)
            for pack in self._packs if crowded else ():
                if pack != pack_now:
                    pack.unlink(missing_ok=True)
            _forget_sites(self.folder.parent)


def _forget_sites(cache_folder: Path) -> None:
    """Deletes the packs of the sites that were not read for longest."""
    sites = sorted((s for s in cache_folder.iterdir() if s.is_dir()), key=lambda s: s.stat().st_mtime, reverse=True)
    for site in sites[_MAX_SITES:]:
        for kept in site.iterdir():
            kept.unlink(missing_ok=True)
        site.rmdir()


# -- packs -------------------------------------------------------------------------------------------


@cache
def _stamp() -> bytes:
    """Returns what a pack must begin with: other code of the readers or the model reads anew."""
    package = Path(__file__).parent.parent
    code = sorted(p for part in ("formats", "kinds", "model", "store") for p in (package / part).glob("*.py"))
    seen = [(p.name, (s := p.stat()).st_size, s.st_mtime_ns) for p in code]
    return b"inkov pack " + blake2b(repr(seen).encode(), digest_size=16).hexdigest().encode() + b"\n"


def _packed(known: Mapping[bytes, Entries]) -> bytes:
    body = encoded(tuple((key.hex(), tuple(map(tuple, entries))) for key, entries in known.items()))
    return _stamp() + blake2b(body, digest_size=_DIGEST).digest() + body


def _unpacked(data: bytes) -> dict[bytes, Entries]:
    """Returns what a pack holds.

    Raises:
        Damaged: it is damaged, of another version, or no pack.
    """
    stamp = _stamp()
    at = len(stamp) + _DIGEST
    body = memoryview(data)[at:]
    if not data.startswith(stamp) or blake2b(body, digest_size=_DIGEST).digest() != data[len(stamp) : at]:
        raise Damaged("not a pack of this version")
    found: dict[bytes, Entries] = {}
    for row in decoded(body):
        match row:
            case (str(key), tuple(entries)):
                found[bytes.fromhex(key)] = tuple(map(_entry, entries))
            case _:
                raise Damaged("not what files were read as")
    return found


def _entry(row: object) -> Entry:
    match row:
        case (Switch() as switch, bool(saved), tuple(notes), bool(named), bool(observed), tuple(short), str(standing)):
            return Entry(switch, saved, tuple(map(str, notes)), named, observed, tuple(map(str, short)), standing)
        case _:
            raise Damaged("not what files were read as")
