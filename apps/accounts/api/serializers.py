"""Shapes of what goes in and out about people."""

from rest_framework import serializers


class OptionSerializer(serializers.Serializer):
    value = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]  # a field called label, not the label of a field


class ProofSerializer(serializers.Serializer):
    """Who somebody is, once more: the password, and a code of their device where the plant wants one."""

    password = serializers.CharField(max_length=200, trim_whitespace=False, allow_blank=True)
    one_time = serializers.CharField(max_length=20, allow_blank=True, required=False, default="")


class SignInSerializer(ProofSerializer):
    username = serializers.CharField(max_length=150)


class PersonSerializer(serializers.Serializer):
    username = serializers.CharField()
    name = serializers.CharField()
    role = serializers.CharField()
    may = serializers.ListField(child=serializers.CharField())
    lacks_device = serializers.BooleanField(help_text="The plant wants one-time codes of them, and they have no device for it yet")


class SessionSerializer(serializers.Serializer):
    person = PersonSerializer(allow_null=True)
    plant = serializers.CharField()
    time_zone = serializers.CharField()
    password_rule = serializers.CharField()
    signs_with_code = serializers.BooleanField(help_text="A signature takes a one-time code besides the password")
    is_new = serializers.BooleanField(help_text="Nobody is here yet: the visit sets the plant up")


class FirstStartSerializer(serializers.Serializer):
    code = serializers.CharField(max_length=20, allow_blank=True)
    plant = serializers.CharField(max_length=200, allow_blank=True)
    zone = serializers.CharField(max_length=60, allow_blank=True)
    first_name = serializers.CharField(max_length=200, allow_blank=True)
    last_name = serializers.CharField(max_length=200, allow_blank=True)
    username = serializers.CharField(max_length=150, allow_blank=True)
    password = serializers.CharField(max_length=200, trim_whitespace=False, allow_blank=True)


class FailureSerializer(serializers.Serializer):
    code = serializers.CharField()
    message = serializers.CharField()
    field = serializers.CharField()
    details = serializers.DictField()


class QualificationSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    until = serializers.DateField(allow_null=True)
    standing = serializers.CharField(help_text="good, ends soon or ended")
    proof = serializers.CharField()
    given_at = serializers.DateTimeField()
    given_by = serializers.CharField()
    why = serializers.CharField(help_text="Why it ended")


class PersonRowSerializer(serializers.Serializer):
    username = serializers.CharField()
    name = serializers.CharField()
    role = serializers.CharField()
    may_give = serializers.BooleanField(help_text="Whether you may enter a qualification for them")
    qualifications = QualificationSerializer(many=True)
    before = QualificationSerializer(many=True)


class PeopleSerializer(serializers.Serializer):
    people = PersonRowSerializer(many=True)
    names = serializers.ListField(child=serializers.CharField(), help_text="Qualifications that work takes, or that somebody has")


class GivenSerializer(serializers.Serializer):
    name = serializers.CharField(max_length=200, allow_blank=True)
    until = serializers.CharField(max_length=20, allow_blank=True, required=False, default="")
    proof = serializers.CharField(max_length=300, allow_blank=True, required=False, default="")


class TakenAwaySerializer(serializers.Serializer):
    why = serializers.CharField(max_length=300, allow_blank=True)
