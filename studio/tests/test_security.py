"""Who may change something: requests of other sites, of other shapes, without a token, or larger than there is room."""

import asyncio
import json
import os
import re
import subprocess
import sys
from collections.abc import Iterator
from html.parser import HTMLParser
from typing import Any
from unittest import mock

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client, SimpleTestCase, TestCase, override_settings

from armuto.tests.files import WALK
from demo.serving import CSRF, TOKEN
from studio.api import api
from studio.library.models import Clip
from studio.platform.body_limit import BodyLimit

JSON = "application/json"


class OtherSites(TestCase):
    def setUp(self) -> None:
        self.browser = Client(enforce_csrf_checks=True)
        log = mock.patch("django.middleware.csrf.logger")  # it tells of every refusal
        log.start()
        self.addCleanup(log.stop)

    def changes(self) -> Iterator[tuple[str, str]]:
        for path, operations in api.get_openapi_schema()["paths"].items():
            for method in operations:
                if method != "get":
                    yield method, re.sub(r"\{\w+\}", "1", path)

    def with_token(self) -> dict[str, str]:
        self.browser.get("/api/counts")
        return {"X-CSRFToken": self.browser.cookies["armuto_csrf"].value}

    def test_no_change_is_carried_out_without_a_token(self) -> None:
        changes = list(self.changes())
        self.assertGreater(len(changes), 40)
        for method, path in changes:
            with self.subTest(method=method, path=path):
                answer = self.browser.generic(method.upper(), path, b"{}", content_type=JSON)
                self.assertEqual(answer.status_code, 403)
                self.assertIn("was not carried out", answer.json()["detail"])

    def test_the_cookie_alone_is_not_enough(self) -> None:
        self.with_token()
        answer = self.browser.post("/api/intake/dismiss", "{}", content_type=JSON)
        self.assertEqual(answer.status_code, 403)
        answer = self.browser.post("/api/intake/dismiss", "{}", content_type=JSON, headers={"X-CSRFToken": "1" * 32})
        self.assertEqual(answer.status_code, 403)

    def test_any_answer_brings_the_token_with_which_changes_are_made(self) -> None:
        token = self.with_token()
        file = {"file": SimpleUploadedFile("walk.bvh", WALK.read_bytes())}
        answer = self.browser.post("/api/arrivals/", file, headers=token)
        self.assertEqual(answer.status_code, 201, answer.content)
        cookie = self.browser.cookies["armuto_csrf"]
        self.assertEqual(cookie["samesite"], "Strict")

    def test_a_script_may_choose_the_token_itself(self) -> None:
        answer = Client(enforce_csrf_checks=True).post("/api/intake/dismiss", "{}", content_type=JSON, headers=CSRF)
        self.assertEqual(answer.status_code, 200)
        self.assertEqual(len(TOKEN), 32)

    def test_pages_of_other_sites_are_refused_even_with_it(self) -> None:
        token = self.with_token()
        for name, header in {
            "origin": {"Origin": "http://elsewhere.example"},
            "origin of another port": {"Origin": "http://testserver:8080"},
            "no origin to speak of": {"Origin": "null"},
            "fetch metadata": {"Sec-Fetch-Site": "cross-site"},
            "a neighbour's": {"Sec-Fetch-Site": "same-site"},
        }.items():
            with self.subTest(name):
                answer = self.browser.post("/api/intake/dismiss", "{}", content_type=JSON, headers=token | header)
                self.assertEqual(answer.status_code, 403)
        own = token | {"Origin": "http://testserver", "Sec-Fetch-Site": "same-origin"}
        answer = self.browser.post("/api/intake/dismiss", "{}", content_type=JSON, headers=own)
        self.assertEqual(answer.status_code, 200, answer.content)

    def test_what_a_plain_form_can_send_is_no_json(self) -> None:
        token = self.with_token()
        for kind in ("text/plain", "application/x-www-form-urlencoded", "", "text/json"):
            with self.subTest(kind):
                answer = self.browser.post("/api/intake/dismiss", "{}", content_type=kind, headers=token)
                self.assertEqual(answer.status_code, 415, answer.content)
                self.assertTrue(answer.json()["detail"].endswith("."))

    def test_another_host_is_refused(self) -> None:
        with self.assertLogs("django.security.DisallowedHost", "ERROR"):
            answer = Client(raise_request_exception=False).get("/api/counts", headers={"Host": "elsewhere.example"})
        self.assertEqual(answer.status_code, 400)


