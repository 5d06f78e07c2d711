"""The JSON of textures."""

from typing import Any

from rest_framework import serializers

from saltwort.core.findings import LEVELS
from saltwort.server.http import BasedOn, PageQuery
from saltwort.server.projects.config_serializers import MapKindSerializer, NamedPrimariesSerializer, PointSerializer
from saltwort.server.projects.serializers import RereadSerializer
from saltwort.server.textures.intake import REPLACE, TAKEN


class ReasonSerializer(serializers.Serializer):
    kind = serializers.ChoiceField(choices=["rule", "pin", "default"])
    index = serializers.IntegerField(allow_null=True)
    name = serializers.CharField(allow_blank=True)


class AssignmentSerializer(serializers.Serializer):
    space = serializers.CharField()
    reason = ReasonSerializer()


class SetMemberSerializer(serializers.Serializer):
    """The set that a file belongs to, and where it stands in it."""

    key = serializers.CharField()
    name = serializers.CharField()
    tile = serializers.CharField(allow_blank=True)
    resolution = serializers.CharField(allow_blank=True)
    frame = serializers.CharField(allow_blank=True)


class TextureFindingSerializer(serializers.Serializer):
    """A finding of a texture in a list, where its reasons and fixes do not stand."""

    code = serializers.CharField()
    level = serializers.ChoiceField(choices=list(LEVELS))
    title = serializers.CharField()


class TextureSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    path = serializers.CharField()
    version = serializers.IntegerField()
    kind = MapKindSerializer(allow_null=True)
    kind_word = serializers.CharField(allow_blank=True)
    member = SetMemberSerializer()
    assignment = AssignmentSerializer()
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    format = serializers.CharField()
    bit_depth = serializers.CharField()
    size = serializers.IntegerField()
    thumbnail = serializers.CharField()
    findings = TextureFindingSerializer(many=True)


class TexturesQuery(serializers.Serializer):
    """What the list is narrowed to, and which part of it is wanted."""

    sought = serializers.CharField(default="", max_length=200, allow_blank=True)
    kind = serializers.CharField(default="", max_length=40, allow_blank=True)
    space = serializers.CharField(default="", max_length=200, allow_blank=True)
    reason = serializers.CharField(default="", max_length=600, allow_blank=True)
    finding = serializers.CharField(default="", max_length=60, allow_blank=True)
    set = serializers.CharField(default="", max_length=1024, allow_blank=True)


class TexturePageQuery(TexturesQuery, PageQuery):
    pass


class SetSerializer(serializers.Serializer):
    """A set of several files. Tiles, frames and resolutions are given by their first and last, empty for none."""

    key = serializers.CharField(source="set_key")
    name = serializers.CharField()
    files = serializers.IntegerField()
    kinds = serializers.IntegerField()
    first_tile = serializers.CharField(allow_blank=True)
    last_tile = serializers.CharField(allow_blank=True)
    first_frame = serializers.CharField(allow_blank=True)
    last_frame = serializers.CharField(allow_blank=True)
    first_resolution = serializers.CharField(allow_blank=True)
    last_resolution = serializers.CharField(allow_blank=True)


class TexturePageSerializer(serializers.Serializer):
    """Some of the files that the list is narrowed to, by set and path, and the sets among them: `total` are in the
    list, `every` in the project, `unchecked` still to be checked."""

    total = serializers.IntegerField()
    every = serializers.IntegerField()
    unchecked = serializers.IntegerField()
    offset = serializers.IntegerField()
    textures = TextureSerializer(many=True)
    sets = SetSerializer(many=True)


class ChoiceSerializer(serializers.Serializer):
    value = serializers.CharField()
    label = serializers.CharField()
    count = serializers.IntegerField()


class ChoicesSerializer(serializers.Serializer):
    """What a list can be narrowed to, with how many files each leaves."""

    kinds = ChoiceSerializer(many=True)
    spaces = ChoiceSerializer(many=True)
    reasons = ChoiceSerializer(many=True)
    findings = ChoiceSerializer(many=True)
    sets = ChoiceSerializer(many=True)


class TextureIdSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    version = serializers.IntegerField()


class SummarySerializer(ChoicesSerializer):
    """What `chosen` files are, all together; `pinned` are those with a pin."""

    chosen = TextureIdSerializer(many=True)
    files = serializers.IntegerField()
    with_finding = serializers.IntegerField()
    pinned = TextureIdSerializer(many=True)


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
    favours = serializers.CharField(allow_blank=True)
    against = serializers.CharField(allow_blank=True)
    weight = serializers.FloatField()


class CandidateSerializer(serializers.Serializer):
    space = serializers.CharField(allow_null=True)
    holds = serializers.CharField(source="holds_in_words")
    probability = serializers.FloatField()


class VerdictSerializer(serializers.Serializer):
    """The space that the file speaks for, null while it is undecided, and how probable it is, 0–1; what the file likely
    holds; and, while undecided, the likeliest candidates with the question that would settle it."""

    space = serializers.CharField(allow_null=True)
    confidence = serializers.FloatField()
    holds = serializers.CharField(allow_blank=True)
    candidates = CandidateSerializer(many=True)
    question = serializers.CharField(allow_blank=True)
    primaries_are_assumed = serializers.BooleanField()


class TextureDetailSerializer(TextureSerializer):
    packed = serializers.ListField(child=serializers.CharField())
    evidence = EvidenceSerializer(many=True)
    verdict = VerdictSerializer()
    facts = FactSerializer(many=True)
    header = FactSerializer(many=True)
    why = RuleTraceSerializer(many=True)
    pin_note = serializers.CharField(allow_blank=True)
    pin_author = serializers.CharField(allow_blank=True)
    kind_by_hand = serializers.CharField(allow_blank=True)


