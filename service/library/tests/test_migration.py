"""Records of before are what they were."""

from typing import Any

from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.http import HttpRequest
from django.test import TransactionTestCase

from library import actions, api
from library.queries import library
from nibble_core.errors import InvalidTicket
from nibble_core.ticket import to_plain
from nibble_core.ticket.library import STARTING

LATEST = "0003_heads"


class SettingsTest(TransactionTestCase):
    def migrated(self, name: str) -> Any:
        executor = MigrationExecutor(connection)
        executor.migrate([("library", name)])
        return executor.loader.project_state([("library", name)]).apps.get_model("library", "Record")

    def test_settings_of_one_column_are_those_of_their_machine_and_stock(self) -> None:
        records = self.migrated("0001_initial")
        self.addCleanup(self.migrated, LATEST)
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

    def test_machines_and_settings_get_heads_and_are_flat_again_before(self) -> None:
        actions.begin()
        before = self.migrated("0002_settings_by_machine_and_stock")
        self.addCleanup(self.migrated, LATEST)
        flat = before.objects.get(kind="machine", key="board-router").value
        self.assertEqual((flat["kind"], len(flat["cutters"]), "head" in flat), ("a router", 4, False))
        cut = before.objects.get(kind="settings", key="torch-table").value[0]
        self.assertEqual((cut["kerf"], cut["pierce_height"], "how" in cut), (1.3, 3.8, False))
        self.migrated(LATEST)
        self.assertEqual(library(), STARTING)

    def test_a_machine_of_another_kind_has_no_settings_until_they_are_written_anew(self) -> None:
        torch = to_plain(STARTING.machine("torch-table"))
        actions.keep_record("machine", "small-laser", torch | {"name": "Small torch", "head": {"kind": "a router"}})
        self.assertEqual(library().settings_of("small-laser", "birch-3mm"), ())
        told = {(one["machine"], one["stock"]): one["settings"] for one in api.library(HttpRequest())["settings"]}
        self.assertEqual((told["small-laser", "birch-3mm"], len(told["torch-table", "mild-steel-2mm"])), ([], 2))
        with self.assertRaisesRegex(InvalidTicket, "is set by beam; the Small torch makes it by cutter"):
            actions.keep_settings("small-laser", "birch-3mm", [{"id": "a", "how": {"kind": "by beam", "power": 0.5}}])
        actions.keep_settings("small-laser", "birch-3mm", [{"id": "a", "process": "carve"}])
        self.assertEqual(library().settings_of("small-laser", "birch-3mm")[0].process, "carve")
