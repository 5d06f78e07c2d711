"""The JSON of conversions."""

from rest_framework import serializers

from saltwort.core.textures.conversion_plans import DEFAULT_PATTERN, FORMATS
from saltwort.core.textures.gloss import SORTS
from saltwort.server.jobs.views import JobSerializer
from saltwort.server.textures.serializers import ChosenTextures


class OrderSerializer(ChosenTextures):
    """What to convert, and how; `place` is a folder of the machine, empty for a zip to fetch. `data_layers` and
    `colour_layers` are names with commas, of layers that are otherwise treated as the other. `flip_green` is for
    normal maps whose green points down; with `roughness_as` maps of the other sort are inverted, and called so."""

    space = serializers.CharField(max_length=200)
    format = serializers.ChoiceField(choices=list(FORMATS))
    pattern = serializers.CharField(max_length=200, default=DEFAULT_PATTERN)
    place = serializers.CharField(max_length=4096, allow_blank=True, default="")
    data_layers = serializers.CharField(max_length=2000, allow_blank=True, default="")
    colour_layers = serializers.CharField(max_length=2000, allow_blank=True, default="")
    flip_green = serializers.BooleanField(default=False)
    roughness_as = serializers.ChoiceField(choices=["", *SORTS], allow_blank=True, default="")


class FormatSerializer(serializers.Serializer):
    key = serializers.CharField()
    label = serializers.CharField()


class PlannedFileSerializer(serializers.Serializer):
    """`clipped`, `negative`, `not_finite` and `hidden` are shares of a sample; `lost` is told in the source's own
    numbers, and in `steps` of its bits where it holds integers; `notes` are sentences."""

    path = serializers.CharField()
    target = serializers.CharField()
    source_space = serializers.CharField()
    space = serializers.CharField()
    refused = serializers.CharField(allow_blank=True)
    clipped = serializers.FloatField(allow_null=True)
    negative = serializers.FloatField(allow_null=True)
    not_finite = serializers.FloatField(allow_null=True)
    hidden = serializers.FloatField(allow_null=True)
    notes = serializers.ListField(child=serializers.CharField())
    lost = serializers.FloatField(allow_null=True)
    steps = serializers.FloatField(allow_null=True)
    bit_depth = serializers.CharField()
    bytes = serializers.IntegerField()


class PlanSerializer(serializers.Serializer):
    """What an order would do: how many files, of which some cannot be made, clip, or fall outside the gamut. `files`
    are those that lose most; an order may be too long to list."""

    count = serializers.IntegerField()
    refused = serializers.IntegerField()
    clipped = serializers.IntegerField()
    outside = serializers.IntegerField()
    files = PlannedFileSerializer(many=True)
    bytes = serializers.IntegerField()
    bytes_free = serializers.IntegerField()


class FiguresSerializer(serializers.Serializer):
    """What was measured once a file was read back; `data` are the layers that passed as they are, with the reason."""

    largest_error = serializers.FloatField()
    clipped = serializers.IntegerField()
    negative = serializers.IntegerField()
    not_finite = serializers.IntegerField(default=0)
    hidden = serializers.IntegerField(default=0)
    samples = serializers.IntegerField()
    size = serializers.IntegerField()
    data = serializers.DictField(child=serializers.CharField(), default=dict)


class ConvertedFileSerializer(serializers.Serializer):
    path = serializers.CharField()
    target = serializers.CharField()
    source_space = serializers.CharField()
    space = serializers.CharField()
    flips_green = serializers.BooleanField()
    inverts = serializers.BooleanField()
    state = serializers.CharField()
    reason = serializers.CharField(allow_blank=True)
    figures = FiguresSerializer(allow_null=True)


class ConvertedFilesSerializer(serializers.Serializer):
    """Some of the files of an order, those that could not be made first; `total` is how many it has."""

    total = serializers.IntegerField()
    files = ConvertedFileSerializer(many=True)


class ConversionSerializer(serializers.Serializer):
    """An order, with how many files it has, how many are made or refused, the bytes of those that are made, and how
    many textures of the project they may still replace (`usable`)."""

    id = serializers.IntegerField()
    space = serializers.CharField()
    format = serializers.CharField()
    place = serializers.CharField(allow_blank=True)
    revision = serializers.IntegerField()
    created = serializers.DateTimeField()
    job = JobSerializer(allow_null=True)
    count = serializers.IntegerField()
    converted = serializers.IntegerField()
    refused = serializers.IntegerField()
    usable = serializers.IntegerField()
    size = serializers.IntegerField()
