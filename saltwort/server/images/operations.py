"""Take image files in."""

import shutil
from dataclasses import asdict, dataclass
from hashlib import file_digest
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
from django.conf import settings
from django.core.files.uploadedfile import UploadedFile
from numpy.typing import NDArray

from saltwort.core.errors import BadInput
from saltwort.core.files import replacing
from saltwort.core.images import Survey, survey
from saltwort.core.images.formats import sniff
from saltwort.server.images.models import StoredImage, media_file

LARGEST_HALF = np.finfo(np.float16).max
PREVIEW_SUFFIX = ".npz"


@dataclass(frozen=True)
class Preview:
    """What is kept of a picture for quick looks: `thumbnail`, float32 RGB, and `sample`, float32 (pixels, channels),
    both in the numbers as stored."""

    thumbnail: NDArray[np.float32]
    sample: NDArray[np.float32]


def store_file(path: Path, name: str) -> StoredImage:
    """Copy a file into the media folder under its content's hash, and measure it.

    The same content comes back as the same row. Raises BadInput, and keeps nothing, when it is no whole image; the
    sentence calls the file by `name`.
    """
    return stored_image(take_in(path, name, in_place=False))


def take_in(path: Path, name: str, *, in_place: bool) -> dict[str, Any]:
    """Measure a file and keep it, or, `in_place`, only its preview; gives the fields of its row. Does not touch the
    database, so that it can run anywhere. Raises BadInput as `store_file` does."""
    try:
        suffix = sniff(path).suffix
        status = path.stat()
        with path.open("rb") as file:
            sha256 = file_digest(file, "sha256").hexdigest()
        found = survey(path)
    except BadInput as error:
        raise BadInput(str(error).replace(path.name, Path(name).name)) from error
    except OSError as error:
        raise BadInput(f"{Path(name).name} cannot be read: {error.strerror}.") from error
    kept = media_file(sha256, suffix)
    if not in_place and not kept.exists():
        with replacing(kept) as temporary:
            shutil.copyfile(path, temporary)
    _keep_preview(sha256, found)
    place = {"place": str(path), "modified": status.st_mtime_ns} if in_place else {"place": "", "modified": 0}
    return {"sha256": sha256, "suffix": suffix, "size": status.st_size, "facts": asdict(found.facts), **place}


def stored_image(fields: dict[str, Any]) -> StoredImage:
    """The row of what `take_in` took. A copy in the media folder is better than a place that others may change; of two
    places the newer stands."""
    image, made = StoredImage.objects.get_or_create(sha256=fields["sha256"], defaults=fields)
    if not made and image.place and (image.place, image.modified) != (fields["place"], fields["modified"]):
        image.place, image.modified = fields["place"], fields["modified"]
        image.save(update_fields=("place", "modified"))
    return image


def store_upload(upload: UploadedFile) -> StoredImage:
    """The same as `store_file` for a file that a browser sent."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / "upload"
        write_upload(upload, path)
        return store_file(path, upload.name)


def write_upload(upload: UploadedFile, path: Path) -> None:
    """Write what a browser sent to disk. Raises BadInput for what is too large."""
    if upload.size > settings.MAX_UPLOAD_BYTES:
        raise BadInput(f"{upload.name} is larger than {settings.MAX_UPLOAD_BYTES >> 30} GB. Bring a smaller version.")
    with path.open("wb") as file:
        for chunk in upload.chunks():
            file.write(chunk)


def preview_of(image: StoredImage) -> Preview:
    """The preview of a picture; made again where there is none."""
    path = media_file(image.sha256, PREVIEW_SUFFIX)
    if not path.exists():
        _keep_preview(image.sha256, survey(image.file))
    with np.load(path) as kept:
        return Preview(kept["thumbnail"].astype(np.float32), kept["sample"])


def _keep_preview(sha256: str, found: Survey) -> None:
    # Shown in 8 bits, so halves are enough for the thumbnail.
    thumbnail = np.clip(np.nan_to_num(found.thumbnail), -LARGEST_HALF, LARGEST_HALF).astype(np.float16)
    with replacing(media_file(sha256, PREVIEW_SUFFIX)) as temporary:
        np.savez(temporary, thumbnail=thumbnail, sample=found.sample)
