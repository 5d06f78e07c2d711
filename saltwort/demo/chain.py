"""The applications of the quay, and two test cards that came back from them: one as agreed, one not."""

from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile

from saltwort.core.images import write_image
from saltwort.core.images.reading import Pixels
from saltwort.core.stations.kinds import kind_named
from saltwort.server.handoffs.models import Station
from saltwort.server.handoffs.operations import add_station, change_station, hand_on_to
from saltwort.server.handoffs.proving import card_of, hand_in
from saltwort.server.projects.models import Project

ADDED = (
    ("Painting tool", "texturing"),
    ("Render viewer", "render-viewer"),
    ("Grading suite", "grading"),
    ("Web page", "web-page"),
)
PROVED, FAILED = "Compositor", "Grading suite"
SCREEN_GAMMA = np.float32(1 / 2.2)
"""What is on in the grading suite besides the view."""


def add_chain(project: Project) -> None:
    """Lengthen the chain that every project begins with."""
    for name, kind in ADDED:
        add_station(project, kind_named(kind).station(name), kind=kind)
    by_name = {station.name: station for station in project.stations.all()}
    renderer = by_name["Renderer"]
    change_station(renderer, renderer.version, {"scene_documents": "both", "bakes_view": "can"})
    hand_on_to(renderer, [by_name["Compositor"].pk, by_name["Render viewer"].pk])
    hand_on_to(by_name["Compositor"], [by_name["Grading suite"].pk])


def hand_in_cards(project: Project) -> None:
    """Hand in what came back from two of them."""
    with TemporaryDirectory() as folder:
        for name, gamma in ((PROVED, np.float32(1.0)), (FAILED, SCREEN_GAMMA)):
            station = Station.objects.select_related("project__current").get(project=project, name=name)
            file = Path(folder) / f"{name.lower().replace(' ', '_')}_screen.png"
            write_image(file, _seen(station) ** gamma, "uint8")
            hand_in(station, SimpleUploadedFile(file.name, file.read_bytes()))


def _seen(station: Station) -> Pixels:
    card = card_of(station)
    return np.clip(card.bench.agreed().shown(card.picture())[..., :3], 0, 1)
