"""Pictures that came back, explained and kept with the project, and what they look like once they are repaired."""

from threading import Lock

import numpy as np
from cachetools import LRUCache
from django.core.files.uploadedfile import UploadedFile

from saltwort.core.engine.displays import NO_LIGHT, display_kind
from saltwort.core.errors import BadInput
from saltwort.core.explain.alignment import flipped
from saltwort.core.explain.explained import Explained, Question, depth_of, explain, rescued
from saltwort.core.images import encode_png, read_pixels
from saltwort.core.images.reading import Pixels
from saltwort.core.spaces.difference import delta_e_2000
from saltwort.core.views.tone import display_xyz
from saltwort.server.handoffs.explaining import MOST_PIXELS, Wanted, light_of_render, question_of, told_of
from saltwort.server.handoffs.models import Explanation, Station
from saltwort.server.images.models import StoredImage
from saltwort.server.images.operations import store_upload
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import current_setup
from saltwort.server.scene.models import Render

MOST_KEPT = 100
"""Explanations of a project; older ones are forgotten."""
ANSWER_BYTES = 500_000_000
"""Of pictures and light that are kept, so that what is drawn of them is not computed anew."""
WIDTH = 520
CAME, EXPECTED, REPAIRED, DIFFERENCE = "came", "expected", "repaired", "difference"
PICTURES = (CAME, EXPECTED, REPAIRED, DIFFERENCE)
WHITE_AT = 10.0
"""ΔE 2000 that is white in a picture of the difference."""


def explain_upload(
    render: Render, upload: UploadedFile, station: Station | None, *, expects_light: bool, author: str = ""
) -> Explanation:
    """Take in a picture that came back, and say what was done to it on its way from a render. Raises BadInput for what
    is no picture, and for a view that is no light of a display."""
    project = render.project
    image = store_upload(upload)
    made = Explanation(
        project=project,
        station=station,
        render=render,
        image=image,
        name=(upload.name or "")[:200],
        expects_light=expects_light,
        revision=project.current.number,
        author=author,
    )
    question = _asked(made)
    found = explain(question)
    made.told = told_of(found, station)
    made.save()
    _keep(made, question, found)
    project.explanations.filter(pk__in=project.explanations.values_list("pk", flat=True)[MOST_KEPT:]).delete()
    return made


def _asked(made: Explanation) -> Question:
    """The question of an explanation, at the revision it was asked at."""
    project = made.project
    choice = current_setup(project).view
    wanted = Wanted(choice, made.expects_light)
    pixels = _pixels(made.image)
    depth = depth_of(made.image.measured().header, made.image.suffix)
    question = question_of(project.current, pixels, depth, light_of_render(made.render), wanted)
    if display_kind(question.config, choice) == NO_LIGHT:
        raise BadInput("The project's view gives no light of a display. Choose another view, and try again.")
    return question


def _pixels(image: StoredImage) -> Pixels:
    width, height = image.measured().header.picture_size
    if width * height > MOST_PIXELS:
        raise BadInput(f"This picture is larger than {MOST_PIXELS // 1_000_000} million pixels.")
    return read_pixels(image.file, alpha=True)


_answers: LRUCache[object, tuple[Question, Explained]] = LRUCache(
    ANSWER_BYTES, getsizeof=lambda answer: min(answer[0].picture.nbytes + answer[0].light.nbytes, ANSWER_BYTES)
)
_lock = Lock()


def _key(made: Explanation) -> object:
    return made.pk, made.image_id, made.project.current.config_hash


def _keep(made: Explanation, question: Question, found: Explained) -> None:
    with _lock:
        _answers[_key(made)] = question, found


def _answer(made: Explanation) -> tuple[Question, Explained]:
    """The question and its answer again; all pictures of one explanation are asked for at once."""
    with _lock:
        if (kept := _answers.get(_key(made))) is None:
            question = _asked(made)
            kept = _answers[_key(made)] = question, explain(question)
    return kept


def picture_of(made: Explanation, which: str) -> bytes:
    """One of PICTURES as PNG. Raises BadInput for a repaired one where it cannot be undone."""
    question, found = _answer(made)
    if which == CAME:
        return encode_png(_small(question.picture[..., :3]))
    if which == EXPECTED:
        return encode_png(_small(_expected(question, found)))
    repaired = np.clip(question.scene.view()(rescued(question, found)), 0, 1)
    if which == REPAIRED:
        return encode_png(_small(repaired))
    apart = _apart(question, _small(repaired), _small(flipped(_expected(question, found), found.placement.flip)))
    return encode_png(np.repeat(np.clip(apart / WHITE_AT, 0, 1)[..., np.newaxis], 3, axis=2).astype(np.float32))


def _expected(question: Question, found: Explained) -> Pixels:
    """The light through the view, as large as the picture and where it lies."""
    height, width = question.picture.shape[:2]
    rows, columns = np.arange(height, dtype=float), np.arange(width, dtype=float)
    x, _ = found.placement.at(columns, np.zeros_like(columns))
    _, y = found.placement.at(np.zeros_like(rows), rows)
    inner_x = np.clip(np.round(x).astype(int), 0, question.light.shape[1] - 1)
    inner_y = np.clip(np.round(y).astype(int), 0, question.light.shape[0] - 1)
    light = np.ascontiguousarray(question.light[inner_y][:, inner_x][..., :3])
    return np.clip(question.scene.view()(light), 0, 1)


def _apart(question: Question, one: Pixels, other: Pixels) -> np.ndarray:
    xyz = (
        display_xyz(question.config, question.choice, codes.reshape(-1, 3).astype(np.float64)) for codes in (one, other)
    )
    return np.asarray(delta_e_2000(*xyz)).reshape(one.shape[:2])


def _small(pixels: Pixels) -> Pixels:
    step = max(1, -(-pixels.shape[1] // WIDTH))
    return np.ascontiguousarray(np.clip(np.nan_to_num(pixels[::step, ::step]), 0, 1), np.float32)


def explanations_of(project: Project) -> list[Explanation]:
    """All that were kept, the last first."""
    return list(project.explanations.select_related("render", "station"))
