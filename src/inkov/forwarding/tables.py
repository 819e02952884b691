"""The VLAN tables of a campus: which VLANs a switch defines and relays, in each reading."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property

from inkov.forwarding.plant import Plant
from inkov.forwarding.sync import Syncing
from inkov.kinds.relay import Mask, View
from inkov.kinds.table import negotiates
from inkov.model.names import PortRef
from inkov.model.remembered import remembered
from inkov.model.switch import DEFAULT_VLAN, Vlan
from inkov.model.vlanset import FULL_MASK, Vid


class Tables(Plant):
    """The plant, with its VLAN tables."""

    @cached_property
    def syncing(self) -> Syncing:
        """The sync groups."""
        return Syncing(self)

    def defined(self, switch: str) -> Mask:
        """Returns the VLANs in a switch's table, active or not; all where it keeps no table."""
        return self._table_masks[switch][0]

    def active(self, switch: str, view: View = View.USUAL) -> Mask:
        """Returns the VLANs a switch relays: defined and active.

        In *may* and *must* a table that a sync group may replace counts as it is and as it may become.
        """
        active = self._table_masks[switch][1]
        if view is View.USUAL:
            return active
        for table in self.syncing.candidates(switch):
            other = table_masks(table)[1]
            active = active | other if view is View.MAY else active & other
        if view is View.MAY and not self.switches[switch].default_vlan_listed:
            active |= 1 << DEFAULT_VLAN
        dynamic = self.switches[switch].registration is not False and view is View.MAY
        return active | self.telling if dynamic else active

    @cached_property
    def _table_masks(self) -> Mapping[str, tuple[Mask, Mask]]:
        """The VLANs each switch defines, and those of them active; worked out once for tables that switches share."""
        made = dict.fromkeys(self.switches, (FULL_MASK, FULL_MASK))
        for table, names in self.tables:
            made.update(dict.fromkeys(names, table_masks(table)))
        return made

    @remembered
    def _relays_alike(self, switch: str, view: View) -> bool:
        """Tells whether a switch is the very one of the campus this is like, and relays the same VLANs."""
        like = self._like
        if like is None or not self._same(switch):
            return False
        synced = self.syncing.candidates(switch) or like.syncing.candidates(switch)
        return view is View.USUAL or (not synced and self.active(switch, view) == like.active(switch, view))

    def set_alike(self, ref: PortRef, view: View) -> bool:
        """Tells whether a port surely does in a view what it does in the campus this is like: nobody else has a say in it."""
        like = self._like
        if like is None or negotiates(self.port(ref)) or not self._relays_alike(ref.switch, view):
            return False
        return view is not View.MAY or not (ref in self.registering or ref in like.registering)


def table_masks(table: Mapping[Vid, Vlan]) -> tuple[int, int]:
    """Returns the VLANs a table defines, and those of them active, as masks."""
    active = sum(1 << v for v, entry in table.items() if entry.active)
    return sum(1 << v for v in table), active
