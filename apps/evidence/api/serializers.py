"""How the evidence stands, and entries of the journal."""

from rest_framework import serializers

from config.lists import PageSerializer


class AnchorSerializer(serializers.Serializer):
    seq = serializers.IntegerField()
    at = serializers.CharField()
    why = serializers.CharField()


class BackupSerializer(serializers.Serializer):
    at = serializers.DateTimeField()
    name = serializers.CharField()
    size = serializers.IntegerField()
    seq = serializers.IntegerField()
    is_encrypted = serializers.BooleanField()


class LookedSerializer(serializers.Serializer):
    began_at = serializers.DateTimeField()
    ended_at = serializers.DateTimeField(allow_null=True)
    done = serializers.IntegerField()
    total = serializers.IntegerField()


class EvidenceSerializer(serializers.Serializer):
    entries = serializers.IntegerField()
    last_at = serializers.CharField(allow_null=True)
    key = serializers.CharField()
    anchor = AnchorSerializer(allow_null=True)
    anchor_folder = serializers.CharField()
    anchor_mail = serializers.ListField(child=serializers.CharField())
    backup = BackupSerializer(allow_null=True)
    backup_folder = serializers.CharField()
    looked = LookedSerializer(allow_null=True)
    findings = serializers.ListField(child=serializers.CharField())
    free_gb = serializers.FloatField()
    wrong = serializers.ListField(child=serializers.CharField())


class JournalEntrySerializer(serializers.Serializer):
    seq = serializers.IntegerField()
    at = serializers.CharField()
    kind = serializers.CharField()
    subject = serializers.CharField()
    by = serializers.CharField()
    says = serializers.CharField()
    reason = serializers.CharField()
    link = serializers.CharField()


class JournalPageSerializer(PageSerializer):
    rows = JournalEntrySerializer(many=True)
