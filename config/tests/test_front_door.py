"""Bodies on their way in: counted piece by piece, whoever sends them and whatever they say of their length."""

import asyncio
import json
from unittest import TestCase
from unittest.mock import patch

from django.conf import settings

from config import front_door
from config.front_door import FrontDoor

UPLOAD = (b"content-type", b"multipart/form-data; boundary=x")
SESSION = (b"cookie", b"csrftoken=a; sessionid=b")


class Bodies(TestCase):
    def send(self, pieces, *headers, wait_s=0.0):
        return asyncio.run(self.sent(pieces, headers, wait_s))

    async def sent(self, pieces, headers, wait_s):
        """Status, code and how many bytes came through to the application."""
        came, answers, left = 0, [], list(pieces)

        async def receive():
            await asyncio.sleep(wait_s)
            body = left.pop(0)
            return {"type": "http.request", "body": body, "more_body": bool(left)}

        async def app(_scope, take, send):
            nonlocal came
            while True:
                message = await take()
                came += len(message["body"])
                if not message["more_body"]:
                    break
            await send({"type": "http.response.start", "status": 200, "headers": []})
            await send({"type": "http.response.body", "body": b"{}"})

        async def send(message):
            answers.append(message)

        await FrontDoor(app)({"type": "http", "headers": list(headers)}, receive, send)
        return answers[0]["status"], json.loads(answers[1]["body"]).get("code", ""), came

    def test_up_to_the_limit_and_not_a_byte_more(self):
        most = settings.MAX_BODY_BYTES
        self.assertEqual(self.send([b"x" * (most - 1), b"x"]), (200, "", most))
        self.assertEqual(self.send([b"x" * most, b"x", b"x" * most]), (413, "too_large", most))

    def test_what_says_that_it_is_too_long_is_not_read_at_all(self):
        for length in (str(settings.MAX_BODY_BYTES + 1).encode(), b"300000000", b"-1", b"many"):
            with self.subTest(length=length):
                self.assertEqual(self.send([b"x" * 10], (b"content-length", length)), (413, "too_large", 0))

    def test_a_file_is_taken_from_whoever_brings_a_session(self):
        pieces = [b"x" * settings.MAX_BODY_BYTES] * 3
        self.assertEqual(self.send(pieces, UPLOAD)[0], 413)
        self.assertEqual((self.send(pieces, SESSION))[0], 413)
        self.assertEqual((self.send(pieces, UPLOAD, SESSION))[0], 200)
        most = settings.MAX_UPLOAD_BYTES
        self.assertEqual((self.send([b"x" * most, b"x"], UPLOAD, SESSION))[0], 413)

    def test_what_does_not_come_whole_in_time_is_let_go(self):
        with patch.object(front_door, "PIECE_S", 0.02):
            self.assertEqual(self.send([b"x"], wait_s=5.0), (408, "too_slow", 0))
        with patch.object(front_door, "WHOLE_S", 0.2):
            status, code, came = self.send([b"x"] * 100, wait_s=0.05)
        self.assertEqual((status, code), (408, "too_slow"))
        self.assertLess(came, 20)

    def test_what_is_no_request_passes(self):
        seen = []

        async def app(scope, _receive, _send):
            seen.append(scope["type"])

        asyncio.run(FrontDoor(app)({"type": "lifespan"}, None, None))
        self.assertEqual(seen, ["lifespan"])
