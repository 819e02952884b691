"""OpenConfig as XML: prefixes, framing, answers that hold nothing, and what is no configuration."""

import random

import pytest

import inkov
import writers
from conftest import run_inkov, write_files
from inkov.model.switch import Access, Trunk
from inkov.model.vlanset import ALL, VlanSet

OC = "http://openconfig.net/yang/"
BASE = "urn:ietf:params:xml:ns:netconf:base:1.0"


def interfaces(inner, attributes=""):
    return (
        f'<system xmlns="{OC}system"><config><hostname>quay</hostname></config></system>'
        f'<interfaces xmlns="{OC}interfaces" {attributes}>{inner}</interfaces>'
    )


def port(name, vlan):
    return (
        f"<interface><name>{name}</name><config><name>{name}</name></config>"
        f'<ethernet xmlns="{OC}interfaces/ethernet"><switched-vlan xmlns="{OC}vlan"><config>{vlan}</config></switched-vlan>'
        "</ethernet></interface>"
    )


def reply(inner):
    return f'<rpc-reply xmlns="{BASE}" message-id="1">{inner}</rpc-reply>'


def quay(tmp_path, text, name="quay.xml"):
    return inkov.load(write_files(tmp_path, {name: text})).switches["quay"]


ACCESS = "<interface-mode>ACCESS</interface-mode><access-vlan>310</access-vlan>"


@pytest.mark.parametrize(
    "text",
    [
        reply(f"<data>{interfaces(port('1', ACCESS))}</data>"),
        f'<?xml version="1.0"?>\n<!-- saved --><data xmlns="{BASE}">{interfaces(port("1", ACCESS))}</data>',
        f'<config xmlns="{BASE}">{interfaces(port("1", ACCESS))}</config>',
        f'<data xmlns="urn:ietf:params:xml:ns:yang:ietf-netconf-nmda">{interfaces(port("1", ACCESS))}</data>',
    ],
    ids=["reply", "data with a declaration", "config", "nmda"],
)
def test_what_clients_save(tmp_path, text):
    assert quay(tmp_path, text).ports["1"].switching == Access(310)


def test_namespaces_count_and_prefixes_do_not(tmp_path):
    text = (
        f'<n:rpc-reply xmlns:n="{BASE}" xmlns:i="{OC}interfaces" xmlns:e="{OC}interfaces/ethernet" xmlns:v="{OC}vlan"><n:data>'
        '<interfaces xmlns="urn:ietf:params:xml:ns:yang:ietf-interfaces"><interface><name>not ours</name></interface></interfaces>'
        f'<s:system xmlns:s="{OC}system"><s:config><s:hostname>quay</s:hostname></s:config></s:system>'
        "<i:interfaces><i:interface><i:name>1</i:name><i:config><i:name>1</i:name></i:config><e:ethernet><v:switched-vlan><v:config>"
        "<v:interface-mode>ACCESS</v:interface-mode><v:access-vlan> 310 </v:access-vlan></v:config></v:switched-vlan></e:ethernet>"
        "</i:interface></i:interfaces></n:data></n:rpc-reply>"
    )
    switch = quay(tmp_path, text)
    assert {n: p.switching for n, p in switch.ports.items()} == {"1": Access(310)}


@pytest.mark.parametrize(
    ("leaves", "allowed"),
    [
        ("<trunk-vlans>11</trunk-vlans>", VlanSet([11])),
        ("<trunk-vlans>11</trunk-vlans><trunk-vlans>20..22</trunk-vlans>", VlanSet([11, 20, 21, 22])),
        ("", ALL),
    ],
    ids=["one", "two", "none is all"],
)
def test_a_leaf_list_is_as_long_as_it_is(tmp_path, leaves, allowed):
    vlan = f"<interface-mode>TRUNK</interface-mode><native-vlan>11</native-vlan>{leaves}"
    assert quay(tmp_path, reply(f"<data>{interfaces(port('1', vlan))}</data>")).ports["1"].switching == Trunk(
        11, allowed
    )


def test_names_keep_their_blanks_and_identities_lose_their_prefix(tmp_path):
    kind = '<type xmlns:x="urn:ietf:params:xml:ns:yang:iana-if-type">x:ieee8023adLag</type>'
    lag = f"<interface><name>bundle 1 </name><config><name>bundle 1 </name>{kind}</config></interface>"
    member = (
        "<interface><name>1</name><config><name>1</name></config>"
        f'<ethernet xmlns="{OC}interfaces/ethernet"><config><aggregate-id xmlns="{OC}interfaces/aggregate">bundle 1 </aggregate-id>'
        "</config></ethernet></interface>"
    )
    switch = quay(tmp_path, reply(f"<data>{interfaces(lag + member)}</data>"))
    assert (switch.ports["bundle 1 "].is_lag, switch.ports["1"].lag) == (True, "bundle 1 ")


