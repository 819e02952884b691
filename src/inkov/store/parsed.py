"""Switches read in earlier runs, kept by what their files hold, so that only files that changed are read again.

A cache is a folder of packs. A run adds one pack of what it had to read; when packs are many or mostly out of use, one
takes the place of all. Anything wrong with a pack means that it is not there. The folder is safe to delete at any time.
"""

from __future__ import annotations

import contextlib
import copyreg
import io
import os
import pickle
import sys
from dataclasses import dataclass, field, fields, is_dataclass
from functools import cache
from hashlib import blake2b
from pathlib import Path
from typing import Any, NamedTuple

from inkov.model.errors import BadInput
from inkov.model.source import Origin
from inkov.model.switch import Switch
from inkov.store.writing import write_bytes

_MAX_PACKS = 8
_MAX_SITES = 40
_SUFFIX = ".pack"
_DIGEST = 32


class Entry(NamedTuple):
    """What one file was read as: the switch, whether it is what the switch has saved, and the readers' notes."""

    switch: Switch
    saved: bool
    notes: tuple[str, ...]


@dataclass(slots=True)
class Parsed:
    """What earlier runs read of one site.

    Attributes:
        folder: where the packs are; None to keep nothing.
    """

    folder: Path | None
    _known: dict[bytes, Entry] = field(default_factory=dict)
    _packs: list[Path] = field(default_factory=list)
    _used: dict[bytes, Entry] = field(default_factory=dict)
    _fresh: dict[bytes, Entry] = field(default_factory=dict)

    @classmethod
    def of_site(cls, cache_folder: Path | None, site: Path) -> Parsed:
        """Opens what is kept of a site.

        Args:
            cache_folder: the folder of all sites; None to keep nothing.
            site: the folder or file that is read.
        """
        if cache_folder is None:
            return cls(None)
        folder = cache_folder / blake2b(os.fsencode(site.resolve()), digest_size=12).hexdigest()
        packs = sorted(folder.glob(f"*{_SUFFIX}"))
        known: dict[bytes, Entry] = {}
        for pack in packs:
            # Whatever a damaged or foreign file makes the decoder raise, the answer is the same: read the switch files.
            with contextlib.suppress(Exception):
                known.update(_unpacked(pack.read_bytes()))
        return cls(folder, known, packs)

    def key(self, shown: str, assumed: str, data: bytes) -> bytes:
        """Returns what a file is known by: its name as sources give it, what the campus file assumes, its content."""
        digest = blake2b(f"{shown}\0{assumed}\0".encode(), digest_size=16)
        if self.folder is not None:
            digest.update(data)
        return digest.digest()

    def find(self, key: bytes) -> Entry | None:
        """Returns what a file was read as in an earlier run, if that is known."""
        entry = self._known.get(key)
        if entry is not None:
            self._used[key] = entry
        return entry

    def keep(self, key: bytes, entry: Entry) -> None:
        """Takes what a file was read as, to be written by `close`."""
        self._fresh[key] = entry

    def close(self) -> None:
        """Writes what is new. A cache that cannot be written is no error."""
        if self.folder is None or not self._fresh:
            return
        crowded = len(self._packs) >= _MAX_PACKS or len(self._known) > 2 * len(self._used)
        packed = _packed({**self._used, **self._fresh} if crowded else self._fresh)
        with contextlib.suppress(OSError, BadInput):
            self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            pack_now = self.folder / f"{blake2b(packed, digest_size=12).hexdigest()}{_SUFFIX}"
            write_bytes(pack_now, packed)
            for pack in self._packs if crowded else ():
                if pack != pack_now:
                    pack.unlink(missing_ok=True)
            _forget_sites(self.folder.parent)


def _forget_sites(cache_folder: Path) -> None:
    """Deletes the packs of the sites that were not read for longest."""
    sites = sorted((s for s in cache_folder.iterdir() if s.is_dir()), key=lambda s: s.stat().st_mtime, reverse=True)
    for site in sites[_MAX_SITES:]:
        for pack in site.glob(f"*{_SUFFIX}"):
            pack.unlink(missing_ok=True)
        site.rmdir()


# -- packs -------------------------------------------------------------------------------------------


@cache
def _stamp() -> bytes:
    """Returns what a pack must begin with: another Python, or other code of the readers or the model, reads anew."""
    package = Path(__file__).parent.parent
    code = sorted(p for part in ("formats", "kinds", "model", "store") for p in (package / part).glob("*.py"))
    seen = [(p.name, (s := p.stat()).st_size, s.st_mtime_ns) for p in code]
    return b"inkov pack " + blake2b(repr((sys.version, seen)).encode(), digest_size=16).hexdigest().encode() + b"\n"


new_object = copyreg.__newobj__  # type: ignore[attr-defined]  # pickle writes it as one instruction


class _Pickler(pickle.Pickler):
    """Writes a value of the model as its type and those fields that are not at their defaults; equal texts once."""

    def __init__(self, file: io.BytesIO) -> None:
        super().__init__(file, pickle.HIGHEST_PROTOCOL)
        self.texts: dict[str, str] = {}
        self.names: dict[tuple[str, ...], tuple[str, ...]] = {}

    def reducer_override(self, value: Any) -> Any:
        kind = type(value)
        if kind is Origin:
            return kind, (value.file, self._shared(value.base), value.places, value.defaults)
        if not is_dataclass(kind):
            return NotImplemented
        held = [(name, v) for name, default in _fields(kind) if (v := getattr(value, name)) is not default]
        if hasattr(value, "__dict__"):
            return new_object, (kind,), {name: self._shared(v) for name, v in held}
        names = tuple([name for name, _ in held])
        return made, (kind, self.names.setdefault(names, names), *[self._shared(v) for _, v in held])

    def _shared(self, value: Any) -> Any:
        return self.texts.setdefault(value, value) if type(value) is str else value


@cache
def _fields(kind: type) -> tuple[tuple[str, Any], ...]:
    return tuple((f.name, f.default) for f in fields(kind) if f.init)


def made(kind: type, names: tuple[str, ...], *values: Any) -> Any:
    """Returns a value of the model; fields that are not named are at their defaults."""
    return kind(**dict(zip(names, values, strict=True)))


class _Unpickler(pickle.Unpickler):
    def find_class(self, module: str, name: str) -> Any:
        """Knows the types of the model alone, so that no file can make a run call anything else."""
        if (
            (module.startswith("inkov.model.") or module == "ipaddress")
            and "." not in name
            and not name.startswith("_")
        ):
            return super().find_class(module, name)
        if module == __name__ and name in {"Entry", "made"}:
            return globals()[name]
        raise pickle.UnpicklingError(f"{module}.{name} is not of the model")


def _packed(entries: dict[bytes, Entry]) -> bytes:
    held = io.BytesIO()
    _Pickler(held).dump(entries)
    body = held.getvalue()
    return _stamp() + blake2b(body, digest_size=_DIGEST).digest() + body


def _unpacked(data: bytes) -> dict[bytes, Entry]:
    """Returns what a pack holds.

    Raises:
        Exception: it is damaged, of another version, or no pack.
    """
    stamp = _stamp()
    at = len(stamp) + _DIGEST
    body = memoryview(data)[at:]
    if not data.startswith(stamp) or blake2b(body, digest_size=_DIGEST).digest() != data[len(stamp) : at]:
        raise ValueError("not a pack of this version")
    return _Unpickler(io.BytesIO(body)).load()  # type: ignore[no-any-return]
