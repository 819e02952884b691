"""The command about layer 3: the gateways between VLANs."""

from __future__ import annotations

from pathlib import Path

from inkov.cli.options import (
    FormatOption,
    OutputOption,
    SiteArgument,
    SwitchOption,
    VlanOption,
    chosen_switches,
    chosen_vlans,
    load_network,
)
from inkov.cli.output import Format, emit


def gateways(
    site: SiteArgument = Path(),
    switch: SwitchOption = None,
    vlan: VlanOption = None,
    result_format: FormatOption = Format.TEXT,
    output: OutputOption = None,
) -> None:
    """Show the gateways between VLANs: address, up or down and why, and the filters in front of each."""
    network = load_network(site)
    from inkov.render.gateway_text import gateways_text
    from inkov.views.gateways import gateways_view

    view = gateways_view(network, chosen_switches(network, switch), chosen_vlans(network, vlan))
    emit(result_format, output, view, gateways_text)
