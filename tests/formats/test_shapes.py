"""Every value of every JSON format, replaced by a value of each other type: an error with a path, or read; never a bug."""

import copy
import json
import random

import pytest

import inkov
from conftest import write_files
from inkov.demo.station import as_found
from strategies import often

BRIDGE = {  # IEEE 802.1Q in JSON
    "ieee802-dot1q-bridge:bridges": {
        "bridge": [
            {
                "name": "b",
                "address": "00-00-5E-00-53-01",
                "bridge-type": "customer-vlan-bridge",
                "component": [
                    {
                        "name": "b",
                        "id": 1,
                        "bridge-vlan": {
                            "vlan": [{"vid": 10, "name": "x", "untagged-ports": ["p1"], "egress-ports": ["p1"]}]
                        },
                        "filtering-database": {
                            "vlan-registration-entry": [{"vids": "10", "port-map": [{"port-ref": 1}]}]
                        },
                    }
                ],
            }
        ]
    },
    "ietf-interfaces:interfaces": {
        "interface": [
            {
                "name": "p1",
                "type": "iana-if-type:bridge",
                "enabled": True,
                "admin-status": "up",
                "description": "desk",
                "ieee802-dot1q-bridge:bridge-port": {
                    "bridge-name": "b",
                    "component-name": "b",
                    "pvid": 10,
                    "acceptable-frame": "admit-all-frames",
                    "enable-ingress-filtering": True,
                    "port-type": "c-vlan-bridge-port",
                },
            }
        ]
    },
}
TYPES = (None, True, 0, -1, 70000, 1.5, "", "x", [], [True], ["x", 1], {}, {"a": [True]}, [{}], "1" * 400)


def samples():
    """A file of each JSON format of the demo, and of none twice."""
    found = {}
    for name, text in as_found().items():
        if name.endswith(".json"):
            try:
                value = json.loads(text)
            except ValueError:  # several documents in one
                continue
            key = tuple(sorted(value)) if isinstance(value, dict) else type(value).__name__
            found.setdefault(key, (name, value))
    return [*found.values(), ("bridge.json", BRIDGE)]


def paths(value, at=()):
    yield at
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, inner in items:
        yield from paths(inner, (*at, key))


def changed(value, at, new):
    if not at:
        return new
    made = copy.deepcopy(value)
    holder = made
    for key in at[:-1]:
        holder = holder[key]
    holder[at[-1]] = new
    return made


@pytest.mark.parametrize("sample", samples(), ids=lambda s: s[0])
def test_a_value_of_another_type_is_an_error_or_read(sample, tmp_path):
    name, value = sample
    rng = random.Random(name)
    every = [(at, new) for at in paths(value) if at for new in TYPES]
    for n, (at, new) in enumerate(rng.sample(every, min(len(every), often(120)))):
        folder = write_files(tmp_path / str(n), {"a.json": json.dumps(changed(value, at, new))})
        try:
            campus = inkov.load(folder)
            inkov.audit(campus)
        except inkov.BadInput as exc:
            assert str(exc).startswith("a.json") or "no switch configuration found" in str(exc), (at, new)  # noqa: PT017 - most are read
