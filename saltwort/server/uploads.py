"""The forms in which a browser sends files."""

from django.core.files.uploadedfile import UploadedFile
from rest_framework import serializers

from saltwort.core.configs.archives import MAX_UNPACKED_BYTES
from saltwort.core.errors import BadInput


class PlainFile(serializers.Serializer):
    """A file to look at."""

    file = serializers.FileField()


class SwatchUpload(PlainFile):
    """A file whose swatches are added to the project as it stands at a revision."""

    based_on = serializers.IntegerField(min_value=0)


class TextureUpload(serializers.Serializer):
    """One file and the path it has in the project."""

    file = serializers.FileField(max_length=1024)
    path = serializers.CharField(max_length=1024)


class RenderUpload(serializers.Serializer):
    file = serializers.FileField()


def read_upload(upload: UploadedFile) -> bytes:
    """The content of an uploaded config, look or document. Raises BadInput for one that is too large to be either."""
    if upload.size > MAX_UNPACKED_BYTES:
        raise BadInput(
            f"{upload.name} is larger than {MAX_UNPACKED_BYTES // 1_000_000} MB, too large for what it is to be."
        )
    return upload.read()
