"""Write the description of the API, from which the front end's types are generated."""

import json
from typing import Any

from django.core.management.base import BaseCommand

from studio.api import api


class Command(BaseCommand):
    help = "Print the OpenAPI description of the API."

    def handle(self, *args: Any, **options: Any) -> None:
        self.stdout.write(json.dumps(api.get_openapi_schema(), indent=1, ensure_ascii=False))
