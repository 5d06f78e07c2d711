"""Look at the frames that land in a folder: each once it is written to its end, and again when it has changed."""

import time
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio
from cachetools import LRUCache
from django.utils import timezone

from saltwort.core.engine import ViewChoice
from saltwort.core.engine.displays import NO_LIGHT, display_kind
from saltwort.core.errors import BadInput
from saltwort.core.explain.files import check_size, straight_pixels
from saltwort.core.explain.frames import (
    Earlier,
    Expectation,
    Note,
    figures_of,
    judged,
    judged_beside_its_render,
    light_of,
)
from saltwort.core.explain.operation import Scene
from saltwort.core.explain.question import Question, depth_of
from saltwort.core.explain.steps import Step, in_turn
from saltwort.core.images import Survey
from saltwort.core.images.intake import survey_apart
from saltwort.core.images.reading import Pixels
from saltwort.core.images.sequences import MOST_FRAMES, SUFFIXES, Frame, frame_of
from saltwort.core.project import read_setup
from saltwort.core.threads import CORES
from saltwort.server.handoffs.explaining import Wanted, light_of_render, question_of
from saltwort.server.images.models import StoredImage
from saltwort.server.images.operations import preview_of
from saltwort.server.kept import count_change
from saltwort.server.projects.models import Project, Revision
from saltwort.server.projects.setups import config_of
from saltwort.server.scene.models import Render
from saltwort.server.scene.operations import space_of
from saltwort.server.watching.models import LastLook, WatchedFolder, WatchedFrame
from saltwort.server.watching.series import is_blocked, noted_in

NEAREST = 24
"""Frames away that one may be to be held beside another."""
LIGHTS = 24
"""Frames whose light is at hand."""
FIRST_LAYER = ""
STILL_WRITING = 60.0
"""Seconds after its last change in which a file that cannot be read to its end may still be written."""
MOST_EARLIER = 6
"""Earlier revisions that frames may be of."""
SAME = 2e-3
_COLOURS = np.random.default_rng(4).random((1, 60, 3)).astype(np.float32) ** 2

Stamp = tuple[int, int]


@dataclass(frozen=True)
class Looked:
    """A file as it was looked at, and what was found: nothing where it cannot be read, with the reason."""

    frame: Frame
    stamp: Stamp
    found: Survey | None
    reason: str = ""


