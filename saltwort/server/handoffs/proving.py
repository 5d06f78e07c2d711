"""The handshake: test cards for stations, and what came back from them."""

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory
from threading import Lock
from typing import Any

import numpy as np
from cachetools import LRUCache, cached
from django.core.files.uploadedfile import UploadedFile

from saltwort.core.errors import BadInput
from saltwort.core.explain.files import straight_pixels
from saltwort.core.explain.question import FLOATS, depth_of
from saltwort.core.findings.registry import CheckedProof
from saltwort.core.images import encode_png, reduce_pixels
from saltwort.core.images.reading import Pixels
from saltwort.core.names import slug
from saltwort.core.project import read_setup
from saltwort.core.stations.handshake.answer import Answer, CameBack, answer
from saltwort.core.stations.handshake.card import Card, patch_told
from saltwort.core.stations.handshake.found import Found, find_card
from saltwort.core.stations.handshake.marks import CardMark
from saltwort.core.stations.mistake import Made
from saltwort.core.stations.proof import OUT_OF_DATE, changed_since, depends_on, state_of
from saltwort.core.stations.simulation import Bench, form_fed
from saltwort.server.handoffs.models import Proof, Station
from saltwort.server.handoffs.operations import colours_of
from saltwort.server.http import zipped
from saltwort.server.images.models import StoredImage
from saltwort.server.images.operations import store_upload
from saltwort.server.projects.models import Project, Revision
from saltwort.server.projects.setups import config_of

SHOWN, WRITTEN = "shown", "written"
MOST_PIXELS = 60_000_000
MOST_PROOFS = 50
"""Kept for each station; older ones are forgotten."""
STRANGE_CARD = "This is a test card of another project, or of an application that is gone. Save the new one."
SMALL = 480
DEPENDENCES_KEPT = 256


@dataclass(frozen=True)
class Standing:
    """How far a station is proved: its state, what has changed since, the last card that came back, and whether what it
    shows or writes can come back."""

    state: str
    changed: tuple[str, ...]
    last: Proof | None
    shows: bool
    writes: bool


def bench_of(station: Station, revision: Revision | None = None) -> Bench:
    """The station on a bench, with the config and view of a revision, the current one if none is given."""
    described = station.described()
    at = revision or station.project.current
    config = config_of(at)
    return Bench(described, config, read_setup(at.setup).view, form_fed(described, config))


def card_of(station: Station, revision: Revision | None = None) -> Card:
    """The test card of a station."""
    at = revision or station.project.current
    bench = bench_of(station, at)
    title = f"{station.project.name}, revision {at.number}, {station.name}"
    swatches = [colour.working for colour in colours_of(at)]
    return Card(bench, CardMark.of(station.pk, at.number, bench.fed), title, tuple(swatches))


def hand_in(station: Station, upload: UploadedFile, came: str = "", author: str = "") -> Proof:
    """Take in a file that came back from a station, and say what was done to its card. `came` says what the file is;
    nothing where it follows from the file: floats are written, others shown. Raises BadInput for a file without a card,
    or with that of another station."""
    image = store_upload(upload)
    found = find_card(_pixels(image))
    other = _station_of(station.project, found.mark)
    if other.pk != station.pk:
        raise BadInput(f"This is the test card of “{other.name}”. Drop it there, or use that of {station.name}.")
    return _answered(station, image, found, upload.name or "", came, author)


def hand_in_anywhere(project: Project, upload: UploadedFile, author: str = "") -> Proof:
    """The same for the station that the card itself names."""
    image = store_upload(upload)
    found = find_card(_pixels(image))
    return _answered(_station_of(project, found.mark), image, found, upload.name or "", "", author)


def _answered(station: Station, image: StoredImage, found: Found, name: str, came: str, author: str) -> Proof:
    revision = station.project.revisions.filter(number=found.mark.revision).first()
    if revision is None:
        raise BadInput(STRANGE_CARD)
    card = card_of(station, revision)
    if found.mark.form != card.bench.fed:
        raise BadInput(
            f"{station.name} is fed otherwise than when this card was saved. Save its new test card, and try again."
        )
    is_float = image.measured().header.bit_depth in FLOATS
    what = came or (WRITTEN if is_float and card.bench.hands_on == "light" else SHOWN)
    _check_possible(station, card.bench, what)
    back = CameBack(found, what, depth_of(image.measured().header, image.suffix))  # type: ignore[arg-type]
    told = _told(card, answer(card, back))
    proof = Proof.objects.create(
        station=station,
        image=image,
        name=name[:200],
        revision=revision.number,
        came=what,
        verdict=told["verdict"],
        told=told,
        depends=depends_on(card.bench),
        author=author,
    )
    station.proofs.filter(pk__in=station.proofs.values_list("pk", flat=True)[MOST_PROOFS:]).delete()
    return proof


