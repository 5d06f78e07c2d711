"""Take image files in."""

import shutil
from dataclasses import asdict
from hashlib import file_digest
from pathlib import Path
from tempfile import TemporaryDirectory

from django.conf import settings
from django.core.files.uploadedfile import UploadedFile

from saltwort.core.errors import BadInput
from saltwort.core.files import replacing
from saltwort.core.images import measure
from saltwort.core.images.formats import sniff
from saltwort.server.images.models import StoredImage


def store_file(path: Path, name: str) -> StoredImage:
    """Copy a file into the media folder under its content's hash, and measure it.

    The same content comes back as the same row. Raises BadInput, and keeps nothing, when it is no whole image; the
    sentence calls the file by `name`.
    """
    try:
        suffix = sniff(path).suffix
        with path.open("rb") as file:
            sha256 = file_digest(file, "sha256").hexdigest()
        known = StoredImage.objects.filter(sha256=sha256).first()
        if known:
            return known
        image = StoredImage(sha256=sha256, suffix=suffix, size=path.stat().st_size, facts=asdict(measure(path)))
    except BadInput as error:
        raise BadInput(str(error).replace(path.name, name)) from error
    with replacing(image.file) as temporary:
        shutil.copyfile(path, temporary)
    return StoredImage.objects.get_or_create(sha256=sha256, defaults=_fields(image))[0]


def store_upload(upload: UploadedFile) -> StoredImage:
    """The same for a file that a browser sent."""
    if upload.size > settings.MAX_UPLOAD_BYTES:
        raise BadInput(f"{upload.name} is larger than {settings.MAX_UPLOAD_BYTES >> 30} GB. Bring a smaller version.")
    with TemporaryDirectory() as folder:
        path = Path(folder) / "upload"
        with path.open("wb") as file:
            for chunk in upload.chunks():
                file.write(chunk)
        return store_file(path, upload.name)


def _fields(image: StoredImage) -> dict[str, object]:
    return {"suffix": image.suffix, "size": image.size, "facts": image.facts}
