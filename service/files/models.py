"""Files that belong to the shop itself."""

from django.db import models


class ShopFont(models.Model):
    """A font the shop has added; its bytes are a stored file."""

    name = models.CharField(max_length=80)
    sha256 = models.CharField(max_length=64, unique=True)
    added = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("name", "added")

    def __str__(self) -> str:
        return self.name
