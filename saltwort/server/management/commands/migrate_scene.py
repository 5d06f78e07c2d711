"""`migrate_scene SCENE … --output FOLDER`: do a plan on copies of scenes, and prove it."""

import json
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

import saltwort
from saltwort.core.errors import BadInput
from saltwort.core.files import replacing
from saltwort.core.migration.plan import Asked, plan_of, usual_plan
from saltwort.core.migration.report import Report, page_of
from saltwort.server.commands import HeadlessCommand
from saltwort.server.management.commands.scan import add_scene_arguments, allowed_of, documents_in
from saltwort.server.migrating.drafts import draft_of
from saltwort.server.migrating.operations import dry_run, keep_run, run
from saltwort.server.projects.operations import project_named


class Command(HeadlessCommand):
    help = "Migrate scenes by a plan, on copies, and prove that they give the same light."

    def add_arguments(self, parser: CommandParser | ArgumentParser) -> None:
        add_scene_arguments(parser)
        what = parser.add_mutually_exclusive_group(required=True)
        what.add_argument("--plan", type=Path, metavar="PLAN.json", help="the steps, as JSON")
        what.add_argument("--to", metavar="SPACE", help="the usual steps, into this working space")
        parser.add_argument("--textures", choices=("declare", "convert", "rename"), default="declare")
        parser.add_argument("--output", type=Path, metavar="FOLDER", help="a new folder for the outcome")
        parser.add_argument("--in-place", action="store_true", help="change the scene's own folder; it is kept beside")
        parser.add_argument("--dry-run", action="store_true", help="write nothing")

    def handle(self, *args: Any, scenes: list[Path], project: str, allow: list[Path], **options: Any) -> None:
        output: Path | None = options["output"]
        if not options["dry_run"] and (output is None) != options["in_place"]:
            raise BadInput("Name a new folder with --output, or say --in-place, or --dry-run.")
        found, scenes = project_named(project), documents_in(scenes)
        plan = _plan(options)
        old = saltwort.load_config(options["config"]).ocio if options["config"] else None
        progress = self.progress(options)
        draft = draft_of(found, scenes, allowed_of(scenes, allow), old=old, progress=progress)
        if options["dry_run"]:
            self.print_json(dry_run(draft, plan, progress).as_terms())
            return
        allowed = allowed_of(scenes, allow)

        def keep(report: Report) -> None:
            _write_reports(report, scenes[0].name)
            keep_run(found, scenes, allowed, plan, report)

        self.print_json(run(draft, plan, output, progress, keep).as_terms())


def _write_reports(report: Report, name: str) -> None:
    """The report beside the outcome, as JSON and as a page."""
    assert report.written is not None
    place, terms = Path(report.written.folder), report.as_terms()
    with replacing(place.with_name(f"{place.name}.migration.json")) as temporary:
        temporary.write_text(json.dumps(terms, ensure_ascii=False, indent=2), encoding="utf-8")
    with replacing(place.with_name(f"{place.name}.migration.html")) as temporary:
        temporary.write_text(page_of(terms, f"Migration of {name}"), encoding="utf-8")


def _plan(options: dict[str, Any]) -> tuple[Asked, ...]:
    if options["to"]:
        return usual_plan(options["to"], options["textures"])
    try:
        return plan_of(json.loads(options["plan"].read_text(encoding="utf-8")))
    except (OSError, UnicodeDecodeError, ValueError) as error:
        raise BadInput(f"{options['plan']} is no plan: {error}.") from error
