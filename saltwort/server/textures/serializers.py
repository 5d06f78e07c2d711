"""The JSON of textures."""

from rest_framework import serializers

from saltwort.server.http import BasedOn
from saltwort.server.projects.config_serializers import MapKindSerializer


class ReasonSerializer(serializers.Serializer):
    kind = serializers.ChoiceField(choices=["rule", "pin", "default"])
    index = serializers.IntegerField(allow_null=True)
    name = serializers.CharField(allow_blank=True)


class AssignmentSerializer(serializers.Serializer):
    space = serializers.CharField()
    reason = ReasonSerializer()


class TextureSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    path = serializers.CharField()
    version = serializers.IntegerField()
    kind = MapKindSerializer(allow_null=True)
    kind_word = serializers.CharField(allow_blank=True)
    assignment = AssignmentSerializer()
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    format = serializers.CharField()
    bit_depth = serializers.CharField()
    thumbnail = serializers.CharField()


class RuleTraceSerializer(serializers.Serializer):
    index = serializers.IntegerField()
    name = serializers.CharField()
    space = serializers.CharField(allow_null=True)
    because = serializers.CharField()


class FactSerializer(serializers.Serializer):
    name = serializers.CharField()
    value = serializers.CharField()


class EvidenceSerializer(serializers.Serializer):
    code = serializers.CharField()
    says = serializers.CharField()
    favours = serializers.CharField()
    weight = serializers.FloatField()


class VerdictSerializer(serializers.Serializer):
    """The space that the file speaks for, null for no opinion, and the share of all weight that agrees, 0–1."""

    space = serializers.CharField(allow_null=True)
    confidence = serializers.FloatField()


class TextureDetailSerializer(TextureSerializer):
    evidence = EvidenceSerializer(many=True)
    verdict = VerdictSerializer()
    facts = FactSerializer(many=True)
    why = RuleTraceSerializer(many=True)
    pin_note = serializers.CharField(allow_blank=True)


class PinChange(BasedOn):
    space = serializers.CharField(max_length=200, allow_blank=True)
    note = serializers.CharField(max_length=500, allow_blank=True, default="")


class RulesRunSerializer(serializers.Serializer):
    files = serializers.IntegerField()
    pins_kept = serializers.IntegerField()


class PictureQuery(serializers.Serializer):
    """`space` draws the file as read in that space; without, as it is assigned."""

    space = serializers.CharField(required=False)
    size = serializers.IntegerField(min_value=16, max_value=1024, default=96)
