"""Three switches in a ring: the campus most examples of spanning trees need."""

from __future__ import annotations

from inkov.rules.registry import switch_text

_LINKS = {
    "archive": ("seal-ward u1", "pump-loft u1"),
    "seal-ward": ("archive u1", "pump-loft u2"),
    "pump-loft": ("archive u2", "seal-ward u2"),
}
_MACS = {"archive": "00:00:5e:00:53:01", "seal-ward": "00:00:5e:00:53:02", "pump-loft": "00:00:5e:00:53:03"}
_FAR = {"archive": ("u1", "u2"), "seal-ward": ("u1", "u2"), "pump-loft": ("u1", "u2")}
ROOT = "{protocol: rstp, priority: 4096}"
OTHER = "{protocol: rstp}"


def triangle(
    trees: tuple[str, str, str] = (ROOT, OTHER, OTHER), lists: tuple[str, str, str] = ("310,330",) * 3, port: str = ""
) -> dict[str, str]:
    """Three switches with a member of 310 and 330 each; archive's links lead to seal-ward and pump-loft.

    Args:
        trees: the key `tree` of archive, seal-ward and pump-loft.
        lists: allowed lists of the links archive to seal-ward, archive to pump-loft, seal-ward to pump-loft.
        port: further settings of every host port.
    """
    of = {"archive": (lists[0], lists[1]), "seal-ward": (lists[0], lists[2]), "pump-loft": (lists[1], lists[2])}
    made = {}
    for (name, far), tree in zip(_LINKS.items(), trees, strict=True):
        hosts = f"1: {{access: 310{port}}}, 2: {{access: 330{port}}}"
        ports = ", ".join(f"{u}: {{trunk: '{some}'}}" for u, some in zip(_FAR[name], of[name], strict=True))
        made[f"{name}.yaml"] = switch_text(
            name,
            "{310: tank-sensors, 330: vet-records}",
            f"{{{hosts}, {ports}}}",
            mac=_MACS[name],
            tree=tree,
            neighbours=f"{{u1: {far[0]}, u2: {far[1]}}}",
        )
    return made
