"""`findings --project SLUG`: what is wrong or doubtful in a project."""

from dataclasses import asdict
from typing import Any

from django.core.management.base import CommandParser

from saltwort.server.commands import HeadlessCommand, project_for
from saltwort.server.findings.operations import findings_of


class Command(HeadlessCommand):
    help = "Print the findings of a project, worst first, as JSON."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--project", required=True, metavar="SLUG")

    def handle(self, *args: Any, project: str, **options: Any) -> None:
        self.print_json([asdict(finding) for finding in findings_of(project_for(project))])
