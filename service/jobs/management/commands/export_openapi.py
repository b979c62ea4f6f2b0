"""Write the API's description, from which the front end's types are generated."""

import json
from typing import Any

from django.core.management.base import BaseCommand

from config.api import api
from config.description import described


class Command(BaseCommand):
    help = "Print the OpenAPI description."

    def handle(self, *args: Any, **options: Any) -> None:
        self.stdout.write(json.dumps(described(api), indent=1))
