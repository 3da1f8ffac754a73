"""People come in by a link, change their password and role, leave and come back; each with who and why."""

from datetime import timedelta

from django.contrib.sessions.models import Session
from django.test import Client
from django.utils import timezone

from apps.accounts.access import leave, open_link
from apps.accounts.models import EntryLink, Person, PersonChange
from apps.accounts.people import store_person
from apps.runs.tests.base import PASSWORD, PlantTestCase
from metrology.faults import Fault

NEW = "another-long-password"


class Access(PlantTestCase):
    def setUp(self):
        super().setUp()
        self.sign_in(self.holt)

    def add(self, **changes):
        return self.post("access/", {"username": "lena", "first_name": "Lena", "last_name": "Voss", "role": "technician", **changes})

    def act(self, username, act, **more):
        return self.post(f"access/{username}/", {"act": act, **more})

    def row(self, username):
        return next(p for p in self.get("access/").json()["people"] if p["username"] == username)

    def enter(self, path, password=NEW):
        return Client().post(f"/api/v1/entry/{path.rsplit('/', 1)[1]}/", {"new": password}, content_type="application/json")

    def signs_in(self, username, password):
        return (
            Client().post("/api/v1/session/", {"username": username, "password": password}, content_type="application/json").status_code
            == 200
        )

    def test_somebody_is_added_sets_a_password_by_the_link_once_and_signs_in(self):
        path = self.add().json()["path"]
        self.assertEqual(Client().get(f"/api/v1/entry/{path.rsplit('/', 1)[1]}/").json()["name"], "Lena Voss")
        self.assertFalse(self.row("lena")["has_password"])
        self.assertFailure(self.enter(path, "short"), 400, "weak_password")
        self.assertFailure(self.enter(path, "password123"), 400, "weak_password")
        self.assertEqual(self.enter(path).status_code, 200)
        self.assertTrue(self.signs_in("lena", NEW))
        self.assertFailure(self.enter(path, "third-long-password"), 404, "link_over")
        told = [(c["what"], c["by"]) for c in self.row("lena")["changes"]]
        self.assertEqual(told, [("Password set by a link", "Lena Voss"), ("Put on the list as technician", "Holt Calder")])

    def test_a_link_holds_to_its_last_moment_is_replaced_by_a_newer_one_and_only_its_hash_is_kept(self):
        first = self.add().json()["path"].rsplit("/", 1)[1]
        self.assertFalse(EntryLink.objects.filter(secret=first).exists())
        until = EntryLink.objects.get().until
        self.assertEqual(open_link(first, until).person.username, "lena")
        with self.assertRaises(Fault):
            open_link(first, until + timedelta(seconds=1))
        second = self.act("lena", "link").json()["path"].rsplit("/", 1)[1]
        with self.assertRaises(Fault):
            open_link(first, timezone.now())
        self.assertEqual(open_link(second, timezone.now()).person.username, "lena")

    def test_a_new_link_leaves_the_password_of_before_until_it_is_used(self):
        path = self.act("ines", "link").json()["path"]
        self.assertTrue(self.signs_in("ines", PASSWORD))
        self.enter(path)
        self.assertFalse(self.signs_in("ines", PASSWORD))
        self.assertTrue(self.signs_in("ines", NEW))

    def test_what_can_t_be_is_refused_at_its_field(self):
        for changes, code, field in (
            ({"username": "ines"}, "exists", "username"),
            ({"username": "x"}, "bad_name", "username"),
            ({"role": "king"}, "unknown_choice", "role"),
            ({"first_name": " "}, "missing", "first_name"),
        ):
            with self.subTest(**changes):
                answer = self.add(**changes)
                self.assertEqual((answer.status_code, answer.json()["code"], answer.json()["field"]), (400, code, field))
        self.assertFailure(self.act("nobody", "link"), 404, "unknown_person")
        self.assertFailure(self.act("ines", "role", role="planner", reason="no"), 400, "missing")
        self.assertFailure(self.act("ines", "role", role="technician", reason="as agreed"), 400, "nothing_changed")
        self.assertFailure(self.act("holt", "leave", reason="as agreed"), 400, "own_work")
        self.assertFailure(self.act("holt", "role", role="planner", reason="as agreed"), 400, "own_work")

    def test_a_role_that_came_from_a_list_stands_in_the_history_too(self):
        told = {"username": "ines", "first_name": "Ines", "last_name": "Calder", "role": "planner"}
        for _ in range(2):  # the second time nothing changes
            store_person(actor=self.holt, data=told, now=timezone.now())
        self.assertEqual([(c["what"], c["by"]) for c in self.row("ines")["changes"]], [("Role from technician to planner", "Holt Calder")])

    def test_only_an_administrator_looks_after_people_and_one_stays(self):
        for person in (self.ines, self.ruben, self.marta):
            self.sign_in(person)
            self.assertFailure(self.client.get("/api/v1/access/"), 403, "not_allowed")
            self.assertFailure(self.add(), 403, "not_allowed")
            self.assertFailure(self.act("tomas", "leave", reason="as agreed"), 403, "not_allowed")
            self.assertFailure(self.act("tomas", "sign out"), 403, "not_allowed")
        self.sign_in(self.holt)
        self.act("marta", "role", role="administrator", reason="Stands in for Holt")
        self.sign_in(Person.objects.get(username="marta"))
        self.assertEqual(self.act("holt", "role", role="reviewer", reason="Another task").status_code, 200)
        self.assertFailure(self.act("marta", "role", role="reviewer", reason="Another task"), 400, "own_work")
        self.assertEqual(Person.objects.filter(role="administrator", is_active=True).get().username, "marta")

    def test_the_last_administrator_is_not_taken_away_at_the_same_moment(self):
        """Two administrators who take each other away: the second finds that nobody would be left."""
        other = Person.objects.create_user("olga", password=PASSWORD, first_name="Olga", last_name="Berg", role="administrator")
        now = timezone.now()
        leave(actor=other, username="holt", reason="Left the plant", now=now)
        with self.assertRaises(Fault) as refused:
            leave(actor=self.holt, username="olga", reason="Left the plant", now=now)
        self.assertEqual(refused.exception.code, "last_one")

    def test_who_left_can_t_sign_in_stays_under_their_name_and_comes_back_by_a_link(self):
        client = Client()
        client.force_login(self.ines)
        self.assertEqual(client.get("/api/v1/session/").json()["person"]["username"], "ines")
        self.assertEqual(self.act("ines", "leave", reason="Left the plant").status_code, 200)
        self.assertIsNone(client.get("/api/v1/session/").json()["person"])
        self.assertFalse(self.signs_in("ines", PASSWORD))
        self.assertFailure(self.act("ines", "link"), 400, "has_left")
        self.assertFailure(self.add(username="ines"), 400, "exists")
        self.assertFalse(self.row("ines")["is_active"])
        path = self.act("ines", "back", reason="Is back from leave").json()["path"]
        self.assertFalse(self.signs_in("ines", PASSWORD))
        self.enter(path)
        self.assertTrue(self.signs_in("ines", NEW))
        self.assertEqual(
            [c.what for c in PersonChange.objects.filter(person=self.ines)],
            ["Password set by a link", "Came back", "Left: can't sign in any more"],
        )

    def test_nobody_leaves_while_they_answer_for_a_hold(self):
        self.sign_in(self.ines)
        self.prepare()
        self.sign_in(self.holt)
        answer = self.act("ines", "leave", reason="Left the plant")
        self.assertFailure(answer, 400, "still_holds")
        self.assertIn("PT-2110", answer.json()["message"])
        self.assertTrue(self.signs_in("ines", PASSWORD))

    def test_one_s_own_password_takes_the_one_of_before_and_ends_other_sessions(self):
        here, there = Client(), Client()
        for client in (here, there):
            client.post("/api/v1/session/", {"username": "ines", "password": PASSWORD}, content_type="application/json")
        change = lambda password, new: here.post("/api/v1/password/", {"password": password, "new": new}, content_type="application/json")  # noqa: E731
        self.assertFailure(change("wrong-password", NEW), 400, "wrong_password")
        self.assertFailure(change(PASSWORD, PASSWORD), 400, "nothing_changed")
        self.assertFailure(change(PASSWORD, "short"), 400, "weak_password")
        self.assertEqual(change(PASSWORD, NEW).status_code, 200)
        self.assertEqual(here.get("/api/v1/session/").json()["person"]["username"], "ines")
        self.assertIsNone(there.get("/api/v1/session/").json()["person"])

    def test_signed_out_everywhere(self):
        client = Client()
        client.post("/api/v1/session/", {"username": "ines", "password": PASSWORD}, content_type="application/json")
        before = Session.objects.count()
        self.act("ines", "sign out")
        self.assertIsNone(client.get("/api/v1/session/").json()["person"])
        self.assertEqual(Session.objects.count(), before - 1)
        self.assertEqual(self.get("session/").json()["person"]["username"], "holt")
