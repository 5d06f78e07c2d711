"""Pictures that came back, explained and kept with the project, and what they look like once they are repaired."""

from threading import Lock

import numpy as np
from cachetools import LRUCache
from django.core.files.uploadedfile import UploadedFile

from saltwort.core.engine.displays import NO_LIGHT, display_kind
from saltwort.core.errors import BadInput
from saltwort.core.explain.explained import Explained, Question, depth_of, explain
from saltwort.core.explain.pictures import apart, as_expected, as_repaired
from saltwort.core.images import encode_png, read_pixels, reduce_pixels
from saltwort.core.images.reading import Pixels
from saltwort.core.project import read_setup
from saltwort.server.handoffs.explaining import Wanted, check_size, light_of_render, question_of, told_of
from saltwort.server.handoffs.models import Explanation, Station
from saltwort.server.images.operations import store_upload
from saltwort.server.projects.models import Project
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
    revision = made.project.revisions.get(number=made.revision)
    choice = read_setup(revision.setup).view
    header = made.image.measured().header
    check_size(header, made.name)
    question = question_of(
        revision,
        read_pixels(made.image.file, alpha=True),
        depth_of(header, made.image.suffix),
        light_of_render(made.render, revision),
        Wanted(choice, made.expects_light),
    )
    if display_kind(question.config, choice) == NO_LIGHT:
        raise BadInput("The project's view gives no light of a display. Choose another view, and try again.")
    return question


_answers: LRUCache[object, tuple[Question, Explained]] = LRUCache(
    ANSWER_BYTES, getsizeof=lambda answer: min(answer[0].picture.nbytes + answer[0].light.nbytes, ANSWER_BYTES)
)
_lock = Lock()


def _key(made: Explanation) -> object:
    return made.pk, made.image_id


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
    expected = _small(as_expected(question, found))
    if which == EXPECTED:
        return encode_png(expected)
    repaired = _small(as_repaired(question, found))
    if which == REPAIRED:
        return encode_png(repaired)
    left = np.clip(apart(question, repaired, expected) / WHITE_AT, 0, 1)
    return encode_png(np.repeat(left[..., np.newaxis], 3, axis=2).astype(np.float32))


def _small(pixels: Pixels) -> Pixels:
    return np.clip(reduce_pixels(np.nan_to_num(pixels, posinf=1.0), WIDTH), 0, 1)


def explanations_of(project: Project) -> list[Explanation]:
    """All that were kept, the last first."""
    return list(project.explanations.select_related("render", "station"))
