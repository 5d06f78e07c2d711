"""The JSON of projects, revisions and configs."""

from rest_framework import serializers

from saltwort.core.configs import VERSIONS
from saltwort.core.configs.additions import CURVES
from saltwort.core.configs.edits import ENCODINGS
from saltwort.core.spaces.typed import UNITS
from saltwort.core.textures.kinds import MAP_KINDS
from saltwort.core.views import FAMILIES
from saltwort.server.http import BasedOn


class ViewChoiceSerializer(serializers.Serializer):
    display = serializers.CharField(max_length=200)
    view = serializers.CharField(max_length=200)
    look = serializers.CharField(max_length=200, allow_blank=True, default="")


class TypedColourSerializer(serializers.Serializer):
    space = serializers.CharField(max_length=200)
    unit = serializers.ChoiceField(choices=list(UNITS))
    text = serializers.CharField(max_length=100)


class RuleSerializer(serializers.Serializer):
    name = serializers.CharField(max_length=100)
    kind = serializers.ChoiceField(choices=["glob", "regex", "map_kind", "space_in_path"])
    space = serializers.CharField(max_length=200, allow_blank=True, default="")
    pattern = serializers.CharField(max_length=1000, allow_blank=True, default="", trim_whitespace=False)
    extension = serializers.CharField(max_length=1000, allow_blank=True, default="")
    map_kinds = serializers.ListField(child=serializers.ChoiceField(choices=list(MAP_KINDS)), default=list)


class AddedViewSerializer(serializers.Serializer):
    display = serializers.CharField(max_length=200)
    name = serializers.CharField(max_length=100)
    family = serializers.ChoiceField(choices=list(FAMILIES))
    rendering = serializers.CharField(max_length=100, allow_blank=True, default="")


def triple_of_numbers() -> serializers.ListField:
    return serializers.ListField(child=serializers.FloatField(), min_length=3, max_length=3)


class AddedSpaceSerializer(serializers.Serializer):
    """`chromaticities`: red, green, blue and white, x and y each."""

    name = serializers.CharField(max_length=100)
    chromaticities = serializers.ListField(child=serializers.FloatField(), max_length=8, default=list)
    curve = serializers.ChoiceField(choices=list(CURVES), default="linear")
    power = serializers.FloatField(default=2.2)
    aliases = serializers.ListField(child=serializers.CharField(max_length=100), default=list)
    family = serializers.CharField(max_length=100, allow_blank=True, default="")
    description = serializers.CharField(max_length=1000, allow_blank=True, default="")
    interop_id = serializers.CharField(max_length=100, allow_blank=True, default="")


class AddedLookSerializer(serializers.Serializer):
    """ASC CDL values, or a LUT by name and hash."""

    name = serializers.CharField(max_length=100)
    slope = triple_of_numbers()
    offset = triple_of_numbers()
    power = triple_of_numbers()
    saturation = serializers.FloatField()
    description = serializers.CharField(max_length=1000, allow_blank=True, default="")
    lut = serializers.CharField(max_length=200, allow_blank=True, default="")
    lut_sha256 = serializers.RegexField("^([0-9a-f]{64})?$", allow_blank=True, default="")
    process_space = serializers.CharField(max_length=200, allow_blank=True, default="")


class SpaceEditSerializer(serializers.Serializer):
    """A space of the base config, called and described otherwise; null leaves what it was."""

    space = serializers.CharField(max_length=200)
    name = serializers.CharField(max_length=100, allow_blank=True, default="")
    aliases = serializers.ListField(child=serializers.CharField(max_length=100), default=list)
    family = serializers.CharField(max_length=100, allow_blank=True, allow_null=True, default=None)
    encoding = serializers.ChoiceField(choices=["", *ENCODINGS], allow_null=True, default=None)
    description = serializers.CharField(max_length=1000, allow_blank=True, allow_null=True, default=None)
    is_data = serializers.BooleanField(default=False)


class RoleChoiceSerializer(serializers.Serializer):
    role = serializers.CharField(max_length=80)
    space = serializers.CharField(max_length=200)


