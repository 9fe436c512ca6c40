"""What tests of sources share."""

import json
import threading
from collections.abc import Callable

from django.db import connection
from django.test import TransactionTestCase

from studio.ingest.models import IntakeFile
from studio.sources.models import SourceItem

State = SourceItem.State


def at_once(work: Callable[[], object], times: int) -> list[Exception]:
    """Do something in so many threads at the same time; what went wrong in them."""
    problems: list[Exception] = []

    def done() -> None:
        try:
            work()
        except Exception as problem:
            problems.append(problem)
        finally:
            connection.close()

    threads = [threading.Thread(target=done) for _ in range(times)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return problems


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
