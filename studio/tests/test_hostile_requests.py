"""Whatever is asked of the API, the answer is JSON with one sentence, and never an error of the server."""

import json
from collections.abc import Iterator
from typing import Any

from django.test import Client

from studio.api import api
from studio.tests.test_pairing import Pairing

JSON = "application/json"
#: What numbers and texts are filled with: each kind goes through every operation.
HOSTILE: dict[str, tuple[Any, str]] = {
    "beyond 64 bits": (2**64, "x"),
    "beyond all": (10**400, "x"),
    "negative": (-1, ""),
    "a lone surrogate": (1, "\ud800"),
    "a zero byte": (1, "\x00"),
    "a long text": (0, "n" * 5000),
    "nobody": (99_999_999, "nobody"),
}


class HostileRequests(Pairing):
    def setUp(self) -> None:
        super().setUp()
        self.strangers = Client(raise_request_exception=False)
        self.schema = api.get_openapi_schema()

    def filled(self, schema: dict[str, Any], number: Any, text: str, depth: int = 0) -> Any:
        """A body of the shape that the schema asks for."""
        if "$ref" in schema:
            schema = self.schema["components"]["schemas"][schema["$ref"].rsplit("/", 1)[1]]
        for choice in ("anyOf", "oneOf", "allOf"):
            if choice in schema:
                return self.filled(schema[choice][0], number, text, depth)
        kind = schema.get("type")
        if depth > 5:
            return None
        if kind == "object":
            made = {
                name: self.filled(row, number, text, depth + 1) for name, row in schema.get("properties", {}).items()
            }
            extra = schema.get("additionalProperties")
            return made | ({text: self.filled(extra, number, text, depth + 1)} if isinstance(extra, dict) else {})
        if kind == "array":
            rows = schema.get("prefixItems") or [schema.get("items", {})] * 2
            return [self.filled(row, number, text, depth + 1) for row in rows]
        if "enum" in schema:
            return schema["enum"][0]
        return {"integer": number, "number": number, "boolean": True, "string": text}.get(str(kind), text)

    def requests(self, number: Any, text: str) -> Iterator[tuple[str, str, dict[str, Any]]]:
        for path, operations in self.schema["paths"].items():
            for method, operation in operations.items():
                query = {}
                for row in operation.get("parameters", []):
                    value = self.filled(row["schema"], number, text)
                    if row["in"] == "path":
                        path = path.replace(f"{{{row['name']}}}", str(number if isinstance(value, int) else "x"))
                    elif value is not None:
                        query[row["name"]] = str(value).encode("utf-8", "replace").decode()
                content = operation.get("requestBody", {}).get("content", {})
                more: dict[str, Any] = {"query_params": query} if query else {}
                if JSON in content:
                    more |= {
                        "data": json.dumps(self.filled(content[JSON]["schema"], number, text)),
                        "content_type": JSON,
                    }
                yield method, path, more

    def test_no_operation_fails_on_any_of_them(self) -> None:
        tried = 0
        for name, (number, text) in HOSTILE.items():
            for method, path, more in self.requests(number, text):
                answer = getattr(self.strangers, method)(path, **more)
                tried += 1
                with self.subTest(kind=name, method=method, path=path[:80]):
                    said = b"a stream" if answer.streaming else answer.content[:300]
                    self.assertLess(answer.status_code, 500, said)
                    if answer.status_code >= 400:
                        self.assertEqual(answer["Content-Type"].split(";")[0], JSON, answer.content[:200])
                        self.assertIn("detail", answer.json())
        self.assertGreater(tried, 500)

    def test_bodies_that_are_no_json(self) -> None:
        for body in (b"", b"{", b"\xff\xfe", b"[" * 10_000, b"null", b'"x"', b"1e999"):
            with self.subTest(body[:9]):
                answer = self.strangers.post(f"/api/fittings/{self.made['id']}/edits", data=body, content_type=JSON)
                self.assertIn(answer.status_code, (400, 422))
                self.assertIn("detail", answer.json())
