"""The JSON of the scene: swatches, lights, the rig, renders."""

from typing import Any

from rest_framework import serializers

from saltwort.core.findings import LEVELS
from saltwort.core.scene.appearance import REMEDIES
from saltwort.core.scene.decisions import LIGHTS
from saltwort.core.scene.reflectances import USES
from saltwort.core.spaces.typed import COLORIMETRIC, UNITS
from saltwort.server.http import BasedOn
from saltwort.server.jobs.models import WAITING
from saltwort.server.projects.config_serializers import PrimariesSerializer
from saltwort.server.projects.serializers import ChangeSerializer, FindingSerializer
from saltwort.server.scene.models import IN, REFUSED
from saltwort.server.textures.serializers import EvidenceSerializer, VerdictSerializer


def triple() -> serializers.ListField:
    """Three numbers, red green blue; null where one is not finite."""
    return serializers.ListField(child=serializers.FloatField(allow_null=True), min_length=3, max_length=3)


def pair() -> serializers.ListField:
    return serializers.ListField(child=serializers.FloatField(), min_length=2, max_length=2)


class TypedSerializer(serializers.Serializer):
    """A colour as typed. One of a colorimetric unit needs no space."""

    space = serializers.CharField(max_length=200, allow_blank=True)
    unit = serializers.ChoiceField(choices=list(UNITS))
    text = serializers.CharField(max_length=100)


class AppearanceFields(serializers.Serializer):
    """Where a colour must appear as given, and the stops of neutral light on it: at 0 a perfect white is 1."""

    display = serializers.CharField(max_length=200)
    view = serializers.CharField(max_length=200)
    look = serializers.CharField(max_length=200, allow_blank=True, default="")
    stops = serializers.FloatField(default=0.0)


class SwatchChange(BasedOn, TypedSerializer):
    """A swatch to add, or to put in the place of the one called `was`. With `appears` its numbers are code values of
    that display, and `space` is ignored."""

    was = serializers.CharField(max_length=80, allow_blank=True, default="")
    name = serializers.CharField(max_length=80)
    use = serializers.ChoiceField(choices=USES, default=USES[0])
    appears = AppearanceFields(allow_null=True, default=None)


class SwatchNames(BasedOn):
    names = serializers.ListField(child=serializers.CharField(max_length=80), min_length=1)


class DisplayGamutSerializer(serializers.Serializer):
    display = serializers.CharField()
    light = triple()
    holds = serializers.BooleanField()


class ColourFactsSerializer(serializers.Serializer):
    xy = pair()
    uv = pair()
    luminance = serializers.FloatField()
    stops = serializers.FloatField(allow_null=True)
    displays = DisplayGamutSerializer(many=True)


class RemedySerializer(serializers.Serializer):
    kind = serializers.ChoiceField(choices=REMEDIES)
    says = serializers.CharField()
    stops = serializers.FloatField(allow_null=True)
    display = serializers.CharField(allow_blank=True)
    view = serializers.CharField(allow_blank=True)


class SolvedSerializer(serializers.Serializer):
    """A colour as asked for and as it comes out, in code values of its display, how far apart they look, and what would
    let it appear as asked for where it cannot. `working`: what lies in the scene, in the working space. `why`: what it
    would need; empty where it is held. `on_screen`: both as an sRGB screen shows them."""

    wish = triple()
    shown = triple()
    on_screen = serializers.ListField(child=triple(), min_length=2, max_length=2)
    difference = serializers.FloatField()
    metric = serializers.CharField()
    is_held = serializers.BooleanField()
    why = serializers.CharField(allow_blank=True)
    working = triple()
    remedies = RemedySerializer(many=True)


class AppearanceQuery(AppearanceFields):
    unit = serializers.ChoiceField(choices=list(UNITS))
    text = serializers.CharField(max_length=100)
    use = serializers.ChoiceField(choices=USES, default=USES[0])


class SwatchSerializer(TypedSerializer):
    """`working`, `shown` and `facts` are null when the config no longer has the swatch's space or view. With `appears`
    the numbers are code values of its display."""

    name = serializers.CharField()
    use = serializers.ChoiceField(choices=USES)
    appears = AppearanceFields(allow_null=True)
    working = triple()
    shown = triple()
    facts = ColourFactsSerializer(allow_null=True)


class LightFields(serializers.Serializer):
    name = serializers.ChoiceField(choices=LIGHTS)
    colour = TypedSerializer()
    swatch = serializers.CharField(max_length=80, allow_blank=True, default="")
    intensity = serializers.FloatField()
    stops = serializers.FloatField()
    muted = serializers.BooleanField(default=False)


