"""The JSON of what configs hold, and of two compared."""

from collections.abc import Sequence
from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from saltwort.core.configs.explain import Primaries
from saltwort.core.spaces.diagram import xy_to_uv
from saltwort.core.views import ViewFamily
from saltwort.server.projects.serializers import (
    AddedLookSerializer,
    DesignSerializer,
    TypedColourSerializer,
)


class SpaceSerializer(serializers.Serializer):
    name = serializers.CharField()
    aliases = serializers.ListField(child=serializers.CharField())
    family = serializers.CharField()
    encoding = serializers.CharField()
    categories = serializers.ListField(child=serializers.CharField())
    interop_id = serializers.CharField()
    description = serializers.CharField()
    is_data = serializers.BooleanField()
    reference = serializers.CharField()


class RoleSerializer(serializers.Serializer):
    name = serializers.CharField()
    space = serializers.CharField()
    use = serializers.CharField()


class DisplaySerializer(serializers.Serializer):
    name = serializers.CharField()
    views = serializers.ListField(child=serializers.CharField())


class MapKindSerializer(serializers.Serializer):
    key = serializers.CharField()
    label = serializers.CharField()
    group = serializers.CharField()


class PointSerializer(serializers.Serializer):
    """A chromaticity, as CIE 1931 xy and CIE 1976 u′v′."""

    xy = serializers.ListField(child=serializers.FloatField(), min_length=2, max_length=2)
    uv = serializers.ListField(child=serializers.FloatField(), min_length=2, max_length=2)


class DiagramSerializer(serializers.Serializer):
    """The ground of chromaticity diagrams."""

    locus = PointSerializer(many=True)
    pointer = PointSerializer(many=True)


class StepSerializer(serializers.Serializer):
    kind = serializers.CharField()
    text = serializers.CharField()
    numbers = serializers.ListField(child=serializers.FloatField())


class PrimariesSerializer(serializers.Serializer):
    red = PointSerializer()
    green = PointSerializer()
    blue = PointSerializer()
    white = PointSerializer()
    known = serializers.CharField(allow_blank=True)


class NamedPrimariesSerializer(serializers.Serializer):
    name = serializers.CharField()
    primaries = PrimariesSerializer()


class SpaceReportSerializer(serializers.Serializer):
    steps = StepSerializer(many=True)
    primaries = PrimariesSerializer(allow_null=True)
    curve = serializers.ListField(child=serializers.ListField(child=serializers.FloatField(allow_null=True)))
    remark = serializers.CharField(allow_blank=True)


class SpaceQuery(serializers.Serializer):
    name = serializers.CharField(max_length=200)


class FollowQuery(TypedColourSerializer):
    """To a space, or to a display and view."""

    to = serializers.CharField(max_length=200, required=False)
    display = serializers.CharField(max_length=200, required=False)
    view = serializers.CharField(max_length=200, required=False)
    look = serializers.CharField(max_length=200, allow_blank=True, default="")


class FollowedSerializer(serializers.Serializer):
    text = serializers.CharField()
    values = serializers.ListField(child=serializers.FloatField(allow_null=True), min_length=3, max_length=3)


class CompareRequest(serializers.Serializer):
    """Two configs: `revision:` and a number, or `builtin:` and a name, or the base of a setup."""

    first = serializers.CharField(max_length=300)
    second = serializers.CharField(max_length=300)


class PathRequest(serializers.Serializer):
    """A path as an application or the OCIO variable has it."""

    path = serializers.CharField(max_length=4000)


class DifferenceSerializer(serializers.Serializer):
    """`largest` and `mean` are null where they are infinite: only one of the two can be computed."""

    kind = serializers.ChoiceField(choices=["added", "removed", "renamed", "changed"])
    what = serializers.CharField()
    name = serializers.CharField()
    other = serializers.CharField(allow_blank=True)
    metric = serializers.CharField(allow_blank=True)
    largest = serializers.FloatField(allow_null=True)
    mean = serializers.FloatField(allow_null=True)
    worst = serializers.ListField(child=serializers.FloatField(), allow_null=True)


class ConfigComparisonSerializer(serializers.Serializer):
    verdict = serializers.ChoiceField(choices=["identical", "same meaning", "different"])
    differences = DifferenceSerializer(many=True)


class BaseSerializer(serializers.Serializer):
    """A config to start from, as a setup names it."""

    base = serializers.CharField()
    name = serializers.CharField()


class BuiltinSerializer(serializers.Serializer):
    name = serializers.CharField()
    kind = serializers.CharField()
    aces_version = serializers.CharField()
    ocio_version = serializers.CharField()
    spaces = serializers.IntegerField()
    use = serializers.CharField()


class RenderingSerializer(serializers.Serializer):
    name = serializers.CharField()
    description = serializers.CharField()


