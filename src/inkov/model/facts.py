"""The table of facts: how each setting of a device is called, and what becomes of it when several sources tell of one device.

Files are merged by this table, `switches-are` of the campus file is applied by it, and two campuses are compared by it. A fact
that is in no row is merged as if it were not there, so a test goes through the fields of the model and asks for a row of each.

How a fact merges:

- ONE: a device has one value. Of sources that state it, the one that counts most gives it: a file of ours that overrides, then
  what is configured, then what is in force. Two that count alike and differ contradict each other, and then it is not known.
- SET: each source adds entries, by the key of the entry.
- TEXT: as ONE, but for people alone: no frame depends on it, and a difference is no contradiction.
- OWN: the merging works it out from other facts.
"""

from __future__ import annotations

from dataclasses import MISSING, dataclass, fields
from enum import Enum
from typing import Any, Final

from inkov.model.routing import Gateway
from inkov.model.settings import Setting
from inkov.model.source import Origin
from inkov.model.switch import NEGOTIATED_FORMAT, Port, Switch
from inkov.model.tree import ANY_REGISTRATION, BridgeTree, PortTree, Sync


class Merge(Enum):
    """What becomes of a fact that several sources tell of one device."""

    ONE = "one value"
    SET = "adds to a set"
    TEXT = "one value, for people"
    OWN = "worked out"


class _Doubt:
    """Stands for a fact that has no value for *not known*: the object that holds it says so in its `doubt`."""


DOUBT: Final = _Doubt()


@dataclass(frozen=True, slots=True)
class Fact:
    """One fact of a device, a port, a gateway, or of how they take part in trees and sync groups.

    Attributes:
        field: its name in the model.
        setting: what it is called in files, and what findings blame.
        merge: what becomes of it when several sources tell it.
        unknown: its value while sources contradict each other; `DOUBT` where it has none for that.
        by_default: it has a value of its own where nobody writes it, as `starts-as` of our files gives; only what was written
            states it then.
    """

    field: str
    setting: Setting
    merge: Merge = Merge.ONE
    unknown: Any = DOUBT
    by_default: bool = False

    def stated(self, holder: Any, origin: Origin) -> bool:  # noqa: ANN401 - any object of the model
        """Tells whether a source states it: it was written, or it is not what it is where nobody writes it."""
        written = bool(self.setting.key) and origin.states(self.setting)
        if self.by_default:
            return written and getattr(holder, self.field) is not None
        return self.has_value(holder) or (written and getattr(holder, self.field) is not None)

    def has_value(self, holder: Any) -> bool:  # noqa: ANN401 - as above
        """Tells whether it is not what it is where nobody states it."""
        value = getattr(holder, self.field)
        return value is not None and value != _DEFAULTS[type(holder)][self.field]


def _facts(holder: type[Any], *rows: Fact) -> tuple[Fact, ...]:
    _DEFAULTS[holder] = {
        f.name: f.default
        if f.default is not MISSING
        else f.default_factory()
        if f.default_factory is not MISSING
        else None
        for f in fields(holder)
    }
    return rows


_DEFAULTS: dict[type[Any], dict[str, Any]] = {}
"""What each field of the model is where nobody states it."""

PORT: Final = _facts(
    Port,
    Fact("switching", Setting.MODE, Merge.OWN),
    Fact("enabled", Setting.ENABLED, by_default=True),
    Fact("label", Setting.LABEL, Merge.TEXT),
    Fact("stance", Setting.STANCE, unknown=None, by_default=True),
    Fact("tag_format", Setting.TAGS, unknown=NEGOTIATED_FORMAT, by_default=True),
    Fact("lag", Setting.LAG),
    Fact("members", Setting.MEMBERS, Merge.OWN),
    Fact("is_lag", Setting.LAG, Merge.OWN),
    Fact("lacp", Setting.LACP, unknown=None),
    Fact("speed", Setting.SPEED, Merge.TEXT),
    Fact("tree", Setting.PORT_TREE, Merge.OWN),
    Fact("registration", Setting.REGISTRATION, unknown=ANY_REGISTRATION),
    Fact("known_as", Setting.NEIGHBOUR, Merge.SET),
    Fact("doubt", Setting.ENABLED, Merge.OWN),
)

PORT_TREE: Final = _facts(
    PortTree,
    Fact("edge", Setting.EDGE, unknown=None, by_default=True),
    *(Fact(name, Setting.PORT_TREE) for name in ("cost", "priority", "number", "runs", "own")),
)

