"""How applications do with nothing but their packages: played once all else is in the folder, and kept with it."""

import json
from collections.abc import Mapping
from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.db.models import QuerySet

from saltwort.core.engine import ViewChoice
from saltwort.core.engine.measured import space_of_view
from saltwort.core.errors import BadInput
from saltwort.core.stations.playing import Played, PlayedTexture, Truth, play
from saltwort.core.stations.sheet import Chain
from saltwort.server.handoffs.models import Station
from saltwort.server.handoffs.used import used_by
from saltwort.server.projects.models import Project
from saltwort.server.textures.models import Texture

MANIFEST, PROOF = "manifest.json", "proof.json"
MOST_FAILURES = 12


def texture_rows(project: Project) -> QuerySet[Texture]:
    """The textures of a project with their files."""
    return Texture.objects.filter(project=project).select_related("image")


def prove(folder: Path, station: Station, chain: Chain, trimmed: str) -> Played:
    """Play an application from what lies in its package so far, and keep how it went as PROOF beside it; `trimmed` says
    what became of its config."""
    files = {texture.path: texture for texture in texture_rows(station.project)}
    textures, gone = [], []
    for line in chain.textures:
        try:
            textures.append(PlayedTexture(line.path, files[line.path].image.file, line.space))
        except BadInput as error:
            gone.append(f"{line.path} was not played. {error}")
    config, own = chain.config, ViewChoice(chain.choice.display, chain.choice.view)
    views = [view for view in used_by(station.project).views if space_of_view(config, view) is not None]
    colours = {each.name: each.working for each in chain.colours}
    played = play(folder, chain.station, Truth(config, own, chain.own_space, textures, colours, views))
    played.failures += gone
    told = {"ready": played.is_ready, "sentence": played.sentence, "trimmed": trimmed, **asdict(played)}
    write_json(folder / PROOF, told)
    return played


def told_first(played: Played) -> list[str]:
    """How it went when the package was played, for the top of its page."""
    lines = [played.sentence, *(f"Not possible in this application: {each}" for each in played.cannot)]
    if not played.is_ready:
        listed = played.failures[:MOST_FAILURES]
        more = len(played.failures) - len(listed)
        lines = [
            "THIS PACKAGE IS NOT READY. Played as it says, it does not give the project’s image:",
            *(f"- {each}" for each in listed),
            *([f"- and {more:,} more, in {PROOF}"] if more else []),
            *lines,
        ]
    return lines


def proof_in(folder: Path) -> dict[str, Any]:
    """What `proof.json` of a package holds."""
    proof: dict[str, Any] = json.loads((folder / PROOF).read_text(encoding="utf-8"))
    return proof


def proof_of_chain(folder: Path) -> dict[str, Any]:
    """The same of the packages of a chain together, each by the name of its application."""
    stations = json.loads((folder / MANIFEST).read_text(encoding="utf-8"))["stations"]
    proofs = {name: proof_in(folder / place) for name, place in stations.items()}
    ready = [name for name, proof in proofs.items() if proof["ready"]]
    failures = [f"{name}: {each}" for name, proof in proofs.items() for each in proof["failures"]]
    cannot = [f"{name}: {each}" for name, proof in proofs.items() for each in proof["cannot"]]
    return {
        "ready": len(ready) == len(proofs),
        "sentence": f"Played from their packages: {len(ready)} of {len(proofs)} applications are ready.",
        "failures": failures,
        "cannot": cannot,
    }


def write_json(path: Path, told: Mapping[str, Any]) -> None:
    """Write what a package says of itself, as people can read it."""
    path.write_text(json.dumps(told, ensure_ascii=False, indent=1) + "\n", encoding="utf-8")
