"""Write the API's description, from which the front end's types are generated."""

import json
from typing import Any

from django.core.management.base import BaseCommand

from config.api import api


class Command(BaseCommand):
    help = "Print the OpenAPI description."

    def handle(self, *args: Any, **options: Any) -> None:
        self.stdout.write(json.dumps(api.get_openapi_schema(), indent=1))
