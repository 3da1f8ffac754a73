"""Of several processes of a plant one holds the bench; the others send on what needs it, and one takes over when it has gone."""

import asyncio
import errno
import json
import os
import tempfile
from pathlib import Path
from unittest import TestCase, skipUnless
from unittest.mock import patch

import httpx
from django.db import connection
from django.test import TransactionTestCase

from apps.bench.api import elsewhere, sending_on
from apps.bench.api.elsewhere import Elsewhere
from apps.bench.hub import Hub
from apps.bench.lease import ELSEWHERE, HERE, UNKNOWN, FileLock, Keeper, Lease, ServerLock
from apps.bench.models import BenchHolder, Device
from apps.bench.sources.base import SourceFault
from apps.runs.tests.base import PlantTestCase

HERS, OURS = "http://127.0.0.1:8000", "http://127.0.0.1:8001"


class GivenLock:
    def __init__(self):
        self.is_free, self.stands = True, True

    def take(self):
        return self.is_free

    def is_kept(self):
        return self.stands


class Holding(PlantTestCase):
    def setUp(self):
        self.lease, self.lock, self.told = Lease(), GivenLock(), []
        self.keeper = Keeper(
            self.lease, self.lock, address=OURS, taken=lambda: self.told.append("taken"), lost=lambda: self.told.append("lost")
        )

    def other(self, address):
        BenchHolder.objects.update_or_create(pk=1, defaults={"address": address, "process": 1, "since": "2026-11-30T12:00Z"})

    def test_one_that_has_not_looked_yet_talks_to_no_device(self):
        self.assertTrue(Lease().is_here)  # a command, or a test
        self.assertFalse(self.lease.is_here)
        with patch("apps.bench.hub.LEASE", self.lease), self.assertRaises(SourceFault):
            Hub().poller(Device(code="X", protocol="scpi", host="127.0.0.1", port=1))

    def test_taken_once_and_told_to_the_others(self):
        self.other(HERS)
        self.keeper.look()
        self.keeper.look()
        self.assertEqual((self.lease.state, self.told), (HERE, ["taken"]))
        self.assertEqual(BenchHolder.objects.get().address, OURS)

    def test_held_elsewhere_until_it_is_free(self):
        self.lock.is_free = False
        self.keeper.look()
        self.assertEqual((self.lease.state, self.told), (UNKNOWN, []))
        self.other(HERS)
        self.keeper.look()
        self.assertEqual((self.lease.state, self.lease.address), (ELSEWHERE, HERS))
        self.lock.is_free = True
        self.keeper.look()
        self.assertEqual((self.lease.state, self.told), (HERE, ["taken"]))

    def test_our_own_address_of_before_is_nobody_s(self):
        self.lock.is_free = False
        self.other(OURS)
        self.keeper.look()
        self.assertEqual(self.lease.state, UNKNOWN)

    def test_lost_with_its_connection_and_taken_again(self):
        self.keeper.look()
        self.lock.is_free = self.lock.stands = False
        self.other(HERS)
        self.keeper.look()
        self.assertEqual((self.lease.state, self.told), (ELSEWHERE, ["taken", "lost"]))
        self.lock.is_free = self.lock.stands = True
        self.keeper.look()
        self.assertEqual((self.lease.state, self.told), (HERE, ["taken", "lost", "taken"]))
        self.assertEqual(BenchHolder.objects.get().address, OURS)


