"""A plan: steps that are taken one after the other on a scene in memory, before anything is written.

A step is a module in `migration/steps` with a function under the decorator `step`. It gives the changes that it makes,
and makes them in the `Draft`.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import MISSING, dataclass, field, fields
from functools import cache, cached_property
from pathlib import Path, PurePosixPath
from typing import Any, Literal, get_args, get_origin, get_type_hints

import PyOpenColorIO as ocio

from saltwort.core.errors import BadInput
from saltwort.core.images.intake import survey_apart, surveys_apart
from saltwort.core.images.measuring import Survey
from saltwort.core.migration.graph import Edit, Numbers
from saltwort.core.migration.readings import Reading, exponent_of, reading_of, working_space_of
from saltwort.core.migration.rendered import Rescuing
from saltwort.core.migration.scene import Scene, picture_files
from saltwort.core.migration.spaces import Meant, meant_by, says_nothing
from saltwort.core.migration.uses import ColourUse, PictureUse
from saltwort.core.modules import import_all
from saltwort.core.structured import structured
from saltwort.core.textures.evidence import Evidence
from saltwort.core.textures.kinds import DEFAULT_KIND_WORDS, KindWords

Progress = Callable[[float, str], None]


@dataclass(frozen=True)
class Change:
    """One thing that a step changes: in which document, of what, from and to what, and why. `lost` says what going on
    from the outcome cannot bring back; empty where it can."""

    step: str
    document: str
    of: str
    before: str
    after: str
    why: str
    lost: str = ""


@dataclass(frozen=True)
class Left:
    """One thing that a step would change and does not, with the reason."""

    step: str
    document: str
    of: str
    why: str


@dataclass(frozen=True)
class Converting:
    """A file to be written in another space: from and to which, and in which format of conversions."""

    source_space: str
    space: str
    format: str


@dataclass
class DraftPicture:
    """A picture on its way: how it was read, how it is read now, what its document says now, and for each file on disk
    the path below the output folder that it will have, with how it is written."""

    use: PictureUse
    before: Reading
    reading: Reading
    meant: Meant | None
    said: str
    file: str
    targets: dict[Path, str] = field(default_factory=dict)
    converting: Converting | None = None


@dataclass
class DraftColour:
    """A typed colour on its way: numbers, in which working space they are light, and the exponent that gamma nodes
    raise them to. `altered` says why its light is another than before, empty where it is the same."""

    use: ColourUse
    before: Reading
    reading: Reading
    values: Numbers
    altered: str = ""


@dataclass
class Draft:
    """A scene as it would be. `spaces` is the working space of each document; `edits` what its documents change by."""

    scene: Scene
    config: ocio.Config
    working: str
    words: KindWords
    old: ocio.Config | None
    assigned: Mapping[str, str]
    pictures: list[DraftPicture] = field(default_factory=list)
    colours: list[DraftColour] = field(default_factory=list)
    spaces: dict[str, str] = field(default_factory=dict)
    edits: dict[str, list[Edit]] = field(default_factory=dict)
    left: list[Left] = field(default_factory=list)
    choices: dict[str, Any] = field(default_factory=dict)
    """What steps found besides changes, by the name of the step."""
    surveys: dict[Path, Survey | BadInput] = field(default_factory=dict)
    evidence: dict[tuple[Path, str], list[Evidence]] = field(default_factory=dict)
    """What files tell by themselves, as maps of a kind: habits and steps ask the same."""
    frames: list[Rescuing] = field(default_factory=list)

    def survey(self, path: Path) -> Survey | None:
        """What a file holds, measured once; None where it cannot be read."""
        if path not in self.surveys:
            try:
                self.surveys[path] = survey_apart(path, path.name)
            except BadInput as error:
                self.surveys[path] = error
        found = self.surveys[path]
        return None if isinstance(found, BadInput) else found

    def edit(self, document: str, *edits: Edit) -> None:
        """Have a document changed."""
        self.edits.setdefault(document, []).extend(edits)

    def leave(self, step: str, document: str, of: str, why: str) -> None:
        """Tell what a step does not change."""
        self.left.append(Left(step, document, of, why))

    @cached_property
    def assigned_by_name(self) -> dict[str, set[str]]:
        """The spaces that the project sets for textures of a name, in lower case."""
        found: dict[str, set[str]] = {}
        for path, space in self.assigned.items():
            found.setdefault(PurePosixPath(path).name.lower(), set()).add(space)
        return found

    @cached_property
    def by_document(self) -> dict[str, list[DraftPicture]]:
        """The pictures of each document."""
        found: dict[str, list[DraftPicture]] = {}
        for picture in self.pictures:
            found.setdefault(picture.use.document, []).append(picture)
        return found


@dataclass(frozen=True)
class Asked:
    """A step of a plan with its settings."""

    step: str
    settings: Mapping[str, Any] = field(default_factory=dict)


def plan_of(terms: object) -> tuple[Asked, ...]:
    """A plan from terms of JSON: an object with `steps`, or the list itself; each step by its key, alone or as an
    object with `step` and its settings. Raises BadInput for what is no plan."""
    listed = terms.get("steps") if isinstance(terms, dict) else terms
    if not isinstance(listed, list):
        raise BadInput("A plan is a list of steps. docs/guide/migrate.md shows one.")
    found = []
    for each in listed:
        given = {"step": each} if isinstance(each, str) else each
        if not isinstance(given, dict) or not isinstance(given.get("step"), str):
            raise BadInput("Each step of a plan has a “step” with its key. docs/guide/migrate.md shows one.")
        found.append(Asked(given["step"], {key: value for key, value in given.items() if key != "step"}))
    return tuple(found)


def usual_plan(to: str, textures: str = "declare") -> tuple[Asked, ...]:
    """The plan that most scenes need to go into a working space: gamma nodes out, spaces by meaning, textures declared,
    and converted or renamed where `textures` says `convert` or `rename`; colours converted, tone mapping off."""
    plan = [Asked("gamma-out"), Asked("to-config"), Asked("declare-textures"), Asked("convert-colours", {"to": to})]
    plan.append(Asked("tone-mapping-off"))
    if textures == "convert":
        plan.append(Asked("convert-textures", {"to": to}))
    if textures in ("convert", "rename"):
        plan.append(Asked("rename-textures"))
    return tuple(plan)


def drafted(
    scene: Scene,
    config: ocio.Config,
    working: str,
    *,
    words: KindWords = DEFAULT_KIND_WORDS,
    old: ocio.Config | None = None,
    assigned: Mapping[str, str] | None = None,
    progress: Progress | None = None,
) -> Draft:
    """A scene as it is, as a draft: every picture measured, and how all of it is read. `working` is the project's
    working space, `old` the config that the scene was made with, where that is known, and `assigned` the space of each
    texture of the project by its path."""
    draft = Draft(scene, config, working, words, old, assigned or {})
    for path, document in scene.documents.items():
        draft.spaces[path] = working_space_of(config, document, old)
    draft.surveys.update(
        surveys_apart(
            list(picture_files(scene)), (lambda share: progress(share, "Measuring textures")) if progress else None
        )
    )
    for use in scene.pictures:
        files = scene.files_of(use)
        found = draft.survey(files[0]) if files else None
        header = found.facts.header if found else None
        reading, meant = reading_of(config, use, draft.spaces[use.document], header, old)
        draft.pictures.append(DraftPicture(use, reading, reading, meant, use.said, use.file))
    for colour in scene.colours:
        reading = _colour_reading(draft, colour)
        draft.colours.append(DraftColour(colour, reading, reading, colour.values))
    return draft


def _colour_reading(draft: Draft, use: ColourUse) -> Reading:
    working = draft.spaces[use.document]
    space = ""
    if not says_nothing(use.said):
        space = meant_by(draft.config, use.said, draft.old).space or ""
    exponent = exponent_of(use.gammas)
    return Reading("" if space == working else space, working, 1.0 if exponent is None else exponent)


Settings = Mapping[str, Any]
Taking = Callable[[Draft, Any], Iterator[Change]]


@dataclass(frozen=True)
class Step:
    """A step: its key in plans, what it is called, what it does, its settings as a dataclass, and the function that
    takes it. `order` is where it usually stands in a plan."""

    key: str
    label: str
    does: str
    settings: type
    order: int
    take: Taking

    def described(self) -> list[dict[str, Any]]:
        """The settings, each with its name, the value that it has unless said, and what may be chosen."""
        hints = get_type_hints(self.settings)
        return [
            {
                "name": each.name,
                "value": None if each.default is MISSING else each.default,
                "choices": list(get_args(hints[each.name])) if get_origin(hints[each.name]) is Literal else [],
            }
            for each in fields(self.settings)
        ]


_steps: dict[str, Step] = {}


def step(key: str, label: str, does: str, settings: type, order: int) -> Callable[[Taking], Taking]:
    """Have a function be a step of plans."""

    def known(take: Taking) -> Taking:
        _steps[key] = Step(key, label, does, settings, order, take)
        return take

    return known


@cache
def steps() -> tuple[Step, ...]:
    """All steps, in their usual order."""
    import_all("saltwort.core.migration.steps")
    return tuple(sorted(_steps.values(), key=lambda each: each.order))


def taken(draft: Draft, plan: Sequence[Asked]) -> list[Change]:
    """The changes of a plan's steps, made in the draft. Raises BadInput for a step or setting that is not known."""
    known = {each.key: each for each in steps()}
    changes: list[Change] = []
    for asked in plan:
        if asked.step not in known:
            raise BadInput(f"There is no step “{asked.step}”. Steps: {', '.join(known)}.")
        settings = structured(known[asked.step].settings, dict(asked.settings), f"The settings of {asked.step}")
        changes += known[asked.step].take(draft, settings)
    return changes


def told(numbers: Sequence[float]) -> str:
    """Numbers for people."""
    return " ".join(f"{number:.4g}" for number in numbers)