class LightsChange(BasedOn):
    lights = LightFields(many=True)


class LightSerializer(LightFields):
    """A light with its colour in the working space, and as a display shows it, brightest channel full."""

    working = triple()
    shown = triple()
    facts = ColourFactsSerializer(allow_null=True)


class ReferenceSerializer(serializers.Serializer):
    """A measured reflectance in the working space."""

    name = serializers.CharField()
    use = serializers.CharField()
    working = triple()
    shown = triple()
    luminance = serializers.FloatField()
    lowest = serializers.FloatField()
    highest = serializers.FloatField()
    source = serializers.CharField()
    text = serializers.CharField()


class MeaningQuery(serializers.Serializer):
    """Numbers as typed, in a unit that is a code value."""

    unit = serializers.ChoiceField(choices=[unit for unit in UNITS if unit not in COLORIMETRIC])
    text = serializers.CharField(max_length=100)


class MeaningSerializer(serializers.Serializer):
    way = serializers.CharField()
    light = triple()
    reason = serializers.CharField(allow_blank=True)


class SlotSerializer(serializers.Serializer):
    """A place on the rig: the texture or swatch chosen for it, empty where the rig's own colour stands, and the space
    that a texture is read in."""

    name = serializers.CharField()
    label = serializers.CharField()
    group = serializers.CharField()
    takes_swatch = serializers.BooleanField()
    path = serializers.CharField(allow_blank=True)
    space = serializers.CharField(allow_blank=True)


class MistakeSerializer(serializers.Serializer):
    name = serializers.CharField()
    label = serializers.CharField()
    shows = serializers.CharField()
    finding = serializers.CharField()


class ToneMappingSerializer(serializers.Serializer):
    name = serializers.CharField()
    label = serializers.CharField()
    breaks = serializers.CharField()


class SampleSerializer(serializers.Serializer):
    name = serializers.CharField()
    space = serializers.CharField()
    numbers = triple()
    decoded = serializers.BooleanField()
    light = triple()
    rendered = triple()
    shown = triple()


class SamenessSerializer(serializers.Serializer):
    samples = SampleSerializer(many=True)
    same = serializers.BooleanField()
    says = serializers.CharField()


class RigSerializer(serializers.Serializer):
    """The rig as it is set up, the quality of the best picture of it, and what can be done wrong on it. `version` names
    all that a picture depends on."""

    swatch = serializers.CharField(allow_blank=True)
    slots = SlotSerializer(many=True)
    mistakes = MistakeSerializer(many=True)
    mappings = ToneMappingSerializer(many=True)
    version = serializers.CharField()
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    samples = serializers.IntegerField()


class RigInputSerializer(serializers.Serializer):
    slot = serializers.CharField()
    path = serializers.CharField(max_length=1024)


class RigChange(BasedOn):
    swatch = serializers.CharField(max_length=80, allow_blank=True)
    inputs = RigInputSerializer(many=True)


class LightStops(serializers.Serializer):
    light = serializers.CharField()
    stops = serializers.FloatField()


class AskedFields(serializers.Serializer):
    """How the rig is to be shown. `stops` is written `key:1.5,flame:-2`, `muted` is a list of lights with commas."""

    mistake = serializers.CharField(allow_blank=True, default="")
    mapping = serializers.CharField(allow_blank=True, default="")
    white = serializers.FloatField(default=4.0)
    stops = serializers.CharField(allow_blank=True, default="")
    solo = serializers.CharField(allow_blank=True, default="")
    muted = serializers.CharField(allow_blank=True, default="")


class RenderRequest(AskedFields):
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    samples = serializers.IntegerField()


class JudgedSerializer(serializers.Serializer):
    name = serializers.CharField()
    mean = serializers.FloatField()
    worst = serializers.FloatField()
    pixels = serializers.IntegerField()


class SpaceJudgedSerializer(serializers.Serializer):
    space = serializers.CharField()
    whole = JudgedSerializer()
    surfaces = JudgedSerializer(many=True)
    lights = JudgedSerializer(many=True)


class SpectralSerializer(serializers.Serializer):
    """Working spaces beside the spectral picture, the nearest first; none while it was not rendered."""

    spaces = SpaceJudgedSerializer(many=True)


class SpotSerializer(serializers.Serializer):
    x = serializers.IntegerField()
    y = serializers.IntegerField()
    difference = serializers.FloatField()
    body = serializers.CharField()


