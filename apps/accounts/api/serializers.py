"""Shapes of what goes in and out about people."""

from rest_framework import serializers


class SignInSerializer(serializers.Serializer):
    username = serializers.CharField(max_length=150)
    password = serializers.CharField(max_length=200, trim_whitespace=False)


class PersonSerializer(serializers.Serializer):
    username = serializers.CharField()
    name = serializers.CharField()
    role = serializers.CharField()
    may = serializers.ListField(child=serializers.CharField())


class SessionSerializer(serializers.Serializer):
    person = PersonSerializer(allow_null=True)
    plant = serializers.CharField()
    time_zone = serializers.CharField()


class FailureSerializer(serializers.Serializer):
    code = serializers.CharField()
    message = serializers.CharField()
    field = serializers.CharField()
    details = serializers.DictField()