def _check_possible(station: Station, bench: Bench, came: str) -> None:
    if came == SHOWN and not bench.shows:
        raise BadInput(f"{station.name} shows no view, so only a file that it writes can be tried.", "came")
    if came == WRITTEN and bench.hands_on is None:
        raise BadInput(f"{station.name} hands on nothing, so only what it shows can be tried.", "came")


def _station_of(project: Project, mark: CardMark) -> Station:
    """The station that a card was made for. Raises BadInput where it is of another project."""
    for station in project.stations.select_related("project__current"):
        if CardMark.of(station.pk, mark.revision, mark.form) == mark:
            return station
    raise BadInput(STRANGE_CARD)


def _pixels(image: StoredImage) -> Pixels:
    header = image.measured().header
    width, height = header.picture_size
    if width * height > MOST_PIXELS:
        raise BadInput(
            f"This picture is larger than {MOST_PIXELS // 1_000_000} million pixels. Save the card as it is."
        )
    return straight_pixels(image.file, header)


def _told(card: Card, found: Answer) -> dict[str, Any]:
    """An answer as JSON holds it."""
    return {
        "verdict": found.verdict,
        "made": [made_told(each) for each in found.made],
        "others": [[made_told(each) for each in other] for other in found.others],
        "largest": found.largest,
        "where": patch_told(found.worst),
        "left": found.left,
        "step": found.step,
    }


def made_told(made: Made) -> dict[str, Any]:
    """A mistake in words, with the setting that is wrong."""
    mistake = made.mistake
    return {
        "key": made.key,
        "code": mistake.code,
        "parameters": dict(made.slip.parameters),
        "label": mistake.label,
        "happened": made.told(mistake.happened),
        "repair": made.told(mistake.repair),
        "section": mistake.section,
        "setting": mistake.setting,
        "level": mistake.level,
        "finding": mistake.finding,
    }


def standing_of(station: Station) -> Standing:
    """How far a station is proved, by the last card that came back."""
    last, bench = station.proofs.first(), bench_of(station)
    able = bench.shows, bench.hands_on is not None
    if last is None:
        return Standing(state_of(None, []), (), None, *able)
    changed = changed_since(last.depends, _depends_now(station))
    return Standing(state_of(last.verdict, changed), tuple(changed), last, *able)


def _depends_now(station: Station) -> Mapping[str, Any]:
    return _depends(station.project.current.config_hash, bench_of(station))


def _key(config_hash: str, bench: Bench) -> tuple[object, ...]:
    return config_hash, bench.station.reads, repr(sorted(bench.station.abilities.items())), bench.choice


@cached(LRUCache(DEPENDENCES_KEPT), key=_key, lock=Lock())
def _depends(config_hash: str, bench: Bench) -> Mapping[str, Any]:
    return depends_on(bench)


def checked_proofs(project: Project) -> list[CheckedProof]:
    """Stations as the checks look at them."""
    return [
        CheckedProof(station.name, standing.state, _why(standing))
        for station in project.stations.all()
        for standing in (standing_of(station),)
    ]


def _why(standing: Standing) -> str:
    if standing.last is None:
        return ""
    if standing.state == OUT_OF_DATE:
        changed = "; ".join(standing.changed)
        return f"Since revision {standing.last.revision}, this has changed: {changed}."
    made = standing.last.told["made"]
    return " ".join(f"{each['happened']} {each['repair']}" for each in made) or "What was done to it is unknown."


def card_files(station: Station, folder: Path) -> list[Path]:
    """Write the test card of a station with its expected numbers, and give the paths."""
    card = card_of(station)
    return [*card.files(folder), card.write_expected(folder)]


def card_zip(station: Station) -> tuple[bytes, str]:
    """The same in a zip, and its name."""
    name = f"{station.project.slug}-{slug(station.name) or station.pk}-test-card-r{station.project.current.number}"
    with TemporaryDirectory() as folder:
        paths = card_files(station, Path(folder))
        with zipped({f"{name}/{path.name}": path for path in paths}) as content:
            return content.read(), f"{name}.zip"


def as_came(proof: Proof) -> bytes:
    """The picture that came back, as PNG; light as the screen would show it without a view."""
    return encode_png(_small(np.nan_to_num(_pixels(proof.image)[..., :3])))


def as_agreed(proof: Proof) -> bytes:
    """The card as it should have come back, as PNG."""
    revision = proof.station.project.revisions.get(number=proof.revision)
    card = card_of(proof.station, revision)
    run = card.bench.agreed()
    picture = card.picture()
    return encode_png(_small((run.shown if proof.came == SHOWN else run.written)(picture)[..., :3]))


def _small(pixels: Pixels) -> Pixels:
    return np.clip(reduce_pixels(np.ascontiguousarray(pixels), SMALL), 0, 1)