class ColourChangeSerializer(serializers.Serializer):
    """A colour in the working space before and after. `says` tells what becomes of it, or is empty."""

    kind = serializers.CharField()
    name = serializers.CharField()
    before = triple()
    after = triple()
    says = serializers.CharField(allow_blank=True)
    level = serializers.ChoiceField(choices=LEVELS)


class RigDifferenceSerializer(serializers.Serializer):
    whole = JudgedSerializer()
    surfaces = JudgedSerializer(many=True)
    spots = SpotSerializer(many=True)
    width = serializers.IntegerField()
    height = serializers.IntegerField()


class WorkingSpaceChangeSerializer(serializers.Serializer):
    colours = ColourChangeSerializer(many=True)
    textures = ChangeSerializer(many=True)
    stations = serializers.ListField(child=serializers.CharField())
    new_findings = FindingSerializer(many=True)
    gone_findings = FindingSerializer(many=True)
    rig = RigDifferenceSerializer()


class SpaceQuery(serializers.Serializer):
    space = serializers.CharField(max_length=200, required=False)


class DisplayCoveredSerializer(serializers.Serializer):
    display = serializers.CharField()
    primaries = PrimariesSerializer()
    covered = serializers.FloatField()


class MatrixSerializer(serializers.Serializer):
    space = serializers.CharField()
    to = serializers.ListField(child=triple())
    back = serializers.ListField(child=triple())


class WorkingSpaceSerializer(serializers.Serializer):
    name = serializers.CharField()
    primaries = PrimariesSerializer()
    imaginary = serializers.ListField(child=serializers.CharField())
    pointer_covered = serializers.FloatField()
    displays = DisplayCoveredSerializer(many=True)
    matrices = MatrixSerializer(many=True)
    stations = serializers.ListField(child=serializers.CharField())


class SequenceSerializer(serializers.Serializer):
    """What there is of a sequence: its first and last frame, how many are read, wait, or cannot be read, and which are
    missing between them, in words. `frame` is the one looked at."""

    frame = serializers.IntegerField()
    first = serializers.IntegerField()
    last = serializers.IntegerField()
    step = serializers.IntegerField()
    read = serializers.IntegerField()
    waiting = serializers.IntegerField()
    refused = serializers.IntegerField()
    missing = serializers.CharField(allow_blank=True)
    in_place = serializers.BooleanField()


class SequenceRequest(serializers.Serializer):
    """Frames in a folder of this machine, or those that were sent into an intake."""

    place = serializers.CharField(max_length=4096, required=False)
    intake = serializers.IntegerField(required=False)

    def validate(self, attrs: dict[str, Any]) -> dict[str, Any]:
        if len(attrs) != 1:
            raise serializers.ValidationError("Name a folder, or the files that were sent.")
        return attrs


class FrameSerializer(serializers.Serializer):
    """See FrameFacts. `image` is the same as long as the picture is."""

    image = serializers.CharField(allow_blank=True)
    number = serializers.IntegerField()
    name = serializers.CharField()
    state = serializers.ChoiceField(choices=(WAITING, IN, REFUSED))
    reason = serializers.CharField(allow_blank=True)
    peak = serializers.FloatField(allow_null=True)
    non_finite = serializers.IntegerField()
    differs = serializers.CharField(allow_blank=True)


class RenderSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    version = serializers.IntegerField()
    space = serializers.CharField()
    told_by = serializers.CharField()
    layer = serializers.CharField(allow_blank=True)
    layers = serializers.ListField(child=serializers.CharField(allow_blank=True))
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    window = serializers.CharField(allow_blank=True)
    bit_depth = serializers.CharField()
    peak = serializers.FloatField(allow_null=True)
    above_one = serializers.FloatField()
    below_zero = serializers.FloatField()
    non_finite = serializers.IntegerField()
    made_by = serializers.CharField(allow_blank=True)
    evidence = EvidenceSerializer(many=True)
    verdict = VerdictSerializer()
    thumbnail = serializers.CharField()
    image = serializers.CharField()
    sequence = SequenceSerializer(allow_null=True)


class RenderChange(BasedOn):
    """Each may be left out. `frame` is another of a sequence to look at."""

    space = serializers.CharField(max_length=200, allow_blank=True, required=False)
    layer = serializers.CharField(max_length=255, allow_blank=True, required=False)
    frame = serializers.IntegerField(min_value=0, required=False)


class MarkedSerializer(serializers.Serializer):
    name = serializers.CharField()
    channels = triple()
    all_channels = serializers.FloatField()
    bright_with_detail = serializers.FloatField(allow_null=True)
