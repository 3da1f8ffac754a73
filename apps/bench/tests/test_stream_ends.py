"""A stream ends with the session of whoever watches, and when they have left."""

import uuid
from datetime import timedelta
from unittest.mock import patch

from django.contrib.sessions.models import Session
from django.utils import timezone

from apps.accounts.models import Person
from apps.bench.api import stream
from apps.bench.api.stream import Door, Watch, _sync
from apps.runs.tests.base import PlantTestCase


class Ends(PlantTestCase):
    def pieces(self, change, most=50):
        """How many pieces still come after a change, at most so many."""
        self.sign_in(self.ines)
        door = Door(self.client.session.session_key, self.ines)
        with patch.object(stream, "DOOR_S", 0.0), patch.object(stream, "PERIOD_S", 0.0), patch.object(stream, "ALIVE_S", 0.0):
            pieces = _sync(Watch(uuid.uuid4(), 3), door)
            self.assertEqual(next(pieces), b"event: seq\ndata: 3\n\n")
            change()
            return sum(1 for _, _ in zip(range(most), pieces, strict=False))

    def test_it_goes_on_while_the_session_stands(self):
        self.assertEqual(self.pieces(lambda: None), 50)

    def test_signed_out(self):
        self.assertEqual(self.pieces(self.client.logout), 0)

    def test_run_out(self):
        self.assertEqual(self.pieces(lambda: Session.objects.update(expire_date=timezone.now() - timedelta(seconds=1))), 0)

    def test_left(self):
        self.assertEqual(self.pieces(lambda: Person.objects.filter(pk=self.ines.pk).update(is_active=False)), 0)

    def test_asked_only_now_and_then(self):
        door = Door("x", self.ines)
        self.assertFalse(door.is_due())
        door.asked_at -= stream.DOOR_S
        self.assertTrue(door.is_due())
