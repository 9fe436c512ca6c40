"""What tests of sources share."""

import json

from django.test import TransactionTestCase

from studio.ingest.models import IntakeFile
from studio.sources.models import SourceItem

State = SourceItem.State


class SourceCase(TransactionTestCase):
    def send(self, method: str, path: str, status: int = 200, **body: object):
        answer = self.client.generic(method, f"/api/{path}", json.dumps(body), "application/json")
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json() if answer.content else None

    def accept_all(self) -> None:
        self.send("POST", "intake/accept", 200, files=list(IntakeFile.objects.values_list("pk", flat=True)))

    def states(self) -> dict[str, str]:
        return dict(SourceItem.objects.values_list("key", "state"))

    def sentences(self) -> dict[str, str]:
        return dict(SourceItem.objects.exclude(sentence="").values_list("key", "sentence"))
