"""Queries that are written once: the same rows as the ORM's own, for whatever values."""

from __future__ import annotations

import threading

from django.db import connection, connections
from django.test import TestCase
from django.utils import timezone

from apps.accounts.models import Person, Qualification
from apps.journal.models import Entry
from apps.journal.writing import Told, write
from config.prepared import Prepared

BY_NAME = Prepared(lambda name: Person.objects.filter(username=name), Person._meta.get_field("username"))
OF_TWO = Prepared(
    lambda a, b: Person.objects.filter(username__in=[a, b]).exclude(role="planner").order_by("username").values_list("username", "role"),
    *[Person._meta.get_field("username")] * 2,
)
TWO_FROM = Prepared(
    lambda pk: Qualification.objects.select_related("person").filter(pk__gte=pk).order_by("pk")[:2], Qualification._meta.get_field("id")
)
LAST = Prepared(lambda: Entry.objects.order_by("-seq").values_list("seq", flat=True)[:1])


class PreparedTest(TestCase):
    @classmethod
    def setUpTestData(cls) -> None:
        for name, role in (("ada", "technician"), ("bo", "planner"), ("cy", "reviewer")):
            Person.objects.create(username=name, role=role)
        ada = Person.objects.get(username="ada")
        given = {"person": ada, "given_by": ada, "given_at": timezone.now()}
        cls.held = [Qualification.objects.create(name=name, **given) for name in ("a", "b", "c")]

    def test_each_call_finds_what_it_was_asked_for(self) -> None:
        found = [BY_NAME.first(name) for name in ("ada", "cy", "nobody", "ada")]
        self.assertEqual([p and p.username for p in found], ["ada", "cy", None, "ada"])
        self.assertEqual(found[0], Person.objects.get(username="ada"))
        found[0].first_name = "Ada"
        found[0].save()
        self.assertEqual(BY_NAME.first("ada").first_name, "Ada", "rows are read anew each time")

    def test_several_places_keep_their_order(self) -> None:
        self.assertEqual(OF_TWO.all("cy", "ada"), [("ada", "technician"), ("cy", "reviewer")])
        self.assertEqual(OF_TWO.all("bo", "cy"), [("cy", "reviewer")])
        self.assertRaises(IndexError, OF_TWO.all, "bo")

    def test_what_is_joined_comes_with_it_and_a_slice_holds(self) -> None:
        with self.assertNumQueries(1):
            found = TWO_FROM.all(self.held[1].pk)
            self.assertEqual([(q.name, q.person.username) for q in found], [("b", "ada"), ("c", "ada")])
        self.assertEqual(len(TWO_FROM.all(self.held[0].pk)), 2)

    def test_without_places(self) -> None:
        write([Told("a", "b", {})])
        before = LAST.first()
        write([Told("a", "b", {})])
        self.assertEqual(LAST.first(), before + 1)

    def test_a_value_of_the_wrong_kind_is_refused_as_the_orm_does(self) -> None:
        self.assertRaises(ValueError, TWO_FROM.all, "x")

    def test_a_thread_asks_over_its_own_connection(self) -> None:
        used = []

        def ask() -> None:
            def watched(execute, sql, params, many, context):
                used.append(context["connection"])
                return execute(sql, params, many, context)

            with connection.execute_wrapper(watched):
                try:
                    BY_NAME.first("ada")
                finally:
                    connection.close()

        BY_NAME.first("ada")  # written here, over this thread's connection
        thread = threading.Thread(target=ask)
        thread.start()
        thread.join()
        self.assertEqual(len(used), 1)
        self.assertIsNot(used[0], connections["default"])