class Watch:
    """Looks at a folder again and again. What was seen is kept with the project, so that another one goes on where this
    one ends. A file is taken once it was the same in two looks, or has not changed for `quiet` seconds."""

    def __init__(self, folder: WatchedFolder, quiet: float) -> None:
        self.folder, self.quiet = folder, quiet
        self._before: dict[str, Stamp] = {}
        self._revision: int | None = None
        self._lights: LRUCache[int, Pixels | None] = LRUCache(LIGHTS)
        self._known: dict[str, Stamp] = {
            name: (size, modified) for name, size, modified in folder.frames.values_list("name", "size", "modified")
        }
        self._good = {
            (frame.stem, frame.number): frame.pk
            for frame in folder.frames.exclude(number=None)
            if frame.figures is not None and not is_blocked(frame.noted())
        }

    def look(self) -> Iterator[WatchedFrame]:
        """Look at what has landed or changed since. Raises BadInput for a folder that is gone, and what its own reading
        of the project raises."""
        place = Path(self.folder.place)
        if not place.is_dir():
            raise BadInput(f"There is no folder at {self.folder.place} any more.")
        landed = self._landed(place)
        note_look(self.folder)
        if not landed:
            return
        revision = Project.objects.select_related("current").get(pk=self.folder.project_id).current
        wanted = wanted_of(self.folder, revision)
        if revision.pk != self._revision:
            self._lights.clear()  # they are in the working space of before
            self._revision = revision.pk
        before = noted_in(self.folder)
        try:
            for looked in self._looked_at(landed):
                if (row := self._noted(looked, wanted, revision)) is not None:
                    yield row
        finally:
            if noted_in(self.folder) != before:
                count_change()

    @property
    def is_waiting(self) -> bool:
        """Whether there are files that were not looked at yet, because they may still be written."""
        return any(self._known.get(name) != stamp for name, stamp in self._before.items())

    def _landed(self, place: Path) -> list[tuple[Frame, Stamp]]:
        """The files that are new or changed and written to their end, by number."""
        now, stamps = time.time(), {}
        landed = []
        for file in place.iterdir():
            if file.suffix.lower() not in SUFFIXES or file.name.startswith("."):
                continue
            try:
                status = file.stat()
            except FileNotFoundError:
                continue
            stamp = status.st_size, status.st_mtime_ns
            if self._known.get(file.name) == stamp:
                continue
            stamps[file.name] = stamp
            is_still = self._before.get(file.name) == stamp or now - status.st_mtime > self.quiet
            if is_still and status.st_size and len(file.name) <= 255:
                landed.append((frame_of(file), stamp))
            if len(stamps) > MOST_FRAMES:
                raise BadInput(f"{place.name} holds more than {MOST_FRAMES:,} new frames.")
        self._before = stamps
        return sorted(landed, key=lambda each: (each[0].stem, each[0].number or 0, each[0].file.name))

    def _looked_at(self, landed: list[tuple[Frame, Stamp]]) -> Iterator[Looked]:
        """Files read on all cores, in their order; no more at once than the next few."""
        with ThreadPoolExecutor(CORES) as pool:
            waiting: list[Future[Looked]] = []
            for frame, stamp in landed:
                waiting.append(pool.submit(_read, frame, stamp))
                if len(waiting) > 2 * CORES:
                    yield waiting.pop(0).result()
            for each in waiting:
                yield each.result()

    def _noted(self, looked: Looked, wanted: Expectation, revision: Revision) -> WatchedFrame | None:
        """Keep what was found of a file; None of one that is still being written."""
        frame, (size, modified) = looked.frame, looked.stamp
        if not _is_as_it_was(frame.file, looked.stamp):
            return None
        if looked.found is None and time.time() - modified / 1e9 < max(STILL_WRITING, self.quiet):
            return None
        notes = self._notes(looked, wanted, revision)
        figures = figures_of(looked.found) if looked.found else None
        row, _ = WatchedFrame.objects.update_or_create(
            folder=self.folder,
            name=frame.file.name,
            defaults={
                "stem": frame.stem[:255],
                "number": frame.number,
                "size": size,
                "modified": modified,
                "revision": revision.number,
                "notes": [[note.code, note.why] for note in notes],
                **(vars(figures) if figures else {"peak": None, "mean": None, "high": None, "clipped": None}),
            },
        )
        self._known[frame.file.name] = looked.stamp
        if frame.number is not None:
            key = frame.stem[:255], frame.number
            self._good.pop(key, None)
            self._lights.pop(row.pk, None)
            if looked.found is not None and not is_blocked(notes):
                self._good[key] = row.pk
                self._lights[row.pk] = light_of(looked.found, wanted.scene)
        return row

    def _notes(self, looked: Looked, wanted: Expectation, revision: Revision) -> tuple[Note, ...]:
        if looked.found is None:
            return (Note("frame.unreadable", looked.reason),)
        if (question := self._question(looked.frame, looked.found, wanted.scene, revision)) is not None:
            return judged_beside_its_render(looked.found, wanted, question)
        return judged(looked.found, wanted, self._beside(looked.frame, wanted.scene))

    def _question(self, frame: Frame, found: Survey, scene: Scene, revision: Revision) -> Question | None:
        """What Explain is asked of a frame whose own render is there, both of a size that it takes, through a view that
        gives light of a display; else None."""
        image = _image_of_its_own(self.folder.render, frame.number) if self.folder.render else None
        if image is None or display_kind(scene.config, scene.choice) == NO_LIGHT:
            return None
        try:
            check_size(found.facts.header, frame.file.name)
            light = light_of_render(self.folder.render, revision, image)
            pixels = straight_pixels(frame.file, found.facts.header)
        except (BadInput, OSError):
            return None
        depth = depth_of(found.facts.header, frame.file.suffix)
        return question_of(revision, pixels, depth, light, Wanted(scene.choice, scene.expects_light))

    def _beside(self, frame: Frame, scene: Scene) -> Pixels | None:
        """The light of the nearest good frame, or of the render that they should show."""
        if frame.number is not None:
            number, stem = frame.number, frame.stem[:255]
            near = sorted(
                (
                    other
                    for way in (-1, 1)
                    for other in range(number + way, number + way * (NEAREST + 1), way)
                    if (stem, other) in self._good
                ),
                key=lambda other: abs(other - number),
            )
            for other in near[:2]:
                if (light := self._light(self._good[stem, other], frame, scene)) is not None:
                    return light
        return _light_of_render(self.folder.render, frame.number, scene) if self.folder.render else None

    def _light(self, key: int, frame: Frame, scene: Scene) -> Pixels | None:
        """The light of a frame that was good, at the revision at which it was, in the working space of today."""
        if key not in self._lights:
            row = self.folder.frames.get(pk=key)
            looked = _read(frame_of(frame.file.with_name(row.name)), (row.size, row.modified))
            then = scene_of(self.folder, self.folder.project.revisions.get(number=row.revision))
            is_same = looked.found is not None and _is_as_it_was(looked.frame.file, looked.stamp)
            light = light_of(looked.found, then) if looked.found and is_same else None
            if light is not None and then.working_space != scene.working_space:
                light = _from_space(scene, then.working_space, light)
            self._lights[key] = light
        return self._lights[key]


