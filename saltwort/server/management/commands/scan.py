"""`scan SCENE …`: what is in scenes, and which habits they have from before colour management."""

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

import saltwort
from saltwort.core.errors import BadInput
from saltwort.core.migration.formats.registry import is_document
from saltwort.server.commands import HeadlessCommand
from saltwort.server.handoffs.explaining import render_named
from saltwort.server.migrating.drafts import draft_of
from saltwort.server.migrating.operations import found_in
from saltwort.server.projects.operations import project_named


def add_scene_arguments(parser: CommandParser | ArgumentParser) -> None:
    """What commands that read scenes share."""
    parser.add_argument("scenes", nargs="+", type=Path, metavar="SCENE", help="a scene, or a folder with scenes")
    parser.add_argument("--project", required=True, metavar="SLUG")
    parser.add_argument(
        "--allow",
        action="append",
        default=[],
        type=Path,
        metavar="FOLDER",
        help="a folder besides those of the scenes from which files may be read; several as needed",
    )
    parser.add_argument("--config", metavar="PATH", help="the config that the scene was made with, if another")


def documents_in(scenes: list[Path]) -> list[Path]:
    """Scenes as they were named, and of a folder all that lie in it. Raises BadInput for a folder without any."""
    found = []
    for scene in scenes:
        if scene.is_dir():
            within = sorted(file for file in scene.iterdir() if is_document(file.name))
            if not within:
                raise BadInput(f"{scene} holds no scene. Name a scene, or a folder with scenes.")
            found += within
        else:
            found.append(scene)
    return found


def allowed_of(scenes: list[Path], allow: list[Path]) -> list[Path]:
    """The folders of scenes, and those that are allowed besides."""
    return [*(scene.resolve().parent for scene in scenes), *(folder.resolve() for folder in allow)]


class Command(HeadlessCommand):
    help = "Say what is in scenes, and which habits they have from before colour management."

    def add_arguments(self, parser: CommandParser | ArgumentParser) -> None:
        add_scene_arguments(parser)
        parser.add_argument("--render", metavar="NAME", help="a render of the scene as it was lit, to judge its lights")

    def handle(self, *args: Any, scenes: list[Path], project: str, allow: list[Path], **options: Any) -> None:
        found, scenes = project_named(project), documents_in(scenes)
        old = saltwort.load_config(options["config"]).ocio if options["config"] else None
        render = render_named(found, options["render"]) if options["render"] else None
        draft = draft_of(
            found, scenes, allowed_of(scenes, allow), old=old, render=render, progress=self.progress(options)
        )
        self.print_json(found_in(draft))
