"""What was entered without a connection and comes in one batch: judged by the time between its events, as the device tells it, within bounds."""

import uuid
from datetime import UTC, datetime, timedelta
from unittest import TestCase

from django.utils import timezone

from apps.runs.arriving import TRUST, NewEvent, moments
from apps.runs.models import RunEvent
from apps.runs.store import CACHE
from apps.runs.tests.base import PlantTestCase

NOW = datetime(2026, 11, 30, 12, 0, tzinfo=UTC)
STORED = NOW - timedelta(hours=2)
SECOND = timedelta(seconds=1)


def event(device_at):
    return NewEvent(uuid.uuid4(), "note_added", {}, device_at)


class Moments(TestCase):
    def ago(self, *device, stored=STORED):
        return [NOW - at for at in moments([event(d) for d in device], NOW, stored)]

    def test_as_far_apart_as_the_device_tells_however_its_clock_is_set(self):
        apart = timedelta(minutes=12)
        for off in (timedelta(0), timedelta(days=3), -timedelta(hours=5)):
            with self.subTest(off=off):
                self.assertEqual(self.ago(NOW + off - apart, NOW + off - SECOND, NOW + off), [apart, SECOND, timedelta(0)])

    def test_up_to_half_an_hour_and_not_a_second_more(self):
        self.assertEqual(self.ago(NOW - TRUST, NOW), [TRUST, timedelta(0)])
        self.assertEqual(self.ago(NOW - TRUST - SECOND, NOW), [timedelta(0)] * 2)

    def test_a_clock_set_back_in_between_is_not_believed(self):
        self.assertEqual(self.ago(NOW + 60 * SECOND, NOW), [timedelta(0)] * 2)
        self.assertEqual(self.ago(NOW - 10 * SECOND, NOW - 20 * SECOND, NOW), [20 * SECOND, 20 * SECOND, timedelta(0)])

    def test_nothing_happened_before_what_is_stored(self):
        self.assertEqual(self.ago(NOW - 60 * SECOND, NOW, stored=NOW - 20 * SECOND), [20 * SECOND, timedelta(0)])

    def test_after_the_server_s_clock_was_set_back_it_is_now_all_the_same(self):
        self.assertEqual(self.ago(NOW - 60 * SECOND, NOW, stored=NOW + timedelta(days=1)), [timedelta(0)] * 2)

    def test_without_a_device_s_time_it_is_now(self):
        self.assertEqual(self.ago(None, NOW), [timedelta(0)] * 2)
        self.assertEqual(self.ago(NOW - SECOND, None), [timedelta(0)] * 2)


class Replayed(PlantTestCase):
    def test_a_timer_and_what_comes_after_it_are_stored_as_far_apart_as_they_were(self):
        self.start()
        RunEvent.objects.filter(run=self.run_id).update(at=timezone.now() - timedelta(hours=1))
        CACHE.forget()
        device = timezone.now() - timedelta(days=2)  # its clock is off
        steps = (
            ("step_confirmed", {"step": "identity", "values": {"tag": "PT-2110", "serial": "MB-1"}}, device),
            ("note_added", {"text": "warming up"}, device + timedelta(minutes=10)),
        )
        events = [{"id": str(uuid.uuid4()), "type": t, "payload": p, "device_at": at.isoformat()} for t, p, at in steps]
        answer = self.post(f"runs/{self.run_id}/events/", {"expected_seq": self.seq, "events": events})
        self.assertEqual(answer.status_code, 200, answer.content)
        first, second = RunEvent.objects.filter(run=self.run_id).order_by("-seq")[:2][::-1]
        self.assertEqual(second.at - first.at, timedelta(minutes=10))
        self.assertEqual(second.device_at - first.device_at, timedelta(minutes=10))
