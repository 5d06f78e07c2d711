"""`undo_migration REPORT`: go back from a migration by its report."""

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

from saltwort.core.errors import BadInput
from saltwort.core.migration.report import written_of
from saltwort.core.migration.writing import gone_back
from saltwort.server.commands import HeadlessCommand
from saltwort.server.migrating.operations import mark_undone


class Command(HeadlessCommand):
    help = "Go back from a migration: what it wrote goes, and what it changed in place is as it was."

    def add_arguments(self, parser: CommandParser | ArgumentParser) -> None:
        parser.add_argument("report", type=Path, metavar="REPORT", help="the JSON beside the outcome")

    def handle(self, *args: Any, report: Path, **options: Any) -> None:
        try:
            done = written_of(report.read_bytes(), report.name)
        except OSError as error:
            raise BadInput(f"{report} cannot be read: {error.strerror}.") from error
        told = gone_back(done)
        mark_undone(done.folder)
        self.print_json({"folder": done.folder, "told": told})
