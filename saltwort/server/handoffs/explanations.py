"""Pictures that came back, explained and kept with the project, and what they look like once they are repaired."""

from pathlib import Path
from tempfile import TemporaryDirectory
from threading import Lock

import numpy as np
from cachetools import LRUCache
from django.core.files.uploadedfile import UploadedFile

from saltwort.core.engine.displays import NO_LIGHT, display_kind
from saltwort.core.errors import BadInput
from saltwort.core.explain.alignment import LIKELY, place, reduced
from saltwort.core.explain.explained import ANOTHER, Explained, explain, rescued
from saltwort.core.explain.files import check_size, is_video, rescue_file, straight_pixels
from saltwort.core.explain.pictures import Shown, shown, worst_spots
from saltwort.core.explain.question import LOSSY_DEPTH, Question, depth_of
from saltwort.core.images import encode_png, write_image
from saltwort.core.images.video_reading import video_frame
from saltwort.core.project import read_setup
from saltwort.server.handoffs.explaining import Wanted, light_of_render, question_of, told_of
from saltwort.server.handoffs.models import Explanation, Station
from saltwort.server.images.models import StoredImage
from saltwort.server.images.operations import store_file, store_upload, write_upload
from saltwort.server.projects.models import Project
from saltwort.server.scene.models import Render

MOST_KEPT = 100
"""Explanations of a project; older ones are forgotten."""
SHOWN_BYTES = 100_000_000
"""Of small pictures that are kept, so that they are not computed anew."""
WIDTH = 520
CAME, EXPECTED, REPAIRED, DIFFERENCE = "came", "expected", "repaired", "difference"
PICTURES = (CAME, EXPECTED, REPAIRED, DIFFERENCE)
WHITE_AT = 10.0
"""ΔE 2000 that is white in a picture of the difference."""


def explain_upload(
    render: Render,
    upload: UploadedFile,
    station: Station | None,
    *,
    expects_light: bool,
    frame: int = 1,
    author: str = "",
) -> Explanation:
    """Take in a picture that came back, or a frame of a video, counted from 1, and say what was done to it on its way
    from a render. Raises BadInput for what is no picture, and for a view that is no light of a display."""
    project = render.project
    image = _frame_of(upload, frame) if is_video(upload.name or "") else store_upload(upload)
    made = Explanation(
        project=project,
        station=station,
        render=render,
        image=image,
        name=(upload.name or "")[-200:],
        expects_light=expects_light,
        revision=project.current.number,
        author=author,
    )
    question, found = _explained(made)
    made.told = told_of(question, found, [station] if station else stations_of(project))
    made.told["sentence"] = _of_which_render(made, render, found) + made.told["sentence"]
    if is_video(made.name):
        made.told["frame"] = frame
    pictures = shown(question, found, WIDTH)
    made.told["worst"] = [
        {"x": round(x, 4), "y": round(y, 4), "de": round(value, 2)} for x, y, value in worst_spots(pictures.left)
    ]
    made.save()
    _keep(made, pictures)
    project.explanations.filter(pk__in=project.explanations.values_list("pk", flat=True)[MOST_KEPT:]).delete()
    return made


def _explained(made: Explanation) -> tuple[Question, Explained]:
    """The question of an explanation, and its answer: beside another render of the project where the image shows that
    one instead."""
    question = _asked(made)
    found = explain(question)
    if found.verdict != ANOTHER:
        return question, found
    asked, picture = made.render, reduced(question.picture)
    for render in made.project.renders.exclude(pk=asked.pk).select_related("image", "project__current"):
        made.render = render
        other = _asked(made)
        if place(reduced(other.light), picture).likeness > LIKELY:
            return other, explain(other)
    made.render = asked
    return question, found


