"""The forms in which a browser sends files."""

from rest_framework import serializers


class PlainFile(serializers.Serializer):
    """A file to look at."""

    file = serializers.FileField()


class TextureUpload(serializers.Serializer):
    """One file and the path it has in the project."""

    file = serializers.FileField(max_length=1024)
    path = serializers.CharField(max_length=1024)


class RenderUpload(serializers.Serializer):
    file = serializers.FileField()
