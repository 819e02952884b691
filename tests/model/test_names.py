import pytest

from inkov.model.errors import nearest
from inkov.model.identity import device_named, devices_matching
from inkov.model.names import PortRef, natural
from inkov.model.settings import Setting
from inkov.model.source import Origin, Source


def test_natural_order_counts_numbers():
    names = ["p10", "p2", "q1", "p1", "10", "9", "p01"]
    assert sorted(names, key=natural) == ["9", "10", "p01", "p1", "p2", "p10", "q1"]


@pytest.mark.parametrize(
    ("text", "ref"),
    [
        ("a:1", PortRef("a", "1")),
        ("core.x.example:Eth 1/2:3", PortRef("core.x.example", "Eth 1/2:3")),
        ("a", None),
        (":1", None),
        ("a:", None),
    ],
)
def test_port_reference(text, ref):
    assert PortRef.parse(text) == ref


def test_hint_is_the_nearest_name_or_the_few_there_are():
    assert nearest("trunc", ["trunk", "access"]) == "; did you mean 'trunk'?"
    assert nearest("x", ["b", "a"]) == "; expected one of: a, b"
    assert nearest("x", map(str, range(100, 200))) == ""


@pytest.mark.parametrize(
    ("source", "text"),
    [
        (Source("a.yaml", 7, "ports/1/access"), "a.yaml:7"),
        (Source("a.yaml", 7, default=True), "a.yaml:7 (default)"),
        (
            Source("a.json", None, "/interfaces/interface[name=Eth 1/2]/ethernet/config/native-vlan"),
            "a.json Eth 1/2: native-vlan",
        ),
        (Source("a.json", None, "/interfaces/interface[name=Eth 1/2]"), "a.json Eth 1/2"),
        (Source("a.json"), "a.json"),
    ],
)
def test_source_reads_as_a_place(source, text):
    assert str(source) == text


def test_origin_tells_written_from_default():
    starts = Origin("a.yaml", "starts-as", {"": 3, "native": 4})
    port = Origin("a.yaml", "ports/1", {"": 9, "access": 9}, starts)
    assert port.of(Setting.ACCESS) == Source("a.yaml", 9, "ports/1/access")
    assert port.of(Setting.NATIVE) == Source("a.yaml", 4, "starts-as/native", default=True)
    assert port.of(Setting.ENABLED) == Source("a.yaml", 9, "ports/1", default=True)
    assert port.here == Source("a.yaml", 9, "ports/1")
    with pytest.raises(TypeError, match="'access' is no setting"):
        port.of("access")


@pytest.mark.parametrize(
    ("name", "known", "meant"),
    [
        ("core", ["core", "core.example.net"], "core"),
        ("core", ["Core.example.net", "hall"], "Core.example.net"),
        ("CORE", ["core", "hall"], "core"),
        ("core.example.net", ["core", "hall"], "core"),
        ("core", ["core.east.example", "core.west.example"], "core"),
        ("core.east.example", ["core.west.example"], "core.east.example"),
        ("10.0.0", ["10.0.0.1"], "10.0.0"),
        ("core", ["core-1", "core-2"], "core"),
    ],
)
def test_a_device_is_meant_by_its_name_in_any_case_and_without_its_domain(name, known, meant):
    assert device_named(name, known) == meant


@pytest.mark.parametrize(
    ("pattern", "meant"),
    [
        ("hall-?", ["hall-1", "hall-2"]),
        ("hall-1", ["hall-1"]),
        ("HALL-1", ["hall-1"]),
        ("core", ["Core.example.net"]),
        ("core*", []),
        ("pier[1]", ["pier1"]),
        ("pier[12]", ["pier1"]),
        ("nowhere", []),
    ],
)
def test_a_pattern_stands_for_all_that_it_fits_and_a_name_for_the_one_device_that_is_meant(pattern, meant):
    known = {"hall-1": 1, "hall-2": 2, "Core.example.net": 3, "pier1": 4, "pier[1]": 5}
    assert devices_matching(pattern, known) == meant


def test_what_is_looked_up_is_of_the_devices_there_are_now():
    known = {"hall-1": 1}
    assert devices_matching("hall-*", known) == ["hall-1"]
    assert device_named("PIER", known) == "PIER"
    known |= {"hall-2": 2, "pier": 3}
    assert devices_matching("hall-*", known) == ["hall-1", "hall-2"]
    assert device_named("PIER", known) == "pier"
    assert devices_matching("hall-*", {"hall-9": 1, "hall-8": 2, "x": 3}) == ["hall-9", "hall-8"]