def note_look(folder: WatchedFolder, error: str = "") -> None:
    """Keep that a folder was looked at, or why it could not be."""
    LastLook.objects.update_or_create(folder=folder, defaults={"looked": timezone.now(), "error": error[:500]})


def _read(frame: Frame, stamp: Stamp) -> Looked:
    try:
        return Looked(frame, stamp, survey_apart(frame.file, frame.file.name, FIRST_LAYER))
    except (BadInput, OSError) as error:
        return Looked(frame, stamp, None, str(error))


def _is_as_it_was(file: Path, stamp: Stamp) -> bool:
    try:
        status = file.stat()
    except OSError:
        return False
    return stamp == (status.st_size, status.st_mtime_ns)


def wanted_of(folder: WatchedFolder, revision: Revision) -> Expectation:
    """What the frames of a folder should be, at a revision of its project, and what earlier ones would have made of
    them. Raises BadInput for a view that the config has no longer."""
    scene = scene_of(folder, revision)
    earlier: list[Earlier] = []
    for before in folder.project.revisions.filter(number__lt=revision.number).order_by("-number"):
        if len(earlier) == MOST_EARLIER:
            break
        if before.config_hash == revision.config_hash and before.setup.get("view") == revision.setup.get("view"):
            continue
        step = _written_by(folder, before, scene)
        if step is not None and not any(_is_same(step, other.written) for other in earlier):
            now = scene.expected() or _unchanged
            if not _is_same(step, now):
                earlier.append(Earlier(before.number, step))
    return Expectation(scene, tuple(earlier))


def _unchanged(numbers: Pixels) -> Pixels:
    return numbers


def scene_of(folder: WatchedFolder, revision: Revision) -> Scene:
    own = read_setup(revision.setup).view
    choice = ViewChoice(folder.display, folder.view) if folder.view else own
    return Scene(config_of(revision), choice, folder.expects_light)


def _written_by(folder: WatchedFolder, before: Revision, scene: Scene) -> Step | None:
    """What a revision would have made of light in the working space of today; None where it cannot tell."""
    try:
        then = scene_of(folder, before)
        space = then.config.getColorSpace(scene.working_space)
        if space is None:
            return None
        to_its_own = then.between(scene.working_space, then.working_space)
        expected = then.expected()
        step = in_turn(to_its_own, expected) if expected else to_its_own
        step(_COLOURS)
    except (BadInput, ocio.Exception):
        return None
    return step


def _is_same(one: Step, other: Step) -> bool:
    return bool(np.abs(one(_COLOURS) - other(_COLOURS)).max() < SAME)


def _from_space(scene: Scene, space: str, light: Pixels) -> Pixels | None:
    """Light of a space in the working space; None where the config has that space no longer."""
    try:
        return scene.between(space, scene.working_space)(light)
    except BadInput:
        return None


def _light_of_render(render: Render, number: int | None, scene: Scene) -> Pixels | None:
    """The light of a render, small, in the working space; of a sequence that of the frame with a number."""
    try:
        small = preview_of(_image_of_its_own(render, number) or render.image).thumbnail
    except BadInput:
        return None
    return _from_space(scene, space_of(render).space, np.ascontiguousarray(small, np.float32))


def _image_of_its_own(render: Render, number: int | None) -> StoredImage | None:
    """The image of a render that a frame with a number shows: of a sequence that of the same number, of a still that
    for a file without a number. None where that is not known: the frames of a shot move."""
    if render.frame is None:
        return render.image if number is None else None
    same = render.frames.select_related("image").filter(number=number).exclude(image=None).first()
    return same.image if same else None
