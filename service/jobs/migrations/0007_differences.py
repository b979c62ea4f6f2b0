"""Revisions keep what a change made different; those of before keep their tickets whole."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0006_board_undrawn")]

    operations = [
        migrations.RenameField("revision", "ticket", "whole"),
        migrations.AlterField("revision", "whole", models.JSONField(null=True)),
        migrations.AddField("revision", "packed", models.BinaryField(null=True)),
        migrations.AddField("revision", "base", models.PositiveIntegerField(null=True)),
        migrations.AddField("revision", "depth", models.PositiveSmallIntegerField(default=0)),
        migrations.AddField("revision", "schema", models.PositiveSmallIntegerField(default=0)),
    ]