class Pages(TestCase):
    def policy(self, path: str) -> dict[str, str]:
        answer = self.client.get(path)
        self.assertEqual(answer["X-Frame-Options"], "DENY", path)
        self.assertEqual(answer["X-Content-Type-Options"], "nosniff", path)
        self.assertEqual(answer["Referrer-Policy"], "same-origin", path)
        parts = (part.strip().partition(" ")[::2] for part in answer["Content-Security-Policy"].split(";"))
        return dict(parts)

    def test_say_what_they_may_load_and_where_they_may_be_shown(self) -> None:
        for path in ("/", "/fittings/1", "/api/counts", "/api/docs", "/mark.svg", "/api/nowhere"):
            policy = self.policy(path)
            with self.subTest(path):
                self.assertEqual(policy["script-src"], "'self'")
                self.assertEqual(policy["default-src"], "'self'")
                self.assertEqual(policy["frame-ancestors"], "'none'")
                self.assertEqual(policy["object-src"], "'none'")

    def test_hold_no_script_of_their_own(self) -> None:
        class Scripts(HTMLParser):
            inline = 0

            def handle_starttag(self, tag: str, attributes: list[tuple[str, str | None]]) -> None:
                row = dict(attributes)
                runs = tag == "script" and not row.get("src") and row.get("type") != JSON
                self.inline += runs or any(name.startswith("on") for name in row)

        for path in ("/", "/api/docs"):
            parser = Scripts()
            parser.feed(self.client.get(path).content.decode())
            self.assertEqual(parser.inline, 0, path)

    def test_the_description_brings_the_token_for_what_is_tried_on_it(self) -> None:
        page = Client(enforce_csrf_checks=True)
        token = re.search(r'data-csrf-token="(\w{64})"', page.get("/api/docs").content.decode())
        self.assertIsNotNone(token)
        answer = page.post("/api/intake/dismiss", "{}", content_type=JSON, headers={"X-CSRFToken": token[1]})
        self.assertEqual(answer.status_code, 200)

    def test_transport_security_is_said_where_there_is_any(self) -> None:
        code = (
            "import django; django.setup(); from django.test import Client; c = Client();"
            "a = c.get('/api/counts', secure=True, headers={'X-Forwarded-Proto': 'https', 'Host': 'clocks.example'});"
            "b = c.get('/api/openapi.json', headers={'Host': 'clocks.example'});"
            "print(a.headers['Strict-Transport-Security'], a.cookies['armuto_csrf']['secure'], b.status_code)"
        )
        environment = {
            **os.environ,
            "ARMUTO_TLS": "1",
            "ARMUTO_HOSTS": "clocks.example",
            "DJANGO_SETTINGS_MODULE": "studio.settings",
            "ARMUTO_DATABASE": str(settings.DATABASES["default"]["NAME"]),
        }
        done = subprocess.run(
            [sys.executable, "-c", code], env=environment, capture_output=True, text=True, check=False
        )
        self.assertEqual(done.stdout.split(), ["max-age=31536000", "True", "301"], done.stderr[-800:])
        self.assertNotIn("Strict-Transport-Security", self.client.get("/api/counts").headers)


