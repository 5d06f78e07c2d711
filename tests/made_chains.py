"""Whole projects made at random: answers of the start page, applications with abilities of any value, textures of every
sort, colours and lights."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np

from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.project.start import DELIVERIES, PICTURES, SPACES, Answers
from saltwort.core.scene.decisions import Appearance, Scene, Swatch
from saltwort.core.spaces.typed import TypedColour
from saltwort.core.stations.kinds import KINDS
from saltwort.core.stations.station import abilities
from saltwort.server.across.starting import make_project
from saltwort.server.handoffs.operations import change_station
from saltwort.server.images.operations import store_file
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import change_setup
from saltwort.server.projects.setups import current_setup
from saltwort.server.textures.operations import add_texture
from tests.samples import light, write

TEXTURES = (
    ("wall_col.png", "uint8"),
    ("wall_rough.png", "uint8"),
    ("wall_nrm.png", "uint16"),
    ("floor_albedo_srgb.tif", "uint16"),
    ("lamp_emission.exr", "half"),
    ("sky_hdri_acescg.exr", "half"),
    ("harbour/crate_basecolor.jpg", "uint8"),
)
MOST_APPLICATIONS = 8


def made_chain(seed: int, folder: Path) -> Project:
    """A project that follows from a seed, with up to MOST_APPLICATIONS applications."""
    rng = np.random.default_rng(seed)
    deliveries = [each.key for each in DELIVERIES if rng.random() < 0.5] or ["web"]
    kinds = rng.choice([kind.key for kind in KINDS], rng.integers(1, MOST_APPLICATIONS + 1), replace=False).tolist()
    answers = Answers(
        deliveries=tuple(deliveries),
        picture=str(rng.choice([each.key for each in PICTURES])),
        space=str(rng.choice([each.key for each in SPACES])),
        applications=tuple(kinds),
    )
    project = make_project(f"Chain {seed}", answers, None)
    for number, (path, sample) in enumerate(TEXTURES):
        if rng.random() < 0.6:
            file = write(folder / str(seed) / path, light(12, 16, 1.0, seed + number), sample)
            add_texture(project, path, store_file(file, path))
    swatches = tuple(
        Swatch(f"colour {number}", TypedColour("sRGB Encoded Rec.709 (sRGB)", "8-bit", " ".join(map(str, code))))
        for number, code in enumerate(rng.integers(0, 256, (int(rng.integers(0, 4)), 3)))
    )
    view = current_setup(project).view
    for number, code in enumerate(rng.uniform(0, 1, (int(rng.integers(0, 3)), 3)).round(3)):
        use = str(rng.choice(["surface", "light"]))
        appears = Appearance(view.display, view.view, stops=float(rng.choice([0.0, 1.5])))
        colour = TypedColour("", "unit", " ".join(map(str, code)))
        swatches += (Swatch(f"brand {number}", colour, use, appears),)
    change_setup(project, 1, "Colours", lambda setup: ScenePart.with_value(setup, Scene(swatches=swatches)))
    for station in project.stations.all():
        said = dict(_random_abilities(rng, station.reads))
        change_station(station, station.version, said)
    return Project.objects.select_related("current").get(pk=project.pk)


def _random_abilities(rng: np.random.Generator, reads: str) -> Iterator[tuple[str, object]]:
    for ability in abilities():
        if reads in ability.reads and rng.random() < 0.4:
            values = list(ability.choices) if ability.choices else [True, False]
            yield ability.key, values[int(rng.integers(len(values)))]
