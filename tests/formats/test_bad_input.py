"""Bad input: a clear line with place and expectation, everything at once, exit code 2, never a traceback."""

import pytest

SWITCH = "inkov: switch\nname: a\nvlans: {10: }\nports: {1: {access: 10}, u1: {trunk: all}}\n"
OTHER = SWITCH.replace("name: a", "name: b")
OC = '{{"openconfig-system:system": {{"config": {{"hostname": "c"}}}}, "openconfig-interfaces:interfaces": {{"interface": [{}]}}}}'


def interface(**leaves):
    config = ", ".join(f'"{k.replace("_", "-")}": {v}' for k, v in leaves.items())
    return OC.format(
        '{"name": "p1", "config": {"name": "p1"}, "openconfig-if-ethernet:ethernet": '
        '{"openconfig-vlan:switched-vlan": {"config": {' + config + "}}}}"
    )


CAMPUS = "inkov: campus\nname: c\nswitches: [a.yaml, b.yaml]\n"
AT = "/interfaces/interface[name=p1]/ethernet/switched-vlan/config"
CASES = {
    "not a configuration": (
        {"a.yaml": "hello: world\n"},
        ".: no switch configuration found here; expected Inkov switch files, OVSDB dumps, LLDP of a daemon, IEEE 802.1Q data, OpenConfig JSON, NETCONF XML, SNMP walks or LLDP captures",
    ),
    "empty folder": (
        {},
        ".: no switch configuration found here; expected Inkov switch files, OVSDB dumps, LLDP of a daemon, IEEE 802.1Q data, OpenConfig JSON, NETCONF XML, SNMP walks or LLDP captures",
    ),
    "truncated JSON": (
        {"a.json": '{"openconfig-interfaces:interfaces":\n {"interface": ['},
        "a.json:2: this JSON ends early or is broken (expecting value)",
    ),
    "tabs": (
        {"a.yaml": "inkov: switch\nname: a\nvlans:\n\t10: x\n"},
        "a.yaml:4: a tab stands where YAML wants blanks; indent with blanks only",
    ),
    "a list in braces without quotes": (
        {"a.yaml": SWITCH.replace("trunk: all", "trunk: 10,20")},
        "a.yaml:4: ports/u1/trunk: a list with commas needs quotes inside of braces: {trunk: '10,20'}",
    ),
    "a longer list, with ranges, before another key": (
        {"a.yaml": SWITCH.replace("trunk: all", "trunk: 10-12,20,30-31, label: x")},
        "a.yaml:4: ports/u1/trunk: a list with commas needs quotes inside of braces: {trunk: '10-12,20,30-31'}",
    ),
    "VID 0": (
        {"a.yaml": SWITCH.replace("access: 10", "access: 0")},
        "a.yaml:4: ports/1/access: 0 is not a VLAN number; expected 1 to 4094",
    ),
    "VID 4095": (
        {"a.yaml": SWITCH.replace("{10: }", "{4095: }")},
        "a.yaml:3: vlans/4095: 4095 is not a VLAN number; expected 1 to 4094",
    ),
    "VID 70000": (
        {"a.json": interface(interface_mode='"ACCESS"', access_vlan=70000)},
        f"a.json: {AT}/access-vlan: 70000 is not a VLAN number; expected 1 to 4094",
    ),
    "VID text": (
        {"a.yaml": SWITCH.replace("access: 10", "access: tills")},
        "a.yaml:4: ports/1/access: 'tills' is not a VLAN number; expected 1 to 4094",
    ),
    "VLAN list": (
        {"a.json": interface(interface_mode='"TRUNK"', trunk_vlans='["10...20", 4095]')},
        f"a.json: {AT}/trunk-vlans: '10...20' is not a VLAN or a range; expected 310 or \"310..330\"\n"
        f"a.json: {AT}/trunk-vlans: 4095 is not a VLAN number; expected 1 to 4094",
    ),
    "mode": (
        {"a.json": interface(interface_mode='"HYBRID"')},
        f"a.json: {AT}/interface-mode: 'HYBRID' is not an interface mode; expected ACCESS or TRUNK",
    ),
    "duplicate port": (
        {"a.yaml": SWITCH + "# \n", "b.yaml": OTHER.replace("u1:", "1-2:")},
        "b.yaml:4: ports: port '1' is configured twice; the first time in line 4",
    ),
    "duplicate key": (
        {"a.yaml": SWITCH + "name: b\n"},
        "a.yaml:5: key 'name' comes twice; the first is in line 2",
    ),
    "unknown key": (
        {"a.yaml": SWITCH.replace("trunk: all", "trunc: all")},
        "a.yaml:4: ports/u1/trunc: unknown key 'trunc'; did you mean 'trunk'?",
    ),
    "range backwards": (
        {"a.yaml": SWITCH.replace("{1:", "{12-1:")},
        "a.yaml:4: ports: port range '12-1' runs backwards; expected 1-12",
    ),
    "two modes": (
        {"a.yaml": SWITCH.replace("access: 10", "access: 10, trunk: all")},
        "a.yaml:4: ports/1: both 'access' and 'trunk'; a port is one of them",
    ),
    "alias": (
        {"a.yaml": SWITCH.replace("{10: }", "&x {10: }") + "starts-as: *x\n"},
        "a.yaml:5: aliases (*name) are not part of the language; write the value out",
    ),
    "all at once": (
        {
            "a.yaml": SWITCH.replace("access: 10", "access: 0").replace("trunk: all", "trunc: all"),
            "b.yaml": OTHER.replace("10:", "0:"),
        },
        "a.yaml:4: ports/1/access: 0 is not a VLAN number; expected 1 to 4094\n"
        "a.yaml:4: ports/u1/trunc: unknown key 'trunc'; did you mean 'trunk'?\n"
        "b.yaml:3: vlans/0: 0 is not a VLAN number; expected 1 to 4094",
    ),
    "unknown LAG": (
        {"a.yaml": SWITCH.replace("{trunk: all}", "{lag: core}")},
        "a.yaml:4: ports/u1/lag: LAG 'core' is not defined under lags",
    ),
    "two switches of one name": (
        {"a.yaml": SWITCH, "b.yaml": SWITCH},
        "b.yaml: a second switch named 'a'; the first is in a.yaml",
    ),
    "cable to no port": (
        {"a.yaml": SWITCH, "b.yaml": OTHER, "campus.yaml": CAMPUS + "cables: [a u1 - b u9]\n"},
        "campus.yaml:4: cables/0: b has no port 'u9'; expected one of: 1, u1",
    ),
    "cable to no switch": (
        {"a.yaml": SWITCH, "b.yaml": OTHER, "campus.yaml": CAMPUS + "cables:\n- a u1 - bb u1\n- nonsense\n"},
        "campus.yaml:5: cables/0: there is no switch 'bb'; did you mean 'b'?\n"
        "campus.yaml:6: cables/1: 'nonsense' is not a cable; expected 'watchtower a1 - kelp-hall u1'",
    ),
    "unknown segment": (
        {
            "a.yaml": SWITCH,
            "b.yaml": OTHER,
            "campus.yaml": CAMPUS
            + "segments: {tills: {vlan: 10}}\nclaims: [{apart: [tills, kiosk]}, {together: tils}]\n",
        },
        "campus.yaml:5: claims/0/apart: there is no segment 'kiosk'; expected one of: tills\n"
        "campus.yaml:5: claims/1/together: there is no segment 'tils'; did you mean 'tills'?",
    ),
    "of two kinds, the one that it is": (
        {
            "a.yaml": SWITCH,
            "campus.yaml": "inkov: campus\nname: c\nhosts:\n- {name: h, at: a 1}\nplan: {a: b}\n",
        },
        "campus.yaml:4: hosts/0/at: unknown key 'at'; expected one of: address, gateway, mac, name, port, tag\n"
        "campus.yaml:4: hosts/0/port: key 'port' is missing\n"
        "campus.yaml:5: plan: expected a list, or text\n",
    ),
    "a value that is made into another": (
        {
            "a.yaml": SWITCH.replace("{1: {access: 10}", "{1: {general: {untagged: 10, filtering: maybe}}")
            + "gateways: {10: 17}\n",
            "b.yaml": OTHER.replace("{10: }", "{10: {nmae: x}}"),
        },
        "a.yaml:4: ports/1/general/filtering: 'maybe' is neither true nor false; it may be 'not stated'\n"
        "a.yaml:5: gateways/10: '17' is not an address; expected one such as 192.0.2.1/27\n"
        "b.yaml:3: vlans/10/nmae: unknown key 'nmae'; did you mean 'name'?",
    ),
    "two campus files": (
        {"x.yaml": CAMPUS, "y.yaml": CAMPUS},
        ".: several campus files (x.yaml, y.yaml); name the one that is meant",
    ),
    "pattern without files": (
        {"a.yaml": SWITCH, "campus.yaml": CAMPUS},
        "campus.yaml:3: switches/1: no file matches 'b.yaml'",
    ),
    "binary": (
        {"a.json": "\x00\x01\x02"},
        "a.json:1: this JSON ends early or is broken (expecting value)",
    ),
    "an error answer": (
        {"a.json": '{"ietf-restconf:errors": {"error": [{"error-tag": "access-denied"}]}}'},
        "a.json: this is an error answer of the device, not its configuration",
    ),
}


@pytest.mark.few(8)
@pytest.mark.parametrize("name", CASES)
def test_says_what_is_wrong_and_where(name, inkov, site):
    files, message = CASES[name]
    site(files)
    ran = inkov("audit", ".", "--all-files")
    assert ran.code == 2
    assert ran.out == ""
    assert [line for line in ran.err.splitlines() if not line.startswith("note: ")] == message.splitlines()


def test_missing_site_is_named_with_a_hint(inkov, site):
    site({"exports/a.yaml": SWITCH})
    ran = inkov("audit", "export")
    assert (ran.code, ran.err) == (2, "export: there is no such file or folder; did you mean 'exports'?\n")


def test_deep_nesting_is_refused_in_bounded_time(inkov, site):
    site({"a.yaml": "inkov: switch\nname: " + "[" * 5000, "b.json": "[" * 100000})
    ran = inkov("audit", ".")
    assert ran.code == 2
    assert "Traceback" not in ran.err
    assert ran.err.splitlines()[0].startswith("a.yaml:")
