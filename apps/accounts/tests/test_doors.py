"""Every address of the API, found by walking the addresses themselves: shut to strangers, and never broken by what is asked of it."""

import uuid

from django.urls import URLPattern, URLResolver, get_resolver

from apps.runs.tests.base import PlantTestCase

OPEN = {"session", "entry", "calendar"}  # signing in, and calendars, whose address is their secret
METHODS = ("get", "post", "put", "delete")
PLAUSIBLE = {
    "run_id": uuid.UUID(int=7),
    "round_id": uuid.UUID(int=7),
    "batch_id": uuid.UUID(int=7),
    "follow_up_id": uuid.UUID(int=7),
    "auto_id": uuid.UUID(int=7),
    "hold_id": uuid.UUID(int=7),
    "duty_id": uuid.UUID(int=7),
    "intake_id": uuid.UUID(int=7),
    "tag": "PT-2110",
    "code": "MB-P01",
    "group": "reference",
    "name": "signal",
    "kind": "before",
    "role": "span",
    "token": "nobody",
    "username": "ines",
}


def addresses(patterns=None, prefix=""):
    """(name, address, kwargs) of every pattern below /api/v1/."""
    for p in patterns if patterns is not None else get_resolver().url_patterns:
        route = prefix + str(p.pattern)
        if isinstance(p, URLResolver):
            yield from addresses(p.url_patterns, route)
        elif isinstance(p, URLPattern) and route.startswith("api/v1/"):
            names = p.pattern.converters
            kwargs = {n: PLAUSIBLE.get(n, 7 if type(c).__name__ == "IntConverter" else "x") for n, c in names.items()}
            address = route
            for n, value in kwargs.items():
                for kind in ("str", "path", "int", "uuid", "slug"):
                    address = address.replace(f"<{kind}:{n}>", str(value))
            yield p.name, f"/{address}", kwargs


class Doors(PlantTestCase):
    def test_the_walk_finds_the_whole_api(self):
        found = [a for _, a, _ in addresses()]
        self.assertGreater(len(found), 60)
        self.assertFalse([a for a in found if "<" in a], "an address was not filled in")
        for known in ("/api/v1/today/", "/api/v1/instruments/PT-2110/", "/api/v1/plans/", "/api/v1/kit/", "/api/v1/holds/"):
            self.assertIn(known, found)

    def test_a_stranger_is_let_in_nowhere(self):
        self.client.logout()
        for name, address, _ in addresses():
            if name in OPEN:
                continue
            for method in METHODS:
                with self.subTest(method=method, address=address):
                    answer = getattr(self.client, method)(address, content_type="application/json")
                    self.assertIn(answer.status_code, (401, 405), answer.content[:200])

    def test_nothing_asked_of_any_address_breaks_it(self):
        """Empty bodies, bodies of the wrong shape and long texts give a sentence, whoever asks."""
        bodies = (
            {},
            [],
            {"expected_seq": "x", "events": 3},
            {"values": None, "tag": ["a"], "day": {}, "crew": "x"},
            {"reason": "x" * 5000},
        )
        for person in (self.ines, self.ruben, self.marta):
            self.sign_in(person)
            for name, address, _ in addresses():
                for method in METHODS:
                    for body in bodies if method in ("post", "put") else ({},):
                        with self.subTest(method=method, address=address, body=str(body)[:40], person=person.username):
                            answer = getattr(self.client, method)(address, body, content_type="application/json")
                            self.assertLess(answer.status_code, 500)
                            if answer.status_code >= 400 and answer.status_code != 405 and name not in OPEN:
                                self.assertTrue(answer.json().get("message"), answer.content[:200])
                self.sign_in(person)  # one of the addresses signs out

    def test_what_is_not_there_is_said_to_be_not_there(self):
        self.sign_in(self.ines)
        for address in (
            f"runs/{uuid.UUID(int=7)}/",
            f"plans/{uuid.UUID(int=7)}/",
            f"imports/{uuid.UUID(int=7)}/",
            "instruments/NO-1/",
            "kit/reference/NO-1/",
            "kit/nothing/X/",
            "documents/7/",
            "kit/files/7/",
            "nothing/at/all/",
        ):
            with self.subTest(address=address):
                answer = self.get(address)
                self.assertEqual(answer.status_code, 404, answer.content[:200])
                self.assertTrue(answer.json()["message"])
