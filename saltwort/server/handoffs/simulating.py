"""The chain of a project simulated: a picture through every application, with what is set wrong in them on purpose."""

from collections.abc import Mapping
from dataclasses import replace
from threading import Lock
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from cachetools import LRUCache, cached

from saltwort.core.engine import apply, space_processor
from saltwort.core.errors import BadInput
from saltwort.core.images import encode_png
from saltwort.core.images.reading import Pixels
from saltwort.core.stations.chain import columns
from saltwort.core.stations.chain_simulation import Member, Outcome, simulate
from saltwort.core.stations.mistake import Made, possible, usual
from saltwort.core.stations.simulation import Bench
from saltwort.core.views.sample_pictures import sample_picture
from saltwort.server.handoffs.models import Station
from saltwort.server.handoffs.proving import bench_of
from saltwort.server.images.pictures import stored
from saltwort.server.kept import stamp
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of
from saltwort.server.scene.models import Render
from saltwort.server.scene.operations import space_of

PICTURE_WIDTH = 320
SAMPLE = "lights"
SCREENS_KEPT = 3
"""Simulations whose pictures are kept, some 20 MB each."""
Wrong = Mapping[int, str]
"""What is set wrong, by the id of the station: the key of a mistake."""


def mistakes_of(station: Station) -> list[Made]:
    """What may usually be set wrong in a station."""
    return usual(bench_of(station))


def simulated_picture(project: Project, wrong: Wrong, render: int | None) -> dict[int, Outcome]:
    """Every station's outcome for a picture of the project. All pictures of one screen are asked for at once, and are
    computed once."""
    return _kept_outcomes((stamp(), project.pk, *sorted(wrong.items())), project, wrong, render)


@cached(LRUCache(SCREENS_KEPT), key=lambda key, project, wrong, render: (key, render), lock=Lock())
def _kept_outcomes(key: object, project: Project, wrong: Wrong, render: int | None) -> dict[int, Outcome]:
    return simulated(project, wrong, picture_light(project, render))


def simulated(project: Project, wrong: Wrong, light: Pixels) -> dict[int, Outcome]:
    """Every station's outcome for a picture of light, by id. Raises BadInput for a mistake that a station cannot
    make."""
    stations = list(project.stations.select_related("project__current"))
    keys = [station.pk for station in stations]
    arrows = list(project.hand_offs.values_list("giver_id", "taker_id"))
    members = {}
    for station in stations:
        bench = bench_of(station)
        fed_by = [giver for giver, taker in arrows if taker == station.pk]
        members[station.pk] = Member(bench, fed_by, _made(bench, wrong.get(station.pk, "")))
    order = [key for column in columns(keys, arrows) for key in column]
    return simulate(members, order, light)


def _made(bench: Bench, key: str) -> Made | None:
    if not key:
        return None
    found = next((made for made in possible(bench) if made.key == key), None)
    if found is None:
        raise BadInput(f"{bench.station.name} cannot make this mistake any more. Choose it again.")
    return found


def picture_light(project: Project, render: int | None) -> Pixels:
    """A small picture as light in the working space: of a render, the project's first where none is named, else a test
    picture."""
    renders = Render.objects.select_related("image", "project__current").filter(project=project)
    found = renders.filter(pk=render).first() if render is not None else renders.first()
    config = config_of(project.current)
    if found is None:
        return sample_picture(config, SAMPLE)[..., :3]
    pixels = stored(found.image, PICTURE_WIDTH, found.layer)[..., :3]
    return apply(space_processor(config, space_of(found).space, ocio.ROLE_SCENE_LINEAR), np.ascontiguousarray(pixels))


def as_seen(station: Station, outcome: Outcome, *, agreed: bool) -> bytes:
    """What a station shows, as PNG; where it shows nothing, the file that it writes through the project's view."""
    shown = outcome.shown_agreed if agreed else outcome.shown
    if shown is None:
        written = outcome.written_agreed if agreed else outcome.written
        if written is None:
            raise BadInput(f"{station.name} shows nothing and hands on nothing.")
        bench = bench_of(station)
        shown = np.clip(bench.view()(written[..., :3]), 0, 1) if bench.hands_on == "light" else written
    return encode_png(np.clip(np.nan_to_num(shown[..., :3]), 0, 1))


def pair_of(station: Station, key: str, light: Pixels) -> tuple[bytes, bytes]:
    """What a station shows when all is right, and when one thing is wrong, as PNG; of what it writes wrong, what the
    next application shows of it."""
    bench = bench_of(station)
    made = _made(bench, key)
    members = {0: Member(bench, (), made)}
    if made and made.mistake.stage == "write" and bench.hands_on == "light":
        members[1] = _looking(bench)
    looked = simulate(members, list(members), light)[max(members)]
    return as_seen(station, looked, agreed=True), as_seen(station, looked, agreed=False)


def _looking(bench: Bench) -> Member:
    """An application that is fed what a station writes, and shows it as agreed."""
    described = replace(bench.station, name="Next", reads="renders", abilities={})
    return Member(Bench(described, bench.config, bench.choice, "light"), (0,))


def tracer_told(outcome: Outcome) -> dict[str, Any]:
    """The numbers of one colour at a station, as JSON holds them."""
    return {name: _numbers(getattr(outcome, name)) for name in ("shown", "shown_agreed", "written", "written_agreed")}


def _numbers(pixels: Pixels | None) -> list[float] | None:
    return None if pixels is None else [float(number) for number in np.nan_to_num(pixels[0, 0, :3])]
