"""Settings were kept under “machine stock” in one column; they have a column each now."""

from django.db import migrations, models


def part(apps, schema_editor):
    records = apps.get_model("library", "Record")
    for row in records.objects.filter(kind="settings"):
        row.key, _, row.stock = row.key.partition(" ")
        row.save()


def join(apps, schema_editor):
    records = apps.get_model("library", "Record")
    for row in records.objects.filter(kind="settings"):
        row.key, row.stock = f"{row.key} {row.stock}", ""
        row.save()


class Migration(migrations.Migration):
    dependencies = [("library", "0001_initial")]

    operations = [
        migrations.RemoveConstraint("record", "one_record_a_key"),
        migrations.AddField("record", "stock", models.CharField(max_length=65, default="", blank=True)),
        migrations.RunPython(part, join),
        migrations.AddConstraint(
            "record", models.UniqueConstraint(fields=["kind", "key", "stock"], name="one_record_of_a_kind")
        ),
    ]
