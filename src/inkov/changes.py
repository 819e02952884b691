"""The Python interface of change: what differs, what it would do, and what cures; they print nothing."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from inkov.api import claim_called, load, network
from inkov.change.drift import DriftView, drift_view
from inkov.change.mending import MendView, mended
from inkov.change.rehearsal import BackView, RehearsalView, rehearsal_view, way_back
from inkov.formats.edits import CannotEdit, Edits
from inkov.formats.reading import Reading
from inkov.formats.rewrite import difference, edited, edits_of, file_of, rewrite
from inkov.formats.site import load_files
from inkov.kinds.table import allowed_list
from inkov.model import touching
from inkov.model.campus import Campus, Claim
from inkov.model.errors import BadInput, Problem
from inkov.model.names import PortRef
from inkov.model.source import Source
from inkov.model.vlanset import VlanSet
from inkov.plan.change import changes
from inkov.plan.reach import change
from inkov.steps.edit import CannotChange
from inkov.steps.steps import Step
from inkov.store.places import real

if TYPE_CHECKING:
    from inkov.formats.ours.change_file import Typed


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


class Planned(NamedTuple):
    """A change as it was read: its name, the host it is done from, its steps, and what is meant to stop."""

    name: str
    start: str
    steps: list[Step]
    meant: list[Claim]


def planned(
    campus: Campus, change: str | PathLike[str] | None, typed: Typed | None = None, meant: Sequence[str] = ()
) -> Planned:
    """Reads a change: a file, or a folder of candidate files, and steps that were typed.

    Args:
        campus: from `load`.
        change: the file or the folder; None where all is typed.
        typed: steps as they are typed.
        meant: what is meant to stop besides what the file says, in the words of claims, or claims by name.

    Raises:
        BadInput: the change cannot be read, or names what is not there.
    """
    from inkov.formats.ours import candidate, change_file  # noqa: PLC0415 - a fifth of a second that only this needs

    made = Planned("", "", [], [])
    if change is not None and Path(change).is_dir():
        made = Planned(f"candidates in {Path(change).name}", "", candidate.steps_of(Path(change), campus), [])
    elif change is not None:
        document, lines, reading = change_file.read(Path(change))
        steps = change_file.steps(document, lines, campus, reading)
        meant = (*document.meant, *meant)
        made = Planned(document.name, document.from_, steps, [])
    more = change_file.on_the_spot(typed, campus) if typed and any(typed) else []
    return made._replace(steps=[*made.steps, *more], meant=[claim_called(campus, text) for text in meant])


def rehearse(campus: Campus, file: str | PathLike[str], start: str = "") -> RehearsalView:
    """Tries a change out, step by step, and looks for an order in which nothing breaks.

    Args:
        campus: from `load`.
        file: the change file, or a folder of candidate files.
        start: the host from which it is done; the one that the file names without it.

    Raises:
        BadInput: the file cannot be read, or names what is not there.

    >>> view = inkov.rehearse(inkov.load("quillfin/as-found"), "quillfin/changes/natives.yaml")
    >>> view.verdict, view.order
    ('safe in another order', (2, 1, 3, 4))
    """
    plan = planned(campus, file)
    return rehearsed(campus, plan._replace(start=start or plan.start))


def rehearsed(campus: Campus, plan: Planned) -> RehearsalView:
    """Tries out a change that was read."""
    return rehearsal_view(campus, plan.steps, plan.start, plan.name, plan.meant)


def back(campus: Campus, plan: Planned, view: RehearsalView) -> tuple[str, BackView]:
    """Returns the change file that restores the state before a change, empty where no step does, and what comes of it.

    Args:
        campus: as it is before the change.
        plan: the change.
        view: the same, rehearsed; its steps are taken back in the order that it advises.
    """
    from inkov.formats.ours import change_writer  # noqa: PLC0415 - as above

    order = [i - 1 for i in view.order] or range(len(plan.steps))
    steps, found = way_back(campus, plan.steps, order, view.start, change_writer.can_be_written)
    name = f"back from {plan.name or 'the change'}"
    return change_writer.written(steps, name) if steps else "", found


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
    """The files of a site with steps written into them.

    Attributes:
        made: the content of each file that changes, by the name that sources give it.
    """

    def __init__(
        self, site: str | PathLike[str], before: Campus, files: Mapping[str, Path], steps: Sequence[Step]
    ) -> None:
        """Writes steps into the text of the files of a site.

        Args:
            site: what `load` reads.
            before: what is read from it.
            files: its files, by the name that sources give them.
            steps: what is done, in order.

        Raises:
            BadInput: files cannot take some steps, which are all named.
        """
        self._site, self._files = Path(site), files
        edits, now, problems = [], before, list[Problem]()
        for step in steps:
            after = step.done(now)
            try:
                edits.append(edits_of(step, now, after))
            except CannotEdit as exc:
                problems.append(Problem(step.source, f"{exc}; nothing was written"))
            now = after
        if problems:
            raise BadInput(problems)
        self._after = now
        self.made: Mapping[str, bytes] = edited(files, edits)

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
                raise BadInput([Problem(Source(str(folder)), what)])

        return rewrite(self._files, self.made, Path(folder), check)


def with_steps(site: str | PathLike[str], steps: Sequence[Step]) -> Copies:
    """Returns the files of a site with a change written into them.

    Args:
        site: what `load` reads.
        steps: the change, in order.

    Raises:
        BadInput: the site cannot be read, or its files cannot take some steps.
    """
    before, files = load_files(site)
    return Copies(site, before, files, steps)


def cured(site: str | PathLike[str], only: Sequence[str] = (), at: str = "") -> tuple[MendView, list[Step], Copies]:
    """Finds cures that the files of a site can take, and writes them into these.

    Args:
        site: what `load` reads.
        only: as for `mend`.
        at: as for `mend`.

    Returns:
        The cures and what is left, their steps, and the files.

    Raises:
        BadInput: the site cannot be read.
    """
    before, files = load_files(site)

    def refuses(cure: Sequence[Step], campus: Campus) -> str:
        """Says why files cannot take a cure; nothing where they can."""
        try:
            for step in cure:
                after = step.done(campus)
                edited(files, [edits_of(step, campus, after)])
                campus = after
        except BadInput as exc:
            return "; ".join(f"{p.source.file}: {p.what}" for p in exc.problems)
        except (CannotEdit, CannotChange) as exc:
            return str(exc)
        return ""

    view, steps, _ = mended(before, only, at, refuses)
    return view, steps, Copies(site, before, files, steps)


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
