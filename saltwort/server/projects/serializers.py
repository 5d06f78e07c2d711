"""The JSON of projects, revisions and configs."""

from dataclasses import make_dataclass
from typing import Any, ClassVar

from rest_framework import serializers
from rest_framework_dataclasses.serializers import DataclassSerializer

from saltwort.core.configs import VERSIONS
from saltwort.core.configs.additions import CURVES
from saltwort.core.configs.edits import ENCODINGS
from saltwort.core.project import value_parts
from saltwort.core.spaces.typed import UNITS
from saltwort.core.textures.kinds import MAP_KINDS, MAX_WORDS
from saltwort.core.textures.rules import MAX_RULES
from saltwort.core.views import view_families
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


def triple_of_numbers() -> serializers.ListField:
    return serializers.ListField(child=serializers.FloatField(), min_length=3, max_length=3)


class DesignSerializer(serializers.Serializer):
    """Parameters of a view that can be designed; their limits are those of its family."""

    darkest = serializers.FloatField()
    brightest = serializers.FloatField()
    grey = serializers.FloatField()
    contrast = serializers.FloatField()
    toe = serializers.FloatField()
    shoulder = serializers.FloatField()
    inset = triple_of_numbers()
    inset_turn = triple_of_numbers()
    outset = triple_of_numbers()
    outset_turn = triple_of_numbers()
    path_to_white = serializers.FloatField()
    peak_nits = serializers.FloatField(default=1000.0)
    white_nits = serializers.FloatField(default=100.0)


class AddedViewSerializer(serializers.Serializer):
    """`design` null is the family as it is by itself."""

    display = serializers.CharField(max_length=200)
    name = serializers.CharField(max_length=100)
    family = serializers.ChoiceField(choices=list(view_families()))
    rendering = serializers.CharField(max_length=100, allow_blank=True, default="")
    design = DesignSerializer(allow_null=True, default=None)


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
    display = serializers.CharField(max_length=200, allow_blank=True, default="")
    view = serializers.CharField(max_length=200, allow_blank=True, default="")


class AddedLookSerializer(serializers.Serializer):
    """ASC CDL values, or a LUT by name and hash."""

    name = serializers.CharField(max_length=100)
    slope = triple_of_numbers()
    offset = triple_of_numbers()
    power = triple_of_numbers()
    saturation = serializers.FloatField()
    description = serializers.CharField(max_length=1000, allow_blank=True, default="")
    lut = serializers.CharField(max_length=200, allow_blank=True, default="")
    lut_sha256 = serializers.RegexField("^[0-9a-f]{64}$", allow_blank=True, default="")
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


class DismissalSerializer(serializers.Serializer):
    """See Dismissal."""

    code = serializers.CharField()
    subject = serializers.CharField(allow_blank=True)
    title = serializers.CharField()
    reason = serializers.CharField()
    author = serializers.CharField(allow_blank=True)


class _TextField(serializers.CharField):
    """Text as it is given; it may be empty."""

    def __init__(self, **how: Any) -> None:
        super().__init__(allow_blank=True, trim_whitespace=False, **how)


class _ValueSerializer(DataclassSerializer):
    serializer_field_mapping: ClassVar = {**DataclassSerializer.serializer_field_mapping, str: _TextField}

    @property
    def serializer_dataclass_field(self) -> type[DataclassSerializer]:
        return _ValueSerializer


class _WithValueParts(serializers.Serializer):
    def get_fields(self) -> dict[str, serializers.Field]:
        """A field more for each part of the setup that brings its value and is set as a whole, as its type asks."""
        kinds = [(name, part.kind(), None) for name, part in value_parts().items() if part.is_set_whole]
        values = _ValueSerializer(dataclass=make_dataclass("Values", kinds))
        return {**super().get_fields(), **values.get_fields()}


class SetupSerializer(_WithValueParts):
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
    dismissed = DismissalSerializer(many=True)


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


class ActionSerializer(serializers.Serializer):
    """Something that was done, in words, and by whom."""

    id = serializers.IntegerField()
    what = serializers.CharField()
    author = serializers.CharField(allow_blank=True)


class ProjectSerializer(serializers.Serializer):
    slug = serializers.CharField()
    name = serializers.CharField()
    revision = RevisionSerializer()
    moved_by = serializers.CharField(allow_blank=True)
    problem = serializers.CharField(allow_blank=True)
    undo = ActionSerializer(allow_null=True)
    redo = ActionSerializer(allow_null=True)
    setup = SetupSerializer()
    strip = StripSerializer()
    tracer = TracerSerializer()


class ProjectNameSerializer(serializers.Serializer):
    slug = serializers.CharField(read_only=True)
    name = serializers.CharField(max_length=80)


class SetupParts(_WithValueParts):
    """Any parts of the setup; the rest stays. Another `base` takes the setup along as far as it can hold it."""

    base = serializers.CharField(required=False, max_length=300)
    working_space = serializers.CharField(required=False, max_length=200)
    view = ViewChoiceSerializer(required=False)
    default_space = serializers.CharField(required=False, max_length=200)
    rules = RuleSerializer(many=True, required=False, max_length=MAX_RULES)
    added_views = AddedViewSerializer(many=True, required=False)
    trim = TrimSerializer(required=False, allow_null=True)
    added_spaces = AddedSpaceSerializer(many=True, required=False)
    added_looks = AddedLookSerializer(many=True, required=False)
    roles = RoleChoiceSerializer(many=True, required=False)
    space_edits = SpaceEditSerializer(many=True, required=False)
    displays = serializers.ListField(child=serializers.CharField(max_length=200), required=False)
    views = serializers.ListField(child=serializers.CharField(max_length=200), required=False)
    target_version = serializers.ChoiceField(choices=["", *VERSIONS], required=False)
    kind_words = KindWordSerializer(many=True, required=False, max_length=MAX_WORDS)


class SetupChange(SetupParts, BasedOn):
    message = serializers.CharField(max_length=200)


class ChangeSerializer(serializers.Serializer):
    what = serializers.CharField()
    before = serializers.CharField(allow_blank=True)
    after = serializers.CharField(allow_blank=True)


class FixSerializer(serializers.Serializer):
    operation = serializers.CharField()
    label = serializers.CharField()
    arguments = serializers.DictField(child=serializers.CharField(allow_blank=True))
    changes = ChangeSerializer(many=True)
    others = serializers.IntegerField()


class FindingSerializer(serializers.Serializer):
    code = serializers.CharField()
    level = serializers.ChoiceField(choices=["blocker", "caution", "note"])
    subject = serializers.CharField()
    title = serializers.CharField()
    why = serializers.CharField()
    fix = FixSerializer(allow_null=True)
    also = FixSerializer(many=True)


class ReplacementSerializer(serializers.Serializer):
    """What an older OCIO version cannot hold, and what became of it."""

    what = serializers.CharField()
    name = serializers.CharField()
    fate = serializers.ChoiceField(choices=["exact", "baked", "left out"])
    why = serializers.CharField()


class RereadSerializer(serializers.Serializer):
    """What reading textures otherwise would do. Of `files` that are read differently the first are listed; findings are
    told of `compared` files, which are all unless they are very many."""

    files = serializers.IntegerField()
    textures = ChangeSerializer(many=True)
    compared = serializers.IntegerField()
    new_findings = FindingSerializer(many=True)
    gone_findings = FindingSerializer(many=True)


class ChangePreviewSerializer(RereadSerializer):
    changes = ChangeSerializer(many=True)
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