def _of_which_render(made: Explanation, asked: Render, found: Explained) -> str:
    """What to say first where an image does not show the render that it was held against."""
    if made.render != asked:
        return f"This image does not show {asked.name}, but {made.render.name}. "
    if found.verdict == ANOTHER and made.project.renders.count() > 1:
        return f"This image shows neither {asked.name} nor another render of the project. "
    return ""


def _frame_of(upload: UploadedFile, frame: int) -> StoredImage:
    """A frame of a video that was sent, kept as a picture of 16 bits; the video is not kept."""
    with TemporaryDirectory() as folder:
        video = Path(folder) / f"video{Path(upload.name or '').suffix.lower()}"
        write_upload(upload, video)
        picture = video.with_suffix(".png")
        write_image(picture, video_frame(video, frame), "uint16")
        return store_file(picture, upload.name or picture.name)


def stations_of(project: Project) -> list[Station]:
    """All applications of a project, any of which may have done it."""
    return list(project.stations.select_related("project__current"))


def _asked(made: Explanation) -> Question:
    """The question of an explanation, at the revision it was asked at."""
    revision = made.project.revisions.get(number=made.revision)
    choice = read_setup(revision.setup).view
    header = made.image.measured().header
    check_size(header, made.name)
    question = question_of(
        revision,
        straight_pixels(made.image.file, header),
        LOSSY_DEPTH if is_video(made.name) else depth_of(header, made.image.suffix),
        light_of_render(made.render, revision),
        Wanted(choice, made.expects_light),
    )
    if display_kind(question.config, choice) == NO_LIGHT:
        raise BadInput("The project's view gives no light of a display. Choose another view, and try again.")
    return question


_shown: LRUCache[object, Shown] = LRUCache(SHOWN_BYTES, getsizeof=lambda made: min(4 * made.came.nbytes, SHOWN_BYTES))
_lock = Lock()


def _key(made: Explanation) -> object:
    return made.pk, made.image_id


def _keep(made: Explanation, pictures: Shown) -> None:
    with _lock:
        _shown[_key(made)] = pictures


def _pictures(made: Explanation) -> Shown:
    """The pictures of an answer, computed again where they are not at hand; all of one are asked for at once."""
    with _lock:
        if (kept := _shown.get(_key(made))) is None:
            question = _asked(made)
            kept = _shown[_key(made)] = shown(question, explain(question), WIDTH)
    return kept


def picture_of(made: Explanation, which: str) -> bytes:
    """One of PICTURES as PNG. Raises BadInput for a repaired one where it cannot be undone."""
    pictures = _pictures(made)
    if which == DIFFERENCE:
        left = np.clip(pictures.left / WHITE_AT, 0, 1)
        return encode_png(np.repeat(left[..., np.newaxis], 3, axis=2).astype(np.float32))
    chosen = {CAME: pictures.came, EXPECTED: pictures.expected, REPAIRED: pictures.repaired}[which]
    if chosen is None:
        raise BadInput("This picture cannot be undone into light, so there is none after the repair.")
    return encode_png(chosen)


def rescued_of(made: Explanation) -> tuple[str, bytes]:
    """The name and content of what a picture was before, as scene-linear EXR. Raises BadInput where it cannot be
    undone."""
    question = _asked(made)
    found = explain(question)
    rescued(question, found)  # refuses what cannot be
    with TemporaryDirectory() as folder:
        written = rescue_file(question, found, Path(made.name), Path(folder))
        assert written
        return Path(written).name, Path(written).read_bytes()


def lut_of(made: Explanation) -> tuple[str, bytes]:
    """The matrix and curves that come nearest to what was done to a picture that nothing known explains, as CLF. Raises
    BadInput for any other."""
    near = explain(_asked(made)).fitted
    if near is None:
        raise BadInput("What was done to this picture is known; only of what is not known there is a LUT.")
    return f"{Path(made.name).stem}_unknown.clf", near.as_clf()


def explanations_of(project: Project) -> list[Explanation]:
    """All that were kept, the last first."""
    return list(project.explanations.select_related("render", "station"))
