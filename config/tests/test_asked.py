"""A body is taken at its word: what it is described to hold, and no other kind of thing."""

from django.test import SimpleTestCase
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.parsers import JSONParser, MultiPartParser
from rest_framework.request import Request
from rest_framework.test import APIRequestFactory

from config.asked import parsed


class Inner(serializers.Serializer):
    name = serializers.CharField()
    share = serializers.FloatField(required=False)


class Asked(serializers.Serializer):
    text = serializers.CharField(required=False, allow_null=True)
    kind = serializers.ChoiceField(choices=["a", "1"], required=False)
    day = serializers.DateField(required=False)
    count = serializers.IntegerField(required=False)
    is_so = serializers.BooleanField(required=False)
    rows = Inner(many=True, required=False)
    inner = Inner(required=False)
    values = serializers.DictField(child=serializers.CharField(allow_blank=True), required=False)
    names = serializers.ListField(child=serializers.CharField(), required=False)
    payload = serializers.DictField(required=False)


def ask(data, form="json"):
    request = APIRequestFactory().post("/", data, format=form)
    return parsed(Asked, Request(request, parsers=[JSONParser(), MultiPartParser()]))


class Kinds(SimpleTestCase):
    def test_what_is_described_is_taken(self):
        data = {
            "text": None,
            "kind": "1",
            "day": "2026-11-30",
            "count": 3,
            "is_so": False,
            "rows": [{"name": "x", "share": 1}],
            "values": {"a": ""},
            "names": ["a"],
            "payload": {"a": [1, None, {"b": True}]},
        }
        self.assertEqual(ask(data)["payload"], data["payload"])
        self.assertEqual(ask({"count": 3.0})["count"], 3)

    def test_anything_else_is_refused_and_says_where(self):
        for data, where, words in (
            ({"text": 1}, "text", "A text is expected here."),
            ({"kind": None}, "kind", "A text is expected here."),
            ({"text": ["x"]}, "text", "A text is expected here."),
            ({"kind": 1}, "kind", "A text is expected here."),
            ({"day": 20261130}, "day", "A text is expected here."),
            ({"count": "3"}, "count", "A whole number is expected here."),
            ({"count": 3.5}, "count", "A whole number is expected here."),
            ({"count": True}, "count", "A whole number is expected here."),
            ({"is_so": 1}, "is_so", "True or false is expected here."),
            ({"is_so": "true"}, "is_so", "True or false is expected here."),
            ({"rows": {}}, "rows", "A list is expected here."),
            ({"rows": [{"name": "x"}, {"name": 5}]}, "rows 2.name", "A text is expected here."),
            ({"inner": {"name": "x", "share": "1"}}, "inner.share", "A number is expected here."),
            ({"inner": [1]}, "inner", "A set of names with their values is expected here."),
            ({"values": {"a": 4}}, "values a", "A text is expected here."),
            ({"names": ["a", 4]}, "names 2", "A text is expected here."),
            ([], "body", "A set of names with their values is expected here."),
        ):
            with self.subTest(data=data), self.assertRaises(ValidationError) as refused:
                ask(data)
            self.assertEqual(refused.exception.detail, {where: [words]})

    def test_a_form_is_texts_all_through(self):
        self.assertEqual(ask({"count": "3", "is_so": "true"}, form="multipart")["count"], 3)
