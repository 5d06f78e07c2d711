"""A new project from answers: what they lead to is shown before it is made, and made in one go."""

from collections.abc import Sequence
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from saltwort.core.engine import ViewChoice, apply, load_config, newest_cg_config, space_processor, view_processor
from saltwort.core.images import encode_png, read_reduced
from saltwort.core.images.reading import Pixels
from saltwort.core.names import free_name
from saltwort.core.project import compose
from saltwort.core.project.parts.recipes import Recipes
from saltwort.core.project.start import ACES_1, Answers, Started, aces_1_config, start_spaces, started
from saltwort.core.scene.renders import render_space
from saltwort.core.scene.rig.first import first_picture
from saltwort.core.scene.working_space import describe_working_space, share_held
from saltwort.core.spaces.gamuts import P3_D65, REC2020
from saltwort.core.stations.kinds import KINDS
from saltwort.core.textures.kinds import DEFAULT_KIND_WORDS, map_kind_of
from saltwort.core.textures.rules import PATH_SEARCH_RULE, Rule, RuleBook, check_path
from saltwort.core.views.sample_pictures import sample_picture
from saltwort.server.handoffs.operations import add_station
from saltwort.server.history.operations import forget_all
from saltwort.server.images.models import StoredImage
from saltwort.server.images.operations import store_upload
from saltwort.server.projects.config_serializers import primaries_json
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import bring_config, create_project
from saltwort.server.projects.setups import BUILTIN, UPLOADED, base_archive
from saltwort.server.scene.operations import add_render

MOST_NAMES = 2_000
WIDTH = 480
LAMPS, RIG = "lamps", "rig"
"""What stands in for a render: a test picture of saturated lamps from dark to far above white, or the rig."""


def base_of(answers: Answers) -> str:
    """The base config of answers: the one that was named, or that of the engine that has the picture."""
    if answers.base:
        return answers.base
    return BUILTIN + (aces_1_config() if answers.picture == ACES_1 else newest_cg_config())


@lru_cache(maxsize=32)
def started_from(answers: Answers) -> Started:
    """What follows from answers. Raises BadInput for those that cannot be."""
    base = base_of(answers)
    return started(answers, base, load_config(base_archive(base)))


@lru_cache(maxsize=16)
def config_from(answers: Answers) -> ocio.Config:
    """The config that follows from answers."""
    return load_config(compose(base_archive(base_of(answers)), started_from(answers).setup, "start"))


def facts_of(answers: Answers) -> dict[str, Any]:
    """What answers lead to: displays with their view, outputs, working space, rules, applications, and what could not
    be followed."""
    made, config = started_from(answers), config_from(answers)
    space = describe_working_space(config, made.setup.working_space)
    return {
        "base": made.setup.base,
        "working_space": made.setup.working_space,
        "spaces": [_space_told(config, each, made) for each in start_spaces(config)],
        "displays": [
            {"display": each.display, "covered": each.covered, "view": _view_of(made, each.display, config)}
            for each in space.displays
            if not made.setup.displays or each.display in made.setup.displays
        ],
        "outputs": [recipe.name for recipe in Recipes.of(made.setup)],
        "rules": [_rule_told(rule) for rule in made.setup.rules],
        "applications": list(_names_of(made.applications).values()),
        "told": list(made.told),
    }


def _space_told(config: ocio.Config, space: str, made: Started) -> dict[str, Any]:
    told = describe_working_space(config, space)
    return {
        "name": space,
        "primaries": primaries_json(told.primaries),
        "surfaces": told.pointer_covered,
        "p3": share_held(P3_D65, told.primaries),
        "rec2020": share_held(REC2020, told.primaries),
        "chosen": space == made.setup.working_space,
    }


def _names_of(applications: Sequence[str]) -> dict[str, str]:
    """What applications are called, by their kinds: the label without what it can do, numbered where two would have
    one name."""
    labels = {kind.key: kind.label for kind in KINDS}
    named: dict[str, str] = {}
    for key in applications:
        short = labels[key].partition(" that ")[0].partition(" with ")[0].partition(" of old")[0]
        named[key] = free_name(short, named.values())
    return named


def _rule_told(rule: Rule) -> str:
    return "a space in the path" if rule == PATH_SEARCH_RULE else f"{rule.name.lower()} → {rule.space}"


def _view_of(made: Started, display: str, config: ocio.Config) -> str:
    if display == made.setup.view.display:
        return made.setup.view.view
    added = next((view.name for view in made.setup.added_views if view.display == display), None)
    return added or str(config.getDefaultView(display))


def picture_from(answers: Answers, image: StoredImage | None, stand_in: str = LAMPS) -> bytes:
    """A render, or what stands in for it where there is none, through the view that answers lead to, as PNG."""
    made, config = started_from(answers), config_from(answers)
    choice = ViewChoice(made.setup.view.display, made.setup.view.view)
    if image is not None:
        light = _light_of(config, _book(config, made), image)
    else:
        light = first_picture(config) if stand_in == RIG else sample_picture(config, "lights")
    codes = apply(view_processor(config, ocio.ROLE_SCENE_LINEAR, choice), np.ascontiguousarray(light))
    return encode_png(np.clip(np.nan_to_num(codes), 0, 1))


def _light_of(config: ocio.Config, book: RuleBook, image: StoredImage) -> Pixels:
    pixels = np.ascontiguousarray(read_reduced(image.file, WIDTH))
    space = render_space(config, book, "render.exr", image.measured().header).space
    return apply(space_processor(config, space, ocio.ROLE_SCENE_LINEAR), pixels)


def _book(config: ocio.Config, made: Started) -> RuleBook:
    return RuleBook(config, made.setup.rules, made.setup.default_space, DEFAULT_KIND_WORDS)


def names_told(answers: Answers, names: list[str]) -> list[dict[str, str]]:
    """For each name of a texture the map kind that its words tell, and the space that it would be read in; empty where
    they leave it open."""
    if len(names) > MOST_NAMES:
        names = names[:MOST_NAMES]
    book = _book(config_from(answers), started_from(answers))
    told = []
    for name in names:
        check_path(name)
        kind = map_kind_of(name, DEFAULT_KIND_WORDS)
        found = book.assign(name)
        told.append(
            {
                "name": name,
                "kind": kind.kind.label if kind else "",
                "word": kind.word if kind else "",
                "space": found.space,
            }
        )
    return told


def take_config(upload: UploadedFile, content: bytes) -> str:
    """Keep a config that a new project is to start from; its name as a base. Raises BadInput as importing does."""
    made = bring_config(Path(upload.name or "config.ocio").name, content)
    return UPLOADED + made.sha256


def take_render(upload: UploadedFile) -> StoredImage:
    """Keep a render that a new project is to have."""
    return store_upload(upload)


def make_project(name: str, answers: Answers, image: StoredImage | None, image_name: str = "") -> Project:
    """A project with all that follows from answers as its first revision. Raises BadInput for a name that is taken, and
    for answers that cannot be."""
    made = started_from(answers)
    kinds, names = {kind.key: kind for kind in KINDS}, _names_of(made.applications)
    with transaction.atomic():
        project = create_project(name, made.setup)
        project.stations.all().delete()
        # What makes textures feeds a renderer, so that must be there first.
        for key in sorted(made.applications, key=lambda one: kinds[one].abilities.get("hands_on") == "textures"):
            kind = kinds[key]
            row = add_station(project, kind.station(names[key]), kind=kind.key)
            project.stations.filter(pk=row.pk).update(position=made.applications.index(key))
        if image is not None:
            add_render(project, image_name or "render.exr", image)
        forget_all(project)
    return project
