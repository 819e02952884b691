"""The map: nothing covers anything, few lines cross, the same input gives the same bytes, and names stay names."""

import io
import itertools
import json
import os
import random
import re
import subprocess
import sys
from dataclasses import replace
from xml.etree import ElementTree as ET

import networkx as nx
import pytest
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure
from matplotlib.text import Text
from PIL import Image

import inkov
from conftest import run_inkov, write_files
from inkov.drawing.maps import Overlay, map_of
from inkov.drawing.overlays import of_vlan, usual
from inkov.drawing.picture import Tone
from inkov.forwarding.network import Network
from inkov.model.campus import Cable, Campus
from inkov.model.names import PortRef
from inkov.model.switch import Access, Port, Switch, Trunk, Vlan
from inkov.model.vlanset import ALL
from inkov.render import map_figure
from strategies import origin, source


def a_campus(rng, size):
    """A campus as they grow: a core, switches that hang on one or two others, rings, and a few cables across."""
    ends = {f"hall-{n}" if n % 3 else f"block-{n}-floor-{n % 7}": [] for n in range(size)}
    names = list(ends)
    cables = []

    def join(a, b):
        refs = []
        for n in (a, b):
            ends[n].append(f"{rng.choice(['u', 'Ethernet1/', 'ge-0/0/'])}{len(ends[n]) + 1}")
            refs.append(PortRef(n, ends[n][-1]))
        cables.append(Cable(*refs, source))

    for k in range(1, size):
        join(
            names[k], names[rng.randrange(max(0, k // 4), k)] if rng.random() < 0.7 else names[rng.randrange(min(k, 3))]
        )
        if k > 3 and rng.random() < 0.3:
            join(names[k], names[rng.randrange(k)])
    switches = {}
    for n, ports in ends.items():
        made = {p: Port(name=p, switching=Trunk(None, ALL), origin=origin) for p in ports}
        made |= {str(p): Port(name=str(p), switching=Access(10), origin=origin) for p in range(1, 5)}
        switches[n] = Switch(name=n, vlans={10: Vlan(10, "x"), 20: Vlan(20, "y")}, ports=made, origin=origin)
    return Campus(name=f"random {size}", switches=switches, cables=tuple(c for c in cables if c.a.switch != c.b.switch))


def boxes_of(picture):
    """Draws, and returns the rectangles of all texts and boxes on the canvas."""
    width, height = map_figure._size(picture)
    figure = Figure(figsize=(width / 72, height / 72), dpi=144)
    canvas = FigureCanvasAgg(figure)
    axes = map_figure.draw_on(figure, picture)
    renderer = canvas.get_renderer()
    texts = [t for t in axes.findobj(Text) if t.get_text().strip()]
    return [(t.get_text(), t.get_window_extent(renderer)) for t in texts], figure.bbox


def overlaps(rects):
    found = []
    ordered = sorted(rects, key=lambda r: r[1].x0)
    for k, (a, one) in enumerate(ordered):
        for b, other in ordered[k + 1 :]:
            if other.x0 >= one.x1 - 0.5:
                break
            if min(one.y1, other.y1) - max(one.y0, other.y0) > 0.5:
                found.append((a, b))
    return found


@pytest.mark.long
def test_no_label_covers_another_on_twenty_campuses_and_the_demo(quillfin, capsys):
    rng = random.Random(19)
    campuses = [a_campus(rng, rng.randint(4, 60)) for _ in range(20)]
    campuses += [inkov.load(quillfin / side) for side in ("as-found", "mended")]
    labels = 0
    for n, campus in enumerate(campuses):
        network = Network(campus)
        vid = 10 if "random" in campus.name else 340
        rects, page = boxes_of(map_of(network, of_vlan(network, vid) if n % 2 else usual(network)))
        labels += len(rects)
        assert overlaps(rects) == [], campus.name
        outside = [t for t, r in rects if r.x0 < page.x0 or r.y0 < page.y0 or r.x1 > page.x1 or r.y1 > page.y1]
        assert outside == [], campus.name
    with capsys.disabled():
        print(f"\nMap: {labels} texts of {len(campuses)} campuses, none covers another")


def crossed(segments):
    """Counts pairs of lines that cross; lines that share an end do not."""

    def turn(a, b, c):
        value = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
        return (value > 1e-9) - (value < -1e-9)

    count = 0
    for (one, first), (two, second) in itertools.combinations(segments, 2):
        if one & two:
            continue
        if any(
            turn(a, b, c) * turn(a, b, d) < 0 and turn(c, d, a) * turn(c, d, b) < 0
            for a, b in itertools.pairwise(first)
            for c, d in itertools.pairwise(second)
        ):
            count += 1
    return count


def test_fewer_lines_cross_than_in_a_plain_layered_drawing(capsys):
    rng = random.Random(7)
    ours = theirs = 0
    for _ in range(25):
        campus = a_campus(rng, rng.randint(10, 40))
        network = Network(campus)
        picture = map_of(network, Overlay(), most=1000)
        lines = [
            (frozenset({link.a.switch, link.b.switch}), line.route.points)
            for link, line in zip(network.links, picture.lines, strict=True)
        ]
        ours += crossed(lines)
        graph = nx.Graph([(k.a.switch, k.b.switch) for k in network.links])
        rows = sorted({round(b.box.y + b.box.height / 2, 1) for b in picture.boxes})
        for box in picture.boxes:
            name = next(n for n in campus.switches if n.startswith(box.name.rstrip("…")))
            if name in graph:
                graph.nodes[name]["layer"] = rows.index(round(box.box.y + box.box.height / 2, 1))
        found = nx.multipartite_layout(graph, subset_key="layer", align="horizontal")
        place = {n: tuple(map(float, at)) for n, at in found.items()}
        theirs += crossed(
            [(frozenset({k.a.switch, k.b.switch}), [place[k.a.switch], place[k.b.switch]]) for k in network.links]
        )
    with capsys.disabled():
        print(f"\nMap: {ours} crossings, a plain layered drawing {theirs}: ratio {ours / theirs:.2f}")
    assert ours <= theirs


@pytest.mark.long
@pytest.mark.parametrize("kind", ["png", "svg", "pdf"])
def test_two_runs_two_seeds_and_shuffled_files_give_the_same_bytes(quillfin, tmp_path, kind):
    names = sorted(p for p in (quillfin / "as-found").rglob("*") if p.is_file())
    shuffled = tmp_path / "site"
    for path in reversed(names):
        target = shuffled / path.relative_to(quillfin / "as-found")
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(path.read_bytes())
    made = []
    for seed, site in (("1", quillfin / "as-found"), ("2", shuffled)):
        out = tmp_path / f"{seed}.{kind}"
        subprocess.run(
            [sys.executable, "-m", "inkov", "map", str(site), "-o", str(out)],
            env={**os.environ, "PYTHONHASHSEED": seed}, check=True, capture_output=True,
        )  # fmt: skip
        made.append(out.read_bytes())
    assert made[0] == made[1]


def test_svg_keeps_text_and_titles_and_names_stay_names(tmp_path):
    odd = "a<script>&$x_1$"
    text = f"inkov: switch\nname: '{odd}'\nvlans: {{10: x}}\nports: {{\"u<1>\": {{trunk: '10'}}}}\nneighbours: {{\"u<1>\": 'pier u2'}}\n"
    pier = "inkov: switch\nname: pier\nvlans: {10: x}\nports: {u2: {trunk: '10'}}\n"
    site = write_files(tmp_path / "site", {"a.yaml": text, "b.yaml": pier})
    assert run_inkov("map", site, "-o", tmp_path / "m.svg").code == 0
    svg = (tmp_path / "m.svg").read_text()
    root = ET.fromstring(svg)
    words = {"".join(e.itertext()) for e in root.iter("{http://www.w3.org/2000/svg}text")}
    assert {odd, "pier", "u<1>", "u2"} <= words
    titles = {e.text for e in root.iter("{http://www.w3.org/2000/svg}title")}
    assert any(t.startswith(odd) for t in titles)
    assert "<script>" not in svg
    assert not re.search(r"(?:href|src)=\"http", svg)


def test_a_drawing_as_svg_needs_nothing_that_draws_and_counts_what_was_only_heard(tmp_path):
    """By the kind that discovery tells; one of a kind, or all with `--heard`, by their names."""
    kinds = {"1": "Telephone", "2": "Telephone", "3": "Wlan", "4": "Telephone"}
    rows = [
        {
            "name": port,
            "via": "LLDP",
            "rid": port,
            "chassis": {
                f"dev-{port}": {
                    "id": {"type": "mac", "value": f"00:00:5e:00:53:0{port}"},
                    "capability": [{"type": kind, "enabled": True}],
                }
            },
            "port": {"id": {"type": "ifname", "value": "p"}},
        }
        for port, kind in kinds.items()
    ]
    made = {"lldp": {"interface": [{r.pop("name"): r} for r in rows]}}
    text = "inkov: switch\nname: hall\nvlans: {10: x}\nports: {1-4: {access: 10}}\ngateways: {10: 192.0.2.9/24}\nrouting: false\n"
    site = write_files(tmp_path / "site", {"hall.yaml": text, "hall-lldp.json": json.dumps(made)})
    for more, wanted in ((), {"3 phones heard", "3 → dev-3"}), (("--heard",), {f"{p} → dev-{p}" for p in kinds}):
        code = "import sys; sys.modules['matplotlib'] = None; from inkov.__main__ import main; main()"
        out = tmp_path / "m.svg"
        out.unlink(missing_ok=True)
        run = [sys.executable, "-c", code, "map", str(site), "-o", str(out), *more]
        done = subprocess.run(run, capture_output=True, text=True, check=False)
        assert done.returncode == 0, done.stderr
        texts = {"".join(e.itertext()) for e in ET.fromstring(out.read_text()).iter("{http://www.w3.org/2000/svg}text")}
        assert wanted <= texts, texts
        assert "managed in 10" in texts


def large():
    """Three hundred switches: twenty below one, and fourteen below each of these."""
    switches, cables = {}, []
    for n in range(300):
        ports = {
            p: Port(name=p, switching=Trunk(None, ALL), origin=origin) for p in ("u1", *(f"d{k}" for k in range(30)))
        }
        switches[f"s{n}"] = Switch(name=f"s{n}", vlans={10: Vlan(10, "x")}, ports=ports, origin=origin)
        if n:
            parent = (n - 1) // 20 if n <= 20 else 1 + (n - 21) % 20
            cables.append(
                Cable(PortRef(f"s{parent}", f"d{(n - 1) // 20 if n > 20 else n - 1}"), PortRef(f"s{n}", "u1"), source)
            )
    return Network(Campus(name="large", switches=switches, cables=tuple(cables)))


def test_large_campuses_fold_into_bundles_that_count():
    picture = map_of(large(), Overlay())
    assert len(picture.boxes) <= 60
    assert sum(int(b.name.split()[0]) if b.kind == "bundle" else 1 for b in picture.boxes) == 300
    assert overlaps(boxes_of(picture)[0]) == []


def test_what_is_laid_over_a_few_boxes_keeps_them_and_over_most_folds_those_that_look_alike():
    few = {f"s{n}": Tone.CARRIES for n in range(100, 130)}
    shown = {b.name for b in map_of(large(), Overlay("few", boxes=few, others=Tone.FAINT)).boxes}
    assert few.keys() <= shown
    odd = {f"s{n}": "B" for n in range(21, 300, 5)}
    most = {f"s{n}": Tone.CARRIES for n in range(300)}
    islands = {name: odd.get(name, "A") for name in most}
    picture = map_of(large(), Overlay("most", boxes=most, islands=islands, others=Tone.FAINT))
    assert len(picture.boxes) <= 150
    assert {b.island for b in picture.boxes} == {"A", "B"}
    assert {b.tone for b in picture.boxes} == {Tone.CARRIES}


@pytest.mark.few(3)
@pytest.mark.parametrize(
    ("options", "said"),
    [
        ((), "28 devices, 29 links"),
        (("--vlan", "340"), "research (340) · 28 devices, 29 links"),
        (("--segment", "tills"), "segment tills (360) · 28 devices, 29 links"),
        (("--claim", "card data stays apart"), "card data stays apart: broken, tills to kiosks · 28 devices, 29 links"),
        (("--claim", "together phones"), "together phones: broken · 28 devices, 29 links"),
        (("--tree",), "spanning tree · 28 devices, 29 links"),
        (("--tree", "--vlan", "340"), "spanning tree of VLAN 340 · 28 devices, 29 links"),
        (("--around", "crane", "--hops", "1"), "2 devices, 1 link"),
        (("--switch", "kelp-*"), "2 devices, 1 link"),
    ],
)
def test_each_question_is_drawn(quillfin, tmp_path, options, said):
    done = run_inkov("map", quillfin / "as-found", "-o", tmp_path / "m.png", *options)
    assert (done.code, done.out) == (0, f"wrote {(tmp_path / 'm.png').as_posix()}: {said}\n")
    image = Image.open(io.BytesIO((tmp_path / "m.png").read_bytes()))
    assert len(image.convert("RGB").getcolors(1 << 20)) > 20


def test_a_change_is_drawn_with_what_it_cuts(quillfin, tmp_path):
    change = "inkov: change\nname: no spine\nsteps:\n  - {cut: 'kelp-hall-1:hall - kelp-hall-2:u1'}\n"
    write_files(tmp_path, {"c.yaml": change.replace("kelp-hall-1:hall - kelp-hall-2:u1", "seal-ward:u1")})
    done = run_inkov("map", quillfin / "mended", "-o", tmp_path / "m.svg", "--changes", tmp_path / "c.yaml")
    assert done.code == 0, done.err
    assert "cut" in {
        "".join(e.itertext()).split("  ")[-1]
        for e in ET.fromstring((tmp_path / "m.svg").read_text()).iter("{http://www.w3.org/2000/svg}text")
    }


@pytest.mark.parametrize(
    ("options", "said"),
    [
        (("-o", "m.jpg"), "does not end in .png, .svg or .pdf"),
        (("-o", "m.png", "--around", "cranes"), "there is no switch 'cranes'; did you mean 'crane'?"),
        (("-o", "m.png", "--claim", "card data stays apar"), "there is no claim 'card data stays apar'"),
        (("-o", "m.png", "--segment", "tills", "--claim", "x"), "one question at a time"),
    ],
)
def test_what_cannot_be_drawn_is_said(quillfin, tmp_path, options, said):
    done = run_inkov("map", quillfin / "mended", *options, cwd=tmp_path)
    assert done.code == 2
    assert said in " ".join(done.err.split())
    assert not list(tmp_path.iterdir())


def test_without_what_draws_the_error_says_how_to_get_it(quillfin, monkeypatch, tmp_path):
    monkeypatch.setitem(sys.modules, "matplotlib", None)
    network = Network(replace(inkov.load(quillfin / "mended"), name="x"))
    with pytest.raises(inkov.BadInput, match=r"drawing needs Matplotlib: pip install 'inkov\[draw\]'"):
        map_figure.drawn(map_of(network, Overlay()), "png")