class TooMuch(TestCase):
    def test_a_file_above_the_limit_is_refused_at_every_door(self) -> None:
        doors = [
            path
            for path, operations in api.get_openapi_schema()["paths"].items()
            if "multipart/form-data" in operations.get("post", {}).get("requestBody", {}).get("content", {})
        ]
        self.assertEqual(len(doors), 11, doors)
        self.client.post("/api/arrivals/", {"file": SimpleUploadedFile("walk.bvh", WALK.read_bytes())})
        clip = Clip.objects.get()
        with override_settings(LARGEST_UPLOAD=2000, LARGEST_TEXT=2000):
            for door in doors:
                path = re.sub(r"\{clip_id\}", str(clip.pk), door)
                if "{" in path:
                    continue  # the same way in; what they belong to is made in tests of their own
                kind = "files" if "import" in path or "intake" in path else "file"
                answer = self.client.post(path, {kind: SimpleUploadedFile("large.bvh", b"x" * 2001)})
                with self.subTest(door):
                    self.assertEqual(answer.status_code, 413, answer.content)
                    self.assertRegex(
                        answer.json()["detail"], r"^large\.bvh: the file has .* MB and the limit is .* MB; "
                    )

    def test_a_name_no_system_would_take_is_refused(self) -> None:
        answer = self.client.post("/api/arrivals/", {"file": SimpleUploadedFile("n" * 256 + ".bvh", WALK.read_bytes())})
        self.assertLess(answer.status_code, 500)
        if answer.status_code == 422:
            self.assertIn("more than 255", answer.json()["detail"])
        else:  # Django shortens it on the way
            self.assertLessEqual(max(map(len, Clip.objects.values_list("name", flat=True))), 255)

    def test_a_request_that_is_no_form_although_it_says_so(self) -> None:
        strangers = Client(raise_request_exception=False)
        for kind, body in {
            "multipart/form-data": b"nothing",
            "multipart/form-data; boundary=": b"nothing",
            "multipart/form-data; boundary=x": b'--x\r\nContent-Disposition: form-data; name="file"; filename="',
            "multipart/form-data; boundary=y": b"--y\r\n\r\n--y--" * 3000,
        }.items():
            with self.subTest(kind):
                answer = strangers.generic("POST", "/api/arrivals/", body, content_type=kind)
                self.assertIn(answer.status_code, (400, 413, 422), answer.content)
                self.assertIn("detail", answer.json())

    @override_settings(DATA_UPLOAD_MAX_MEMORY_SIZE=1000, DATA_UPLOAD_MAX_NUMBER_FILES=3)
    def test_more_than_is_taken_at_once(self) -> None:
        strangers = Client(raise_request_exception=False)
        answer = strangers.post("/api/board/plan", json.dumps({"cells": [[1, 1]] * 500}), content_type=JSON)
        self.assertEqual((answer.status_code, "at once" in answer.json()["detail"]), (413, True))
        files = [SimpleUploadedFile(f"{number}.bvh", b"x") for number in range(4)]
        answer = strangers.post("/api/intake/files", {"files": files})
        self.assertEqual((answer.status_code, "at once" in answer.json()["detail"]), (413, True))


class BodyLimits(SimpleTestCase):
    """The limit in front of the framework."""

    def ask(self, body: list[bytes], *headers: tuple[bytes, bytes]) -> tuple[int, int]:
        """The status, and how many bytes the application behind it was given."""
        given = 0
        sent: list[Any] = []
        pieces = iter(body)

        async def app(scope: Any, receive: Any, send: Any) -> None:
            nonlocal given
            more = True
            while more:
                message = await receive()
                given += len(message["body"])
                more = message["more_body"]
            await send({"type": "http.response.start", "status": 200, "headers": []})

        async def receive() -> Any:
            piece = next(pieces, None)
            return {"type": "http.request", "body": piece or b"", "more_body": piece is not None}

        async def send(message: Any) -> None:
            sent.append(message)

        scope = {"type": "http", "headers": list(headers)}
        asyncio.run(BodyLimit(app, 1000)(scope, receive, send))
        return sent[0]["status"], given

    def test_what_fits_passes(self) -> None:
        self.assertEqual(self.ask([b"x" * 500, b"x" * 500], (b"content-length", b"1000")), (200, 1000))

    def test_what_says_that_it_is_larger_is_not_even_read(self) -> None:
        self.assertEqual(self.ask([b"x" * 500] * 9, (b"content-length", b"4500")), (413, 0))
        self.assertEqual(self.ask([b"x"], (b"content-length", b"-5")), (413, 0))

    def test_what_does_not_say_its_length_is_cut_off(self) -> None:
        status, given = self.ask([b"x" * 400] * 1000, (b"transfer-encoding", b"chunked"))
        self.assertEqual((status, given), (413, 800))
