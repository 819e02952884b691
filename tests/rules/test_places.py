"""Every key that is written is found again: at its own line or data path, and never as a default."""

import json

import pytest
import yaml

import inkov
from conftest import write_files
from inkov.model.settings import Setting
from inkov.rules.catalogue import RULES

EXAMPLES = {
    f"{r.name} {side}": example.files
    for r in RULES.values()
    for side, example in (("breaks", r.breaks), ("passes", r.passes))
}
PORT_KEYS = {s.key: s for s in Setting if s.holder == "port"}
SWITCH_KEYS = {s.key: s for s in Setting if s.holder == "switch"}


def below(node, path=()):
    """Yields (path, line of its key, node) of every mapping entry below a YAML node."""
    if isinstance(node, yaml.MappingNode):
        for key, value in node.value:
            yield (*path, key.value), key.start_mark.line + 1, value
            yield from below(value, (*path, key.value))


def written(text):
    """Yields (path, line) of each key of a switch file, as another reader of YAML finds them."""
    return [(path, line) for path, line, _ in below(yaml.compose(text, Loader=yaml.SafeLoader))]


def misplaced(folder):
    """Yields each written setting of our switch files that is not found where it stands, and counts them all."""
    campus = inkov.load(folder)
    for switch in [*campus.switches.values(), *campus.saved.values()]:
        file = folder / switch.origin.file
        if file.suffix in {".walk", ".xml"} or file.parent.name == "hosts" or '"ieee802' in file.read_text("utf-8"):
            continue  # their places are in the tests of their formats
        if file.suffix == ".json":
            yield from ((None, None) for _ in placed_in_export(switch, file))
            continue
        for path, line in written(file.read_text("utf-8")):
            names = "/".join(path)
            if path[0] in {"ports", "lags"} and len(path) > 2 and (setting := PORT_KEYS.get("/".join(path[2:]))):
                homes = [p for p in switch.ports.values() if p.origin.base == "/".join(path[:2])]
                assert homes, names
                found = {p.origin.of(setting) for p in homes}
            elif setting := SWITCH_KEYS.get(names):
                found = {switch.origin.of(setting)}
            elif len(path) > 1 and (setting := SWITCH_KEYS.get("/".join(path[:-1]))):
                found = {switch.origin.of(setting, path[-1])}
            else:
                continue
            wrong = [s for s in found if s.default or s.line != line]
            yield (names, wrong) if wrong else (None, None)


LEAVES = {
    "interface-mode": Setting.MODE,
    "access-vlan": Setting.ACCESS,
    "native-vlan": Setting.NATIVE,
    "trunk-vlans": Setting.ALLOWED,
}


def placed_in_export(switch, file):
    """Yields the VLAN settings of an export's ports, once each was found by the leaf that holds it."""
    data = json.loads(file.read_text("utf-8"))
    text = json.dumps(data)
    for port in switch.ports.values():
        for leaf, setting in LEAVES.items():
            if port.origin.states(setting):
                source = port.origin.of(setting)
                if source.file != switch.origin.file:  # another file of the device has it
                    yield source
                    continue
                assert (source.default, source.path.rpartition("/")[2]) == (False, leaf)
                assert f'{leaf}"' in text
                yield source


@pytest.mark.parametrize("name", sorted(EXAMPLES))
def test_no_written_key_of_an_example_goes_astray(name, tmp_path):
    found = list(misplaced(write_files(tmp_path, EXAMPLES[name])))
    assert [row for row in found if row[0]] == []
    assert found


@pytest.mark.parametrize("side", ["as-found", "mended"])
def test_no_written_key_of_the_demo_goes_astray(side, quillfin):
    found = list(misplaced(quillfin / side))
    assert [row for row in found if row[0]] == []
    assert len(found) > 400
