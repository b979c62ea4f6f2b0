"""Records of before are what they were."""

from typing import Any

from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.test import TransactionTestCase

from library.queries import library
from nibble_core.ticket import to_plain
from nibble_core.ticket.library import STARTING


class SettingsTest(TransactionTestCase):
    def migrated(self, name: str) -> Any:
        executor = MigrationExecutor(connection)
        executor.migrate([("library", name)])
        return executor.loader.project_state([("library", name)]).apps.get_model("library", "Record")

    def test_settings_of_one_column_are_those_of_their_machine_and_stock(self) -> None:
        records = self.migrated("0001_initial")
        self.addCleanup(self.migrated, "0002_settings_by_machine_and_stock")
        for kind, some in (("stock", STARTING.stocks), ("machine", STARTING.machines)):
            for one in some:
                records.objects.create(kind=kind, key=one.key, value=to_plain(one))
        for keys, own in STARTING.settings.items():
            records.objects.create(kind="settings", key=" ".join(keys), value=to_plain(own))
        self.migrated("0002_settings_by_machine_and_stock")
        self.assertEqual(library(), STARTING)
        before = self.migrated("0001_initial")
        keys = set(before.objects.filter(kind="settings").values_list("key", flat=True))
        self.assertEqual(keys, {" ".join(keys) for keys in STARTING.settings})