TREE: Final = _facts(
    BridgeTree,
    Fact("protocol", Setting.TREE_PROTOCOL, unknown=None),
    Fact("priority", Setting.TREE_PRIORITY),
    Fact("own", Setting.TREE_OWN),
    Fact("wide", Setting.TREE_COSTS),
    Fact("region", Setting.TREE_REGION),
)
"""Which ports a tree shuts is not known where one of these is not: the protocol stands for all of them then."""

SYNC: Final = _facts(
    Sync,
    Fact("group", Setting.SYNC_GROUP),
    Fact("role", Setting.SYNC_ROLE),
    Fact("generation", Setting.SYNC_GENERATION, unknown=None),
    Fact("secret", Setting.SYNC_SECRET),
    Fact("spread", Setting.SYNC_SPREAD),
    Fact("private", Setting.SYNC_PRIVATE),
)
"""Which VLAN table a switch has is not known where one of these is not."""

GATEWAY: Final = _facts(
    Gateway,
    Fact("vid", Setting.GATEWAYS, Merge.OWN),
    Fact("port", Setting.GATEWAYS, Merge.OWN),
    Fact("addresses", Setting.GATEWAYS, Merge.SET),
    Fact("virtual", Setting.GATEWAYS, Merge.SET),
    Fact("enabled", Setting.GATEWAYS),
    Fact("inward", Setting.GATEWAYS),
    Fact("outward", Setting.GATEWAYS),
    Fact("vrf", Setting.GATEWAYS),
    Fact("source", Setting.GATEWAYS, Merge.OWN),
    Fact("doubt", Setting.GATEWAYS, Merge.OWN),
    Fact("untold", Setting.GATEWAYS, Merge.OWN),
    Fact("label", Setting.GATEWAYS, Merge.TEXT),
)

SWITCH: Final = _facts(
    Switch,
    Fact("name", Setting.NEIGHBOUR, Merge.OWN),
    Fact("vlans", Setting.VLANS, Merge.OWN),
    Fact("other_tables", Setting.VLANS, Merge.OWN),
    Fact("ports", Setting.MODE, Merge.OWN),
    Fact("heard", Setting.NEIGHBOUR, Merge.OWN),
    Fact("mac", Setting.NEIGHBOUR, Merge.TEXT),
    Fact("kind", Setting.KIND, Merge.OWN),
    Fact("habits", Setting.HABITS, Merge.OWN),
    Fact("unstated_habits", Setting.HABITS, Merge.OWN),
    Fact("role", Setting.ROLE, Merge.TEXT),
    Fact("tree", Setting.TREE_PROTOCOL, Merge.OWN),
    Fact("sync", Setting.SYNC_GROUP, Merge.OWN),
    Fact("prunes", Setting.PRUNING, unknown=True),
    Fact("registration", Setting.DYNAMIC, unknown=None, by_default=True),
    Fact("gateways", Setting.GATEWAYS, Merge.OWN),
    Fact("gateways_stated", Setting.GATEWAYS, Merge.OWN),
    Fact("routing", Setting.ROUTING, unknown=None),
    Fact("learns", Setting.ROUTING, Merge.OWN),
    Fact("routes", Setting.ROUTES, Merge.OWN),
    Fact("filters", Setting.FILTERS, Merge.OWN),
    Fact("default_vlan_listed", Setting.VLANS, Merge.OWN),
    Fact("lacks", Setting.LACKS, Merge.SET),
    Fact("limits", Setting.LIMITS, Merge.OWN),
    Fact("touches", Setting.NOT_FOLLOWED, Merge.SET),
    Fact("without_effect", Setting.NOT_FOLLOWED, Merge.SET),
    Fact("origin", Setting.NEIGHBOUR, Merge.OWN),
    Fact("doubt", Setting.VLANS, Merge.OWN),
)

TABLES: Final = {Switch: SWITCH, Port: PORT, PortTree: PORT_TREE, BridgeTree: TREE, Sync: SYNC, Gateway: GATEWAY}
"""The rows of each object of the model; a test finds the fields that have none."""


def stated_keys(switch: Switch) -> set[str]:
    """Returns the keys of the facts of a device and its tree that its files state."""
    own = {f.setting.key for f in SWITCH if f.merge is not Merge.OWN and f.stated(switch, switch.origin)}
    return own | {f.setting.key for f in TREE if f.stated(switch.tree, switch.origin)}
