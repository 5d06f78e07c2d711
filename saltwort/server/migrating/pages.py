"""The page of a migration, with its pictures within."""

from base64 import b64encode

from django.http import Http404

from saltwort.core.migration.report import page_of
from saltwort.server.migrating.models import OldScene

_LABELS = {
    "balls": {
        "before": "Materials before",
        "after": "Materials after",
        "difference": "Difference of the materials, white is ΔE 20",
    },
    "frame": {
        "frame-before": "The first rescued frame",
        "frame-after": "Its light through the view once more",
        "frame-difference": "Difference of the frame, white is ΔE 20",
    },
}
"""By what the report tells of them: pictures of an earlier preview may lie beside."""


def page_of_scene(scene: OldScene) -> str:
    """The report of a scene, or of its preview. Raises Http404 without either."""
    terms = scene.report or scene.preview
    if not terms:
        raise Http404
    pictures = {}
    labels = {name: label for of, shown in _LABELS.items() if terms.get(of) for name, label in shown.items()}
    for name, label in labels.items():
        file = scene.folder / f"{name}.png"
        if file.is_file():
            pictures[label] = f"data:image/png;base64,{b64encode(file.read_bytes()).decode()}"
    title = f"Migration of {scene.name}" if scene.report else f"Preview of the migration of {scene.name}"
    return page_of(terms, title, pictures)
