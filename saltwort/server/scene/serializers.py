"""The JSON of swatches and renders."""

from rest_framework import serializers

from saltwort.server.http import BasedOn
from saltwort.server.projects.serializers import TypedColourSerializer


def triple() -> serializers.ListField:
    """Three numbers, red green blue; null where one is not finite."""
    return serializers.ListField(child=serializers.FloatField(allow_null=True), min_length=3, max_length=3)


class NewSwatch(TypedColourSerializer):
    name = serializers.CharField(max_length=80)


class SwatchChange(BasedOn, NewSwatch):
    pass


class SwatchSerializer(NewSwatch):
    """`working` and `shown` are null when the config no longer has the swatch's space."""

    id = serializers.IntegerField()
    version = serializers.IntegerField()
    working = triple()
    shown = triple()


class RenderSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    version = serializers.IntegerField()
    space = serializers.CharField()
    told_by = serializers.CharField()
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    bit_depth = serializers.CharField()
    peak = serializers.FloatField(allow_null=True)
    above_one = serializers.FloatField()
    thumbnail = serializers.CharField()
    image = serializers.CharField()


class RenderSpaceChange(BasedOn):
    space = serializers.CharField(max_length=200, allow_blank=True)