class TrimSerializer(serializers.Serializer):
    spaces = serializers.ListField(child=serializers.CharField(max_length=200))
    views = ViewChoiceSerializer(many=True)
    looks = serializers.ListField(child=serializers.CharField(max_length=200), default=list)


class ProofSerializer(serializers.Serializer):
    """`largest` is null where it is infinite: something that only one of the two can compute."""

    colours = serializers.IntegerField()
    compared = serializers.IntegerField()
    largest = serializers.FloatField(allow_null=True)
    where = serializers.CharField(allow_blank=True)
    unproved = serializers.ListField(child=serializers.CharField())


class ExtentSerializer(serializers.Serializer):
    spaces = serializers.IntegerField()
    views = serializers.IntegerField()
    looks = serializers.IntegerField()
    bytes = serializers.IntegerField()


class TrimPreviewSerializer(serializers.Serializer):
    before = ExtentSerializer()
    after = ExtentSerializer()
    kept_besides = serializers.ListField(child=serializers.CharField())
    proof = ProofSerializer()


class PickSerializer(serializers.Serializer):
    name = serializers.CharField()
    used = serializers.BooleanField()
    picked = serializers.BooleanField()


class ViewPickSerializer(serializers.Serializer):
    display = serializers.CharField()
    view = serializers.CharField()
    used = serializers.BooleanField()
    picked = serializers.BooleanField()


class TrimChoicesSerializer(serializers.Serializer):
    trimmed = serializers.BooleanField()
    proof = ProofSerializer(allow_null=True)
    spaces = PickSerializer(many=True)
    views = ViewPickSerializer(many=True)
    looks = PickSerializer(many=True)


class KindWordSerializer(serializers.Serializer):
    word = serializers.CharField(max_length=130)
    kind = serializers.CharField(max_length=40)


class SetupSerializer(serializers.Serializer):
    base = serializers.CharField()
    working_space = serializers.CharField()
    view = ViewChoiceSerializer()
    default_space = serializers.CharField()
    rules = RuleSerializer(many=True)
    added_views = AddedViewSerializer(many=True)
    trim = TrimSerializer(allow_null=True)
    added_spaces = AddedSpaceSerializer(many=True)
    added_looks = AddedLookSerializer(many=True)
    roles = RoleChoiceSerializer(many=True)
    space_edits = SpaceEditSerializer(many=True)
    displays = serializers.ListField(child=serializers.CharField())
    views = serializers.ListField(child=serializers.CharField())
    target_version = serializers.CharField(allow_blank=True)
    kind_words = KindWordSerializer(many=True)


class RevisionSerializer(serializers.Serializer):
    """`parts` names the parts of the setup that differ from the revision it was made from."""

    number = serializers.IntegerField()
    message = serializers.CharField()
    author = serializers.CharField(allow_blank=True)
    parts = serializers.ListField(child=serializers.CharField())
    created = serializers.DateTimeField()


class StripSerializer(serializers.Serializer):
    """The one current fact of each step."""

    spaces = serializers.IntegerField()
    textures = serializers.IntegerField()
    stations = serializers.IntegerField()
    outputs = serializers.IntegerField()


class TracerSerializer(TypedColourSerializer):
    version = serializers.IntegerField()


class ProjectSerializer(serializers.Serializer):
    slug = serializers.CharField()
    name = serializers.CharField()
    revision = RevisionSerializer()
    can_undo = serializers.BooleanField()
    can_redo = serializers.BooleanField()
    setup = SetupSerializer()
    strip = StripSerializer()
    tracer = TracerSerializer()


class ProjectNameSerializer(serializers.Serializer):
    slug = serializers.CharField(read_only=True)
    name = serializers.CharField(max_length=80)


