"""Sources as text: a block a device, those that lack most first, then what could not be read."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from inkov.render.page import clean, labelled, plural, words
from inkov.render.text import Block, Stack, Text
from inkov.views.sources import DeviceRow, SourcesView


def sources_text(view: SourcesView) -> Block:
    """Returns what files told of each device, what is missing, and how to get it."""
    files = {f.file for d in view.devices for f in d.files}
    whole = sum(not d.missing for d in view.devices)
    head = f"{plural(len(files), 'file')}   {plural(len(view.devices), 'device')}   {whole} told of in full"
    blocks: list[Block] = [Text.assemble(words(view.campus, "bold"), "   ", head), Text("")]
    plain = [d for d in view.devices if not (d.missing or d.contradictions or any(f.short for f in d.files))]
    for device in sorted(view.devices, key=lambda d: (-len(d.contradictions), -len(d.missing))):
        if device not in plain or len(device.files) > 1:
            blocks += [*_device(device), Text("")]
    rest = [d for d in plain if len(d.files) == 1]
    if rest:
        blocks.append(labelled([(clean(d.name), words(f"{d.files[0].file}   {d.files[0].format}")) for d in rest], 0))
    if view.unread:
        blocks += [Text(""), Text("not read", "bold red"), *(words(f"  {u}") for u in view.unread)]
    return Stack(*blocks)


def _device(device: DeviceRow) -> Iterator[Block]:
    yield Text.assemble(words(device.name, "bold"), "" if device.kind == "switch" else f"   {device.kind}")
    rows: list[tuple[str, Block]] = []
    for file in device.files:
        saved = "   saved" if file.saved else ""
        rows.append((clean(file.file), words(f"{file.format}{saved}: {_amounts(file.gave)}")))
        rows.extend(("", Text.assemble(("! ", "bold yellow"), words(s))) for s in file.short)
    yield labelled(rows, 2)
    lacks: list[tuple[str, Block]] = [
        (f"lacks {m.topic}", words(m.get or "no file here can tell; write it into a switch file"))
        for m in device.missing
    ]
    lacks += [
        (
            f"differs {clean(c.place)} {c.setting}",
            words(
                f"{c.says} ({c.source}), {c.but} ({c.other_source}); {'the first counts' if c.settled else 'neither counts'}"
            ),
        )
        for c in device.contradictions
    ]
    if lacks:
        yield labelled(lacks, 2)


_AMOUNT_ALONE = frozenset({"ports", "VLAN table"})
"""Topics whose amount names what it counts."""


def _amounts(gave: Mapping[str, str]) -> str:
    said = [amount if topic in _AMOUNT_ALONE else f"{topic} {amount}" for topic, amount in gave.items()]
    return ", ".join(said) or "nothing of use"
