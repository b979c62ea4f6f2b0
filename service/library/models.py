"""The shop's own records: stocks, machines, and how a machine makes a stock."""

from django.db import models


class Record(models.Model):
    """One record as plain values of the core's dataclasses. key: of a stock or machine; of settings that of their
    machine, and stock that of their stock."""

    class Kind(models.TextChoices):
        STOCK = "stock"
        MACHINE = "machine"
        SETTINGS = "settings"
        RATES = "rates"

    kind = models.CharField(max_length=8, choices=Kind.choices)
    key = models.CharField(max_length=130)
    stock = models.CharField(max_length=65, default="", blank=True)
    value = models.JSONField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=["kind", "key", "stock"], name="one_record_of_a_kind"),)
        ordering = ("id",)

    def __str__(self) -> str:
        return " ".join(filter(None, (self.kind, self.key, self.stock)))