class Locks(TransactionTestCase):
    def check(self, one, other):
        self.assertTrue(one.take())
        self.assertFalse(other.take())
        self.assertTrue(one.is_kept())
        one.leave()
        self.assertTrue(other.take())
        self.assertFalse(one.take())
        other.leave()

    def test_beside_a_file(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "plant.sqlite3.bench"
            self.check(FileLock(path), FileLock(path))
            self.assertEqual(path.stat().st_mode & 0o077, 0)

    def test_where_nothing_can_be_written_it_is_held_and_reading_goes_on(self):
        def refuse(path, flags, mode=0o777):
            if flags & os.O_CREAT:
                raise OSError(errno.EROFS, "read only")
            return opened(path, flags, mode)

        with tempfile.TemporaryDirectory() as folder:
            opened, path = os.open, Path(folder) / "plant.sqlite3.bench"
            with patch("apps.bench.lease.os.open", refuse):
                self.assertTrue(FileLock(path).take())
            path.touch()
            with patch("apps.bench.lease.os.open", refuse):
                self.check(FileLock(path), FileLock(path))

    @skipUnless(connection.vendor == "postgresql", "a lock of PostgreSQL")
    def test_of_the_server(self):
        self.check(ServerLock(), ServerLock())


class SendingOn(TestCase):
    """What the process that does not hold the bench does with what is asked of it."""

    def setUp(self):
        self.lease, self.asked, self.here = Lease(), [], []
        self.lease.state, self.lease.address = ELSEWHERE, HERS
        self.answer = lambda asked: httpx.Response(
            200, stream=httpx.ByteStream(b'{"seq": 7}'), headers={"Server": "hers", "Connection": "close", "ETag": "7"}
        )

    async def other(self, asked):
        await asked.aread()
        self.asked.append(asked)
        answer = self.answer(asked)
        if isinstance(answer, Exception):
            raise answer
        return answer

    def ask(self, path, method="GET", body=b"", headers=(), query=b""):
        """Ask this process; status, headers and body of its answer."""
        sent, left = [], [{"type": "http.request", "body": body[:3], "more_body": True}, {"type": "http.request", "body": body[3:]}]

        async def app(scope, receive, send):
            self.here.append(scope["path"])
            await send({"type": "http.response.start", "status": 204, "headers": []})

        async def receive():
            if not left:
                await asyncio.sleep(60)
            return left.pop(0)

        async def send(message):
            sent.append(message)

        length = [(b"content-length", str(len(body)).encode())] if body else left.clear() or []
        scope = {
            "type": "http",
            "method": method,
            "path": path,
            "raw_path": path.encode(),
            "query_string": query,
            "headers": [(b"host", b"loop.example.org"), *length, *headers],
        }
        asyncio.run(Elsewhere(app, self.lease, sending_on.Sender(httpx.MockTransport(self.other)))(scope, receive, send))
        return sent[0]["status"], dict(sent[0]["headers"]), b"".join(m.get("body", b"") for m in sent[1:])

    def test_what_is_live_goes_to_the_other_as_it_came(self):
        told = self.ask(
            "/api/v1/runs/3/events/", "POST", b'{"events": []}', [(b"cookie", b"sessionid=x"), (b"te", b"trailers")], query=b"parts=1"
        )
        self.assertEqual((told[0], json.loads(told[2])), (200, {"seq": 7}))
        self.assertEqual(told[1][b"etag"], b"7")
        self.assertNotIn(b"server", told[1])
        self.assertNotIn(b"connection", told[1])
        (asked,) = self.asked
        self.assertEqual((asked.method, str(asked.url)), ("POST", f"{HERS}/api/v1/runs/3/events/?parts=1"))
        self.assertEqual(asked.content, b'{"events": []}')
        self.assertEqual((asked.headers["host"], asked.headers["cookie"]), ("loop.example.org", "sessionid=x"))
        self.assertNotIn("te", asked.headers)
        self.assertNotIn("user-agent", asked.headers)
        self.assertEqual(self.here, [])

    def test_which_needs_the_bench(self):
        on = (
            "/api/v1/runs/",
            "/api/v1/runs/3/",
            "/api/v1/runs/3/live/",
            "/api/v1/runs/3/sign/",
            "/api/v1/signals/",
            "/api/v1/auto-captures/",
            "/api/v1/checks/",
            "/api/v1/batches/3/on/",
            "/api/v1/today/",
            "/api/v1/holds/",
            "/api/v1/evidence/",
            "/api/v1/evidence/backup/",
            "/api/v1/instruments/AT-1/validity/",
            "/api/v1/instruments/A/T/samples/",
            "/api/v1/what-is-new/",
        )
        here = (
            "/",
            "/runs/3",
            "/static/app.js",
            "/api/schema/",
            "/api/v1/session/",
            "/api/v1/records/",
            "/api/v1/runs/3/certificate.pdf",
            "/api/v1/runs/3/evidence.zip",
            "/api/v1/instruments/",
            "/api/v1/instruments/A/T/",
            "/api/v1/plans/3/solve/",
            "/api/v1/evidence/verify.py",
            "/api/v1/journal/file/",
        )
        for path in (*on, *here):
            self.ask(path)
        self.assertEqual([a.url.path for a in self.asked], list(on))
        self.assertEqual(self.here, list(here))

    def test_nothing_goes_in_a_circle(self):
        status, headers, body = self.ask("/api/v1/holds/", headers=[(elsewhere.MARK, b"1")])
        self.assertEqual((status, json.loads(body)["code"], headers[b"retry-after"]), (503, "store_moving", b"3"))
        self.ask("/api/v1/holds/")
        self.assertEqual(self.asked[0].headers[elsewhere.MARK.decode()], "1")

    def test_the_other_has_gone(self):
        self.answer = lambda asked: httpx.ConnectError("refused")
        status, _, body = self.ask("/api/v1/holds/")
        self.assertEqual((status, json.loads(body)["code"]), (503, "store_moving"))

    def test_the_other_goes_while_it_is_asked(self):
        self.answer = lambda asked: httpx.RemoteProtocolError("closed")
        status, _, body = self.ask("/api/v1/runs/3/key/", "POST", b"{}")
        self.assertEqual((status, json.loads(body)["message"]), (502, sending_on.BROKEN_OFF))

    def test_the_other_goes_in_the_middle_of_its_answer(self):
        async def broken():
            yield b"event: seq\n"
            raise httpx.ReadError("closed")

        self.answer = lambda asked: httpx.Response(200, stream=Pieces(broken()))
        self.assertEqual(self.ask("/api/v1/runs/3/watch/")[2], b"event: seq\n")

    def test_before_it_is_known_it_waits_a_little_and_then_says_so(self):
        self.lease.state = UNKNOWN
        with patch.object(elsewhere, "KNOWN_S", 0.1):
            self.assertEqual(self.ask("/api/v1/holds/")[0], 503)
        seen = []

        async def known(_):
            seen.append(1)
            self.lease.state = HERE if len(seen) > 2 else UNKNOWN

        with patch("apps.bench.api.elsewhere.asyncio.sleep", known):
            self.assertEqual(self.ask("/api/v1/holds/")[0], 204)
        self.assertEqual(self.here, ["/api/v1/holds/"])


class Pieces(httpx.AsyncByteStream):
    def __init__(self, pieces):
        self.pieces = pieces

    def __aiter__(self):
        return self.pieces
