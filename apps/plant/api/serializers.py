"""Shapes of the register on the way in and out. Rules are in the service; these only describe."""

from rest_framework import serializers

from apps.accounts.api.serializers import OptionSerializer
from config.lists import PageSerializer


class AreaSerializer(serializers.Serializer):
    code = serializers.CharField()
    name = serializers.CharField()
    needs_permit = serializers.BooleanField()
    east_m = serializers.FloatField()
    north_m = serializers.FloatField()


class AreaFormSerializer(serializers.Serializer):
    name = serializers.CharField(allow_blank=True)
    needs_permit = serializers.BooleanField(required=False)
    east_m = serializers.CharField(allow_blank=True, required=False)
    north_m = serializers.CharField(allow_blank=True, required=False)
    is_new = serializers.BooleanField(required=False)
    seen = serializers.DictField(required=False)


class InstrumentRowSerializer(serializers.Serializer):
    tag = serializers.CharField()
    serial = serializers.CharField()
    service = serializers.CharField()
    area = serializers.CharField()
    area_code = serializers.CharField()
    family = serializers.CharField()
    method = serializers.CharField()
    method_title = serializers.CharField()
    is_runnable = serializers.BooleanField()
    range = serializers.CharField()
    next_due = serializers.DateField(allow_null=True)
    last_done_on = serializers.DateField(allow_null=True)
    last_found = serializers.CharField()
    last_left = serializers.CharField()
    doubt = serializers.CharField()
    state = serializers.CharField()
    names_before = serializers.ListField(child=serializers.CharField())


class DetailFieldSerializer(serializers.Serializer):
    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    kind = serializers.CharField()
    unit = serializers.CharField()
    hint = serializers.CharField()
    methods = serializers.ListField(child=serializers.CharField())
    options = OptionSerializer(many=True)


class InstrumentPageSerializer(PageSerializer):
    rows = InstrumentRowSerializer(many=True)
    areas = AreaSerializer(many=True)
    choices = serializers.DictField(child=OptionSerializer(many=True))
    methods = serializers.DictField(child=serializers.ListField(child=serializers.CharField()))
    details = DetailFieldSerializer(many=True)
    policies = DetailFieldSerializer(many=True)


class InstrumentFormSerializer(serializers.Serializer):
    """The form as typed: numbers may come as text, with a comma."""

    tag = serializers.CharField()
    serial = serializers.CharField()
    service = serializers.CharField()
    area = serializers.CharField()
    family = serializers.CharField()
    method = serializers.CharField()
    unit = serializers.CharField()
    lrv = serializers.CharField()
    urv = serializers.CharField()
    output_lo = serializers.CharField()
    output_hi = serializers.CharField()
    output_unit = serializers.CharField()
    transfer = serializers.CharField()
    cutoff_percent = serializers.CharField()
    transfer_table = serializers.CharField()
    tolerance_value = serializers.CharField()
    tolerance_basis = serializers.CharField()
    tolerance_combine = serializers.CharField()
    tolerance2_value = serializers.CharField()
    tolerance2_basis = serializers.CharField()
    division = serializers.CharField()
    warm_up_min = serializers.CharField()
    is_adjustable = serializers.BooleanField()
    hazards = serializers.CharField()
    feeds = serializers.CharField()
    voting_group = serializers.CharField()
    voting = serializers.CharField()
    zone = serializers.CharField()
    points_percent = serializers.CharField()
    cycles = serializers.CharField()
    interval_days = serializers.CharField()
    maker = serializers.CharField(required=False)
    model = serializers.CharField(required=False)
    device_revision = serializers.CharField(required=False)
    asset_number = serializers.CharField(required=False)
    system = serializers.CharField(required=False)
    ex_marking = serializers.CharField(required=False)
    access = serializers.CharField(required=False)
    skills = serializers.CharField(required=False)
    permit_kind = serializers.CharField(required=False)
    people = serializers.CharField(required=False)
    work_min = serializers.CharField(required=False)
    documents = serializers.CharField(required=False)
    due_rule = serializers.CharField(required=False)
    grace_days = serializers.CharField(required=False)
    before_on = serializers.CharField(required=False)
    before_by = serializers.CharField(required=False)
    before_result = serializers.CharField(required=False)
    policy = serializers.DictField(required=False)
    details = serializers.DictField(required=False)
    reason = serializers.CharField(required=False)
    seen = serializers.DictField(required=False)  # the form as it was opened, by which two who edit at once are told apart


class ResultSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    number = serializers.CharField()
    status = serializers.CharField()
    signed_at = serializers.DateTimeField(allow_null=True)
    started_at = serializers.DateTimeField()
    found_verdict = serializers.CharField()
    left_verdict = serializers.CharField()
    found_error = serializers.FloatField(allow_null=True)
    left_error = serializers.FloatField(allow_null=True)
    decision = serializers.CharField()
    technician = serializers.CharField()


class ChangeSerializer(serializers.Serializer):
    at = serializers.DateTimeField()
    by = serializers.CharField()
    reason = serializers.CharField()
    what = serializers.ListField(child=serializers.CharField())


class FileSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    size = serializers.IntegerField()
    at = serializers.DateTimeField()
    by = serializers.CharField()


class OfFunctionSerializer(serializers.Serializer):
    code = serializers.CharField()
    says = serializers.CharField()


class InstrumentPageDataSerializer(InstrumentRowSerializer):
    form = InstrumentFormSerializer()
    tolerance = serializers.CharField()
    output = serializers.CharField()
    policies = serializers.ListField(child=serializers.CharField())
    uses = OptionSerializer(many=True)  # what it may be made: out of use, retired, or in use again
    open_run = serializers.UUIDField(allow_null=True)
    methods = OptionSerializer(many=True)
    has_points = serializers.BooleanField()
    follows_life = serializers.BooleanField()
    detail_words = serializers.ListField(child=serializers.CharField())
    results = ResultSerializer(many=True)
    changes = ChangeSerializer(many=True)
    files = FileSerializer(many=True)
    functions = OfFunctionSerializer(many=True)
    due_reason = serializers.CharField()


class UploadSerializer(serializers.Serializer):
    file = serializers.FileField()