class SetupParts(serializers.Serializer):
    """Any parts of the setup; the rest stays. Another `base` takes the setup along as far as it can hold it."""

    base = serializers.CharField(required=False, max_length=300)
    working_space = serializers.CharField(required=False, max_length=200)
    view = ViewChoiceSerializer(required=False)
    default_space = serializers.CharField(required=False, max_length=200)
    rules = RuleSerializer(many=True, required=False)
    added_views = AddedViewSerializer(many=True, required=False)
    trim = TrimSerializer(required=False, allow_null=True)
    added_spaces = AddedSpaceSerializer(many=True, required=False)
    added_looks = AddedLookSerializer(many=True, required=False)
    roles = RoleChoiceSerializer(many=True, required=False)
    space_edits = SpaceEditSerializer(many=True, required=False)
    displays = serializers.ListField(child=serializers.CharField(max_length=200), required=False)
    views = serializers.ListField(child=serializers.CharField(max_length=200), required=False)
    target_version = serializers.ChoiceField(choices=["", *VERSIONS], required=False)
    kind_words = KindWordSerializer(many=True, required=False)


class SetupChange(SetupParts, BasedOn):
    message = serializers.CharField(max_length=200)


class ChangeSerializer(serializers.Serializer):
    what = serializers.CharField()
    before = serializers.CharField(allow_blank=True)
    after = serializers.CharField(allow_blank=True)


class FixSerializer(serializers.Serializer):
    operation = serializers.CharField()
    label = serializers.CharField()
    arguments = serializers.DictField(child=serializers.CharField())
    changes = ChangeSerializer(many=True)


class FindingSerializer(serializers.Serializer):
    code = serializers.CharField()
    level = serializers.ChoiceField(choices=["blocker", "caution", "note"])
    subject = serializers.CharField()
    title = serializers.CharField()
    why = serializers.CharField()
    fix = FixSerializer(allow_null=True)


class ReplacementSerializer(serializers.Serializer):
    """What an older OCIO version cannot hold, and what became of it."""

    what = serializers.CharField()
    name = serializers.CharField()
    fate = serializers.ChoiceField(choices=["exact", "baked", "left out"])
    why = serializers.CharField()


class ChangePreviewSerializer(serializers.Serializer):
    changes = ChangeSerializer(many=True)
    textures = ChangeSerializer(many=True)
    new_findings = FindingSerializer(many=True)
    gone_findings = FindingSerializer(many=True)
    replacements = ReplacementSerializer(many=True)


class TargetVersionQuery(serializers.Serializer):
    version = serializers.ChoiceField(choices=list(VERSIONS))


class ReturnTo(BasedOn):
    number = serializers.IntegerField(min_value=1)


class TracerChange(BasedOn, TypedColourSerializer):
    pass


class JointSerializer(serializers.Serializer):
    key = serializers.CharField()
    title = serializers.CharField()
    space = serializers.CharField()
    values = serializers.ListField(child=serializers.FloatField(allow_null=True), min_length=3, max_length=3)
    remarks = serializers.ListField(child=serializers.CharField())


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


class ViewFamilySerializer(serializers.Serializer):
    key = serializers.CharField()
    label = serializers.CharField()
    use = serializers.CharField()


class RenderingSerializer(serializers.Serializer):
    name = serializers.CharField()
    description = serializers.CharField()


class NamedGamutSerializer(serializers.Serializer):
    name = serializers.CharField()
    chromaticities = serializers.ListField(child=serializers.FloatField())


class KeyedSerializer(serializers.Serializer):
    key = serializers.CharField()
    label = serializers.CharField()


class FamiliesSerializer(serializers.Serializer):
    """What can be added or chosen: view families, for ACES the engine's renderings, known gamuts and curves, interop
    IDs, encodings, OCIO versions, and looks of our own."""

    curves = KeyedSerializer(many=True)
    interop_ids = KeyedSerializer(many=True)
    encodings = serializers.ListField(child=serializers.CharField())
    versions = serializers.ListField(child=serializers.CharField())
    gamuts = NamedGamutSerializer(many=True)
    looks = AddedLookSerializer(many=True)
    families = ViewFamilySerializer(many=True)
    aces_renderings = RenderingSerializer(many=True)


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
