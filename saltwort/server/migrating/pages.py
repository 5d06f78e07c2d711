"""The page of a migration, with its pictures within."""

from base64 import b64encode

from django.http import Http404

from saltwort.core.migration.report import page_of
from saltwort.server.migrating.models import OldScene

_LABELS = {"before": "Materials before", "after": "Materials after", "difference": "Difference, white is ΔE 20"} | {
    "frame-before": "The first rescued frame",
    "frame-after": "Its light through the view once more",
    "frame-difference": "Difference, white is ΔE 20 ",
}


def page_of_scene(scene: OldScene) -> str:
    """The report of a scene, or of its preview. Raises Http404 without either."""
    terms = scene.report or scene.preview
    if not terms:
        raise Http404
    pictures = {}
    for name, label in _LABELS.items():
        file = scene.folder / f"{name}.png"
        if file.is_file():
            pictures[label] = f"data:image/png;base64,{b64encode(file.read_bytes()).decode()}"
    title = f"Migration of {scene.name}" if scene.report else f"Preview of the migration of {scene.name}"
    return page_of(terms, title, pictures)