class PinChange(BasedOn):
    space = serializers.CharField(max_length=200, allow_blank=True)
    note = serializers.CharField(max_length=500, allow_blank=True, default="")


class KindChange(BasedOn):
    """The key of a map kind; an empty one lets the name tell again."""

    kind = serializers.CharField(max_length=40, allow_blank=True)


class PinningSerializer(BasedOn):
    """A pin to set, or with an empty space to take away; `based_on` is the texture's version."""

    texture = serializers.IntegerField()
    space = serializers.CharField(max_length=200, allow_blank=True)
    note = serializers.CharField(max_length=500, allow_blank=True, default="")


MAX_AT_ONCE = 100_000


class PinningsRequest(serializers.Serializer):
    pins = PinningSerializer(many=True, max_length=MAX_AT_ONCE)


class IntakeStart(serializers.Serializer):
    """What becomes of files whose path a texture of the project has."""

    taken = serializers.ChoiceField(choices=TAKEN, default=REPLACE)


class ChosenTextures(serializers.Serializer):
    """Textures of the project by their ids; all where none are named."""

    textures = serializers.ListField(child=serializers.IntegerField(), max_length=MAX_AT_ONCE, default=list)


class RulesRunSerializer(RereadSerializer):
    """What the rules would say of `asked` textures without their pins, of which there are `pins`."""

    asked = serializers.IntegerField()
    pins = serializers.IntegerField()


class IntakeSerializer(serializers.Serializer):
    id = serializers.IntegerField()


class IntakeUpload(serializers.Serializer):
    """Files with the path of each in the project, in the same order."""

    file = serializers.ListField(child=serializers.FileField(max_length=1024, allow_empty_file=True), max_length=500)
    path = serializers.ListField(child=serializers.CharField(max_length=4096), max_length=500)

    def validate(self, attrs: dict[str, Any]) -> dict[str, Any]:
        if len(attrs["file"]) != len(attrs["path"]):
            raise serializers.ValidationError("Send one path with each file.")
        return attrs


class FolderRequest(serializers.Serializer):
    place = serializers.CharField(max_length=4096)


class FolderSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    place = serializers.CharField()
    files = serializers.IntegerField()


class DocumentedFileSerializer(serializers.Serializer):
    path = serializers.CharField()
    said = serializers.CharField(allow_blank=True)
    where = serializers.CharField()


class DisagreementSerializer(serializers.Serializer):
    """A file that a material document names, beside the texture it is; `agrees` where both read it alike."""

    file = DocumentedFileSerializer()
    texture = serializers.CharField(allow_blank=True)
    said_space = serializers.CharField(allow_null=True)
    assigned = serializers.CharField(allow_blank=True)
    agrees = serializers.BooleanField()
    why = serializers.CharField(allow_blank=True)


class PictureQuery(serializers.Serializer):
    """`space` draws the file as read in that space, `display` and `view` through the inverse of that view; without, as
    it is assigned."""

    space = serializers.CharField(required=False)
    display = serializers.CharField(required=False)
    view = serializers.CharField(required=False)
    size = serializers.IntegerField(min_value=16, max_value=2048, default=96)


class ViewQuery(serializers.Serializer):
    display = serializers.CharField(max_length=200)
    view = serializers.CharField(max_length=200)


class ReadThroughView(BasedOn, ViewQuery):
    pass


def channel_values() -> serializers.ListField:
    return serializers.ListField(child=serializers.FloatField(allow_null=True))


class ReadingSerializer(serializers.Serializer):
    """A sample of the file as scene light in the working space; shares are 0–1."""

    low = channel_values()
    median = channel_values()
    high = channel_values()
    peak = channel_values()
    above_one = serializers.FloatField()
    below_zero = serializers.FloatField()


class HistogramSerializer(serializers.Serializer):
    in_stops = serializers.BooleanField()
    lowest = serializers.FloatField()
    highest = serializers.FloatField()
    channels = serializers.ListField(child=serializers.ListField(child=serializers.FloatField()))


class SpaceQuery(serializers.Serializer):
    space = serializers.CharField(max_length=200)


class StudySerializer(serializers.Serializer):
    """What a file comes to when it is read in a space."""

    space = serializers.CharField()
    reading = ReadingSerializer()
    histogram = HistogramSerializer()
    colours = PointSerializer(many=True)
    gamuts = NamedPrimariesSerializer(many=True)


class UndoneSerializer(serializers.Serializer):
    """What a file comes to through the inverse of a view, and whether it may."""

    reading = ReadingSerializer()
    right = serializers.BooleanField()
    says = serializers.CharField()


class PixelQuery(serializers.Serializer):
    """A pixel, counted from the upper left, and the spaces to read it in."""

    x = serializers.IntegerField(min_value=0)
    y = serializers.IntegerField(min_value=0)
    sample = serializers.IntegerField(min_value=1, max_value=64, default=1)
    space = serializers.ListField(child=serializers.CharField(max_length=200), min_length=1, max_length=4)


class PixelReadingSerializer(serializers.Serializer):
    space = serializers.CharField()
    light = channel_values()
    shown = channel_values()


class PixelSerializer(serializers.Serializer):
    """A pixel as stored, and for each space as scene light and as the project's view shows it, 0–1."""

    stored = channel_values()
    readings = PixelReadingSerializer(many=True)
