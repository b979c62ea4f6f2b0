"""Machines and settings that differ from those of the starting library in what a head can vary."""

from dataclasses import replace

from nibble_core.ticket.model import Machine, Setting, Sheet


def with_head(machine: Machine, **values: object) -> Machine:
    """A machine whose head has other values."""
    return replace(machine, head=replace(machine.head, **values))


def sheet_on(sheet: Sheet, machine: Machine, **values: object) -> Sheet:
    """A sheet on another machine, whose settings go where its head cannot have them."""
    own = tuple(one for one in sheet.settings if isinstance(one.how, type(machine.head.usual)))
    return replace(sheet, **({"machine": machine, "settings": own} | values))


def with_how(setting: Setting, **values: object) -> Setting:
    return replace(setting, how=replace(setting.how, **values))