def test_defaults_that_nobody_set_are_left_out(tmp_path):
    tagged = "xmlns:d='urn:ietf:params:xml:ns:netconf:default:1.0'"
    vlan = f"<interface-mode {tagged} d:default='true'>ACCESS</interface-mode>"
    switch = quay(tmp_path, reply(f"<data>{interfaces(port('1', vlan))}</data>"))
    assert type(switch.ports["1"].switching).__name__ == "Unstated"


@pytest.mark.parametrize("greeting", [b"<hello xmlns='%s'/>]]>]]>" % BASE.encode(), b""])
@pytest.mark.parametrize("chunk", [1, 7, 1986])
def test_a_recorded_session_in_chunks_that_cut_words_and_characters(tmp_path, chunk, greeting):
    odd = 'x="Küste ]]&gt;]]&gt; ##"'
    octets = reply(f"<data>{interfaces(port('1', ACCESS), odd)}</data>").encode()
    framed = greeting
    for at in range(0, len(octets), chunk):
        part = octets[at : at + chunk]
        framed += b"\n#%d\n%s" % (len(part), part)
    (tmp_path / "quay.xml").write_bytes(framed + b"\n##\n")
    assert inkov.load(tmp_path).switches["quay"].ports["1"].switching == Access(310)


def test_a_session_that_is_cut_says_so(tmp_path):
    whole = writers.netconf(writers.random_boxes(random.Random(3), plain=True)[0], chunk=200)
    write_files(tmp_path, {"a.xml": whole[: len(whole) // 2]})
    done = run_inkov("audit", tmp_path)
    assert (done.code, "a.xml: the recorded session is cut" in done.err) == (2, True)


NOTHING = {
    "refused": (
        reply("<rpc-error><error-tag>access-denied</error-tag><error-severity>error</error-severity></rpc-error>"),
        "a.xml: the device refused to answer: access-denied; nothing is known from this",
    ),
    "ok": (reply("<ok/>"), "a.xml: the device refused to answer: the answer is that all is well, not data"),
    "schema": (
        reply('<data xmlns="urn:ietf:params:xml:ns:yang:ietf-netconf-monitoring">module x {}</data>'),
        "a.xml: the device refused to answer: the answer is the text of a module, not data",
    ),
    "edit": (
        f'<rpc xmlns="{BASE}"><edit-config><config>{interfaces(port("1", ACCESS))}</config></edit-config></rpc>',
        "a.xml: this is an edit of a configuration, not a configuration",
    ),
    "entities": (
        f'<!DOCTYPE d [<!ENTITY a "b">]><data xmlns="{BASE}">{interfaces("&a;")}</data>',
        "a.xml:1: a document type declaration is not allowed in such a file",
    ),
    "broken": (f'<data xmlns="{BASE}">\n<interfaces xmlns="{OC}interfaces">', "a.xml:2: this is not well-formed XML"),
    "deep": (
        f'<data xmlns="{BASE}"><interfaces xmlns="{OC}interfaces">' + "<a>" * 5000,
        "a.xml:1: this is not well-formed",
    ),
}


@pytest.mark.parametrize("name", NOTHING)
def test_what_is_no_configuration_is_never_an_empty_switch(tmp_path, name):
    text, said = NOTHING[name]
    write_files(tmp_path, {"a.xml": text})
    done = run_inkov("audit", tmp_path)
    assert done.code == 2
    assert said in done.err


def test_an_empty_answer_is_nothing_known_and_says_why(tmp_path):
    files = {"a.xml": reply("<data/>"), "quay.xml": reply(f"<data>{interfaces(port('1', ACCESS))}</data>")}
    campus = inkov.load(write_files(tmp_path, files))
    assert list(campus.switches) == ["quay"]
    assert any("the filter matched nothing, or the user may not read it" in n for n in campus.notes)


def test_one_answer_a_root_is_one_switch(tmp_path):
    vlans = (
        f'<network-instances xmlns="{OC}network-instance"><network-instance><name>default</name><vlans><vlan><vlan-id>310</vlan-id>'
        "<config><vlan-id>310</vlan-id><name>tanks</name></config></vlan></vlans></network-instance></network-instances>"
    )
    files = {
        "quay-interfaces.xml": reply(f"<data>{interfaces(port('1', ACCESS)).partition('</system>')[2]}</data>"),
        "quay-network-instances.xml": reply(f"<data>{vlans}</data>"),
    }
    switch = inkov.load(write_files(tmp_path, files)).switches["quay"]
    assert (switch.ports["1"].switching, switch.vlans[310].name) == (Access(310), "tanks")