class ViewFamilySerializer(serializers.Serializer):
    key = serializers.CharField()
    label = serializers.CharField()
    use = serializers.CharField()
    renderings = serializers.SerializerMethodField()

    @extend_schema_field(RenderingSerializer(many=True))
    def get_renderings(self, family: ViewFamily) -> list[dict[str, str]]:
        return [{"name": name, "description": text} for name, text in family.renderings().items()]


class NamedGamutSerializer(serializers.Serializer):
    name = serializers.CharField()
    chromaticities = serializers.ListField(child=serializers.FloatField())


class KeyedSerializer(serializers.Serializer):
    key = serializers.CharField()
    label = serializers.CharField()


class ParameterSerializer(serializers.Serializer):
    key = serializers.CharField()
    label = serializers.CharField()
    lowest = serializers.FloatField()
    highest = serializers.FloatField()
    step = serializers.FloatField()
    unit = serializers.CharField(allow_blank=True)
    by_primary = serializers.BooleanField()


class PresetSerializer(serializers.Serializer):
    name = serializers.CharField()
    use = serializers.CharField()
    design = DesignSerializer()


class DesignedFamilySerializer(serializers.Serializer):
    """A family whose views can be designed: its parameters, itself as a design, and others to start from."""

    key = serializers.CharField()
    label = serializers.CharField()
    parameters = ParameterSerializer(many=True)
    design = DesignSerializer()
    presets = PresetSerializer(many=True)


class FamiliesSerializer(serializers.Serializer):
    """What can be added or chosen: view families, known gamuts and curves, interop
    IDs, encodings, OCIO versions, and looks of our own."""

    designed = DesignedFamilySerializer(many=True)

    curves = KeyedSerializer(many=True)
    interop_ids = KeyedSerializer(many=True)
    encodings = serializers.ListField(child=serializers.CharField())
    versions = serializers.ListField(child=serializers.CharField())
    gamuts = NamedGamutSerializer(many=True)
    looks = AddedLookSerializer(many=True)
    families = ViewFamilySerializer(many=True)


class ViewInfoSerializer(serializers.Serializer):
    display = serializers.CharField()
    view = serializers.CharField()
    transform = serializers.CharField(allow_blank=True)
    space = serializers.CharField(allow_blank=True)
    looks = serializers.CharField(allow_blank=True)
    rule = serializers.CharField(allow_blank=True)
    description = serializers.CharField(allow_blank=True)


class LookSerializer(serializers.Serializer):
    name = serializers.CharField()
    process_space = serializers.CharField()
    description = serializers.CharField(allow_blank=True)


class NamedTransformSerializer(serializers.Serializer):
    name = serializers.CharField()
    aliases = serializers.ListField(child=serializers.CharField())
    family = serializers.CharField(allow_blank=True)
    encoding = serializers.CharField(allow_blank=True)
    description = serializers.CharField(allow_blank=True)


class FileRuleSerializer(serializers.Serializer):
    name = serializers.CharField()
    matches = serializers.CharField(allow_blank=True)
    space = serializers.CharField(allow_blank=True)


class ViewingRuleSerializer(serializers.Serializer):
    name = serializers.CharField()
    spaces = serializers.ListField(child=serializers.CharField())
    encodings = serializers.ListField(child=serializers.CharField())


class VariableSerializer(serializers.Serializer):
    name = serializers.CharField()
    default = serializers.CharField(allow_blank=True)


class ConfigSerializer(serializers.Serializer):
    name = serializers.CharField()
    description = serializers.CharField(allow_blank=True)
    version = serializers.CharField()
    base = serializers.CharField()
    spaces = SpaceSerializer(many=True)
    used_spaces = serializers.ListField(child=serializers.CharField())
    roles = RoleSerializer(many=True)
    displays = DisplaySerializer(many=True)
    views = ViewInfoSerializer(many=True)
    all_displays = serializers.ListField(child=serializers.CharField())
    all_views = serializers.ListField(child=serializers.CharField())
    looks = LookSerializer(many=True)
    named_transforms = NamedTransformSerializer(many=True)
    file_rules = FileRuleSerializer(many=True)
    viewing_rules = ViewingRuleSerializer(many=True)
    variables = VariableSerializer(many=True)
    search_path = serializers.ListField(child=serializers.CharField())
    working_spaces = serializers.ListField(child=serializers.CharField())
    map_kinds = MapKindSerializer(many=True)
    export_name = serializers.CharField()
    environment = serializers.DictField(child=serializers.CharField())


def point_json(xy: Sequence[float]) -> dict[str, Any]:
    """A CIE 1931 chromaticity as `PointSerializer` has it."""
    return {"xy": xy, "uv": xy_to_uv((xy[0], xy[1]))}


def primaries_json(primaries: Primaries) -> dict[str, Any]:
    """Primaries and white as `PrimariesSerializer` has them."""
    corners = {name: point_json(getattr(primaries, name)) for name in ("red", "green", "blue", "white")}
    return {"known": primaries.known, **corners}
