"""Edge switches on two uplinks, with lists of their own VLANs: nothing to say where the tree is known, one finding where it is not."""

import inkov
from conftest import write_files

EDGES = 14


def site(folder, known, cables=2):
    """Two switches that some cables join, and edge switches on both, each with a VLAN of its own that the two carry between them."""
    vlans = ", ".join(f"{10 + n}: v{n}" for n in range(EDGES))
    every = ",".join(str(10 + n) for n in range(EDGES))
    tree = "{{protocol: rstp, priority: {0}}}" if known else "{{protocol: rstp}}"
    files = {"campus.yaml": "inkov: campus\nname: c\ncables:\n"}
    files["campus.yaml"] += "".join(f"  - d0 x{k} - d1 x{k}\n" for k in range(cables))
    between = "".join(f"  x{k}: {{trunk: '{every}'}}\n" for k in range(cables))
    for side in (0, 1):
        downlinks = "".join(f"  e{n}: {{trunk: '{10 + n}'}}\n" for n in range(EDGES))
        stations = "".join(f"  p{n}: {{access: {10 + n}}}\n" for n in range(EDGES))
        files[f"d{side}.yaml"] = (
            f"inkov: switch\nname: d{side}\nmac: '{f'02:00:00:00:00:0{side}' if known else ''}'\nvlans: {{{vlans}}}\n"
            f"tree: {tree.format(4096 * (1 + side))}\nports:\n{between}{downlinks}{stations}"
        )
    for n in range(EDGES):
        files[f"e{n}.yaml"] = (
            f"inkov: switch\nname: e{n}\nmac: '{f'02:00:00:00:01:{n:02x}' if known else ''}'\nvlans: {{{10 + n}: v{n}}}\n"
            f"tree: {tree.format(32768)}\nports:\n  1: {{access: {10 + n}}}\n"
            f"  u0: {{trunk: '{10 + n}'}}\n  u1: {{trunk: '{10 + n}'}}\n"
        )
        files["campus.yaml"] += f"  - d0 e{n} - e{n} u0\n  - d1 e{n} - e{n} u1\n"
    return write_files(folder, {name: text.replace("mac: ''\n", "") for name, text in files.items()})


def gaps(folder):
    found = [f for top in inkov.audit(inkov.load(folder)) for f in (top, *top.also)]
    return [(f.place, f.what, f.mend) for f in found if f.rule == "ring/gap"]


def test_lists_of_edge_switches_leave_out_what_no_tree_leads_through_them(tmp_path):
    assert gaps(site(tmp_path, known=True)) == []


def test_where_one_cable_joins_the_rest_its_failure_leads_through_an_edge_switch(tmp_path):
    ((place, what, mend),) = gaps(site(tmp_path, known=True, cables=1))
    assert (place, what) == (
        "d0, d1, e0 and 13 more",
        "VLANs 10-23 are kept off switches of this ring that have no members: "
        "when the tree leads the others through such a switch, members are cut apart.",
    )
    assert mend == (
        "Allow them on each link of the ring; or keep it so and say why: `waive` with `rule: ring/gap` in the campus file."
    )


def test_where_the_tree_is_not_known_one_finding_tells_of_the_whole_ring(tmp_path):
    assert gaps(site(tmp_path, known=False)) == [
        (
            "d0, d1, e0 and 13 more",
            "VLANs 10-23 are kept off switches of this ring that have no members: "
            "when the tree leads the others through such a switch, members are cut apart.",
            "Allow them on each link of the ring, or state the priority and the address of each switch: "
            "what no tree leads others through needs its own VLANs alone; "
            "or keep it so and say why: `waive` with `rule: ring/gap` in the campus file.",
        )
    ]


def test_what_to_state_of_many_switches_is_one_line(tmp_path):
    folder = site(tmp_path, known=False)
    for file in folder.glob("[de]*.yaml"):
        file.write_text(file.read_text().replace("tree: {protocol: rstp}\n", ""))
    (unknown,) = [f for top in inkov.audit(inkov.load(folder)) for f in (top, *top.also) if f.rule == "ring/unknown"]
    assert unknown.mend == (
        "State which tree d0, d1, e0 and 13 more run: in the campus file, switches-are: {'*': {tree: {protocol: rstp}}}."
    )
