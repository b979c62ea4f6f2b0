"""Machines kept the values of every kind of head side by side, and settings those of a blade and a beam; each has its
kind now, with what counts for it."""

from django.db import migrations

from nibble_core.ticket.upgrading import machine_with_head, setting_with_how


def part(apps, schema_editor):
    records = apps.get_model("library", "Record")
    machines = {}
    for row in records.objects.filter(kind="machine"):
        row.value = machines[row.key] = machine_with_head(row.value)
        row.save()
    for row in records.objects.filter(kind="settings"):
        machine = machines.get(row.key, {})
        row.value = [setting_with_how(one, machine) for one in row.value]
        row.save()


def join(apps, schema_editor):
    records = apps.get_model("library", "Record")
    for row in records.objects.filter(kind="machine"):
        row.value = row.value | row.value.pop("head", {})
        row.save()
    for row in records.objects.filter(kind="settings"):
        row.value = [_joined(one) for one in row.value]
        row.save()


def _joined(setting):
    how = {name: value for name, value in setting.pop("how", {}).items() if name != "kind"}
    return setting | how


class Migration(migrations.Migration):
    dependencies = [("library", "0002_settings_by_machine_and_stock")]

    operations = [migrations.RunPython(part, join)]
