"""Take image files in."""

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path, PurePath
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
from django.conf import settings
from django.core.files.uploadedfile import UploadedFile
from numpy.typing import NDArray

from saltwort.core.arrays import read_arrays
from saltwort.core.errors import BadInput
from saltwort.core.files import check_room
from saltwort.core.images import intake
from saltwort.server.images.models import StoredImage, image_store, media_file


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
    taken = intake.take_in(path, PurePath(name).name, image_store(), copy=not in_place)
    place = {"place": str(path), "modified": taken.modified} if in_place else {"place": "", "modified": 0}
    return {
        "sha256": taken.sha256,
        "suffix": taken.suffix,
        "size": taken.size,
        "facts": taken.facts,
        **place,
    }


def stored_image(fields: dict[str, Any]) -> StoredImage:
    """The row of what `take_in` took."""
    return stored_images({"": fields})[""]


def stored_images(taken: Mapping[str, dict[str, Any]]) -> dict[str, StoredImage]:
    """The rows of what `take_in` took, under the same names. A copy in the media folder is better than a place that
    others may change; of two places the newer stands."""
    by_hash = {fields["sha256"]: fields for fields in taken.values()}
    known = StoredImage.objects.in_bulk(list(by_hash))
    fresh = {sha256: StoredImage(**fields) for sha256, fields in by_hash.items() if sha256 not in known}
    StoredImage.objects.bulk_create(fresh.values(), ignore_conflicts=True)
    for sha256, image in known.items():
        fields = by_hash[sha256]
        if image.place and (image.place, image.modified) != (fields["place"], fields["modified"]):
            image.place, image.modified = fields["place"], fields["modified"]
            image.save(update_fields=("place", "modified"))
    images = {**known, **fresh}
    return {name: images[fields["sha256"]] for name, fields in taken.items()}


def store_upload(upload: UploadedFile) -> StoredImage:
    """The same as `store_file` for a file that a browser sent."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / "upload"
        write_upload(upload, path)
        return store_file(path, upload.name)


def write_upload(upload: UploadedFile, path: Path) -> None:
    """Write what a browser sent to disk. Raises BadInput for what is too large, or does not fit."""
    if upload.size > settings.MAX_UPLOAD_BYTES:
        raise BadInput(f"{upload.name} is larger than {settings.MAX_UPLOAD_BYTES >> 30} GB. Import a smaller version.")
    check_room(path.parent, upload.size)
    with path.open("wb") as file:
        for chunk in upload.chunks():
            file.write(chunk)


def preview_of(image: StoredImage) -> Preview:
    """The preview of a picture; made again where there is none."""
    path = media_file(image.sha256, intake.PREVIEW_SUFFIX)
    if not path.exists():
        intake.keep_preview(image_store(), image.sha256, intake.survey_apart(image.file, image.file.name))
    kept = read_arrays(path)
    return Preview(kept["thumbnail"].astype(np.float32), kept["sample"])
