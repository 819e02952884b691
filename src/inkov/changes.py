"""The Python interface of change: what differs, what it would do, and what cures; they print nothing."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from os import PathLike
from pathlib import Path

from inkov.api import load, network
from inkov.change.drift import DriftView, drift_view
from inkov.change.mending import MendView, mended
from inkov.change.rehearsal import RehearsalView, rehearsal_view
from inkov.formats.edits import CannotEdit, Edits
from inkov.formats.reading import Reading
from inkov.formats.rewrite import difference, edited, edits_of, file_of, rewrite
from inkov.formats.site import load_files
from inkov.kinds.table import allowed_list
from inkov.model import touching
from inkov.model.campus import Campus
from inkov.model.errors import BadInput, Problem
from inkov.model.names import PortRef
from inkov.model.source import Source
from inkov.model.vlanset import VlanSet
from inkov.plan.change import changes
from inkov.plan.reach import change
from inkov.steps.edit import CannotChange
from inkov.steps.steps import Step
from inkov.store.places import real


def drift(before: Campus, after: Campus, names: tuple[str, str] = ("before", "after")) -> DriftView:
    """Compares two campuses: what changed, what it did, and which change did it.

    Args:
        before: how it was, from `load`.
        after: how it is.
        names: what the two are called in the result.

    >>> view = inkov.drift(inkov.load("quillfin/mended"), inkov.load("quillfin/mended"))
    >>> view.changes, view.claims
    ((), ())
    """
    return drift_view(before, after, names)


def as_saved(campus: Campus) -> Campus:
    """Returns a campus as its switches would start with what they have saved.

    Raises:
        BadInput: it does not hold what any switch has saved.
    """
    if not campus.saved:
        raise BadInput(
            [Problem(Source("--saved"), "the campus file names nothing that switches have saved; see `saved`")]
        )
    switches = {name: campus.saved.get(name, switch) for name, switch in campus.switches.items()}
    return replace(campus, switches=switches)


def rehearse(campus: Campus, file: str | PathLike[str], start: str = "") -> RehearsalView:
    """Tries a change file out, step by step, and looks for an order in which nothing breaks.

    Args:
        campus: from `load`.
        file: the change file.
        start: the host from which it is done; the one that the file names without it.

    Raises:
        BadInput: the file cannot be read, or names what is not there.

    >>> view = inkov.rehearse(inkov.load("quillfin/as-found"), "quillfin/changes/natives.yaml")
    >>> view.verdict, view.order
    ('safe in another order', (2, 1, 3, 4))
    """
    from inkov.formats.ours import change_file  # noqa: PLC0415 - a fifth of a second that only this needs

    document, lines, reading = change_file.read(Path(file))
    steps = change_file.steps(document, lines, campus, reading)
    return rehearsal_view(campus, steps, start or document.from_, document.name)


def mend(campus: Campus, only: Sequence[str] = (), at: str = "") -> MendView:
    """Finds the cures that are certain: each is tried, and kept only if its finding is gone and nothing else is worse.

    Args:
        campus: from `load`.
        only: names of rules, or patterns; all when empty.
        at: a place that findings must name; anywhere when empty.

    >>> inkov.mend(inkov.load("quillfin/mended")).cures
    ()
    """
    return mended(campus, only, at)[0]


class Copies:
    """The files of a site with cures written into them.

    Attributes:
        view: the cures that files can take, and what is left.
        steps: their steps.
        made: the content of each file that changes, by the name that sources give it.
    """

    def __init__(self, site: str | PathLike[str], only: Sequence[str] = (), at: str = "") -> None:
        """Finds cures that the files of a site can take.

        Args:
            site: what `load` reads.
            only: as for `mend`.
            at: as for `mend`.

        Raises:
            BadInput: the site cannot be read.
        """
        self._site = Path(site)
        before, self._files = load_files(site)
        self.view, self.steps, self._after = mended(before, only, at, self._refuses)
        edits, now = [], before
        for step in self.steps:
            after = step.done(now)
            edits.append(edits_of(step, now, after))
            now = after
        self.made: Mapping[str, bytes] = edited(self._files, edits)

    def _refuses(self, cure: Sequence[Step], campus: Campus) -> str:
        """Says why files cannot take a cure; nothing where they can."""
        try:
            for step in cure:
                after = step.done(campus)
                edited(self._files, [edits_of(step, campus, after)])
                campus = after
        except BadInput as exc:
            return "; ".join(f"{p.source.file}: {p.what}" for p in exc.problems)
        except (CannotEdit, CannotChange) as exc:
            return str(exc)
        return ""

    @property
    def difference(self) -> str:
        """What differs from the files of the site, as a unified diff."""
        return difference(self._files, self.made)

    def write(self, folder: str | PathLike[str]) -> list[str]:
        """Writes the site into a new folder, and reads it back: it must be what was tried.

        Returns:
            The names of the files that differ.

        Raises:
            BadInput: the folder is taken or lies in the site, or what is read back is something else. Nothing is written
                then.
        """
        _elsewhere(self._site, folder)

        def check(made: Path) -> None:
            read = load(made / self._site.name if self._site.is_file() else made)
            if differ := [c for c in changes(self._after, read) if not c.silent]:
                what = f"the copy would not be what was tried: {differ[0].at}: {differ[0].what}; nothing was written"
                raise BadInput([Problem(Source("mend"), what)])

        return rewrite(self._files, self.made, Path(folder), check)


def apply_trim(site: str | PathLike[str], lists: Mapping[PortRef, str], folder: str | PathLike[str]) -> list[str]:
    """Writes a site with other allowed lists into a new folder, if that costs no station what it reaches now.

    Args:
        site: what `load` reads.
        lists: the list to set of each port, as text.
        folder: where to write; new, or empty.

    Returns:
        The names of the files that differ.

    Raises:
        BadInput: the result would cut something off or join what is apart now, or cannot be written. Nothing is
            written then.
    """
    _elsewhere(site, folder)
    before, files = load_files(site)
    given = VlanSet(v for ref, text in lists.items() for v in VlanSet.parse(text) - _allowed(before, ref))

    def check(made: Path) -> None:
        after = load(made / Path(site).name if Path(site).is_file() else made)
        found = change(network(before), network(after))
        groups = network(after).needs.mixed
        mixed = VlanSet(u for v in given if v in groups for u in VlanSet.from_mask(groups[v]))
        for what, some in (("lose", found.lost), ("gain", found.gained - given - mixed)):
            if some:
                raise BadInput([Problem(Source("trim"), f"members of {some} would {what} reach; nothing was written")])

    by_file: dict[str, dict[str, dict[str, str | None]]] = {}
    for ref, text in lists.items():
        by_file.setdefault(file_of(before, ref), {})[ref.port] = {"trunk": text}
    edits = {name: Edits(ports) for name, ports in by_file.items()}
    return rewrite(files, edited(files, [edits]), Path(folder), check)


def _elsewhere(site: str | PathLike[str], folder: str | PathLike[str]) -> None:
    base = Path(site) if Path(site).is_dir() else Path(site).parent
    if real(Path(folder)).is_relative_to(real(base)):
        raise BadInput([Problem(Source(str(folder)), "lies in the site's own folder; name one elsewhere")])


def _allowed(campus: Campus, ref: PortRef) -> VlanSet:
    return allowed_list(campus.switches[ref.switch].ports[ref.port].switching)


def attached(campus: Campus, new: Collection[str], cables: Sequence[str]) -> Campus:
    """Returns a campus with further cables, by which each new device is attached.

    Args:
        campus: with the new devices.
        new: their names.
        cables: each by both ends, such as `pier-2 u1 - pier-1 u3`.

    Raises:
        BadInput: a cable names no two ports, or a new device is attached nowhere.
    """
    from inkov.formats.ours.change_file import cables_of  # noqa: PLC0415 - as above

    reading = Reading("")
    made = tuple(cables_of(cables, campus.switches, Source("--cable"), reading))
    if reading.problems:
        raise BadInput([Problem(Source("--cable"), p.what) for p in reading.problems])
    after = replace(campus, cables=(*campus.cables, *made))
    links = network(after).links_at
    alone = [n for n in new if not links.get(n)]
    if alone:
        what = f"{', '.join(alone)}: attached nowhere; name the cable, such as '{alone[0]} u1 - SWITCH PORT'"
        raise BadInput([Problem(Source("--cable"), what)])
    return after


def as_told(campus: Campus, *, today: bool) -> Campus:
    """Returns a campus as its files configure it alone, or as it is in force today alone, where they tell both."""
    return touching.as_told(campus, today=today)
