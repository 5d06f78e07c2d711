"""`findings --project SLUG`: what is wrong or doubtful in a project."""

import sys
from dataclasses import asdict
from typing import Any

from django.core.management.base import CommandParser

from saltwort.core.findings.registry import BLOCKER
from saltwort.core.project.parts.dismissed import Dismissed
from saltwort.server.commands import HeadlessCommand
from saltwort.server.findings.operations import findings_of
from saltwort.server.projects.operations import project_named
from saltwort.server.projects.setups import current_setup


class Command(HeadlessCommand):
    help = (
        "Print the findings of a project, worst first, as JSON, without those that are dismissed. The exit code is 1 "
        "when a blocker stands."
    )

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--project", required=True, metavar="SLUG")
        parser.add_argument("--dismissed", action="store_true", help="print those that are dismissed, with the reasons")

    def handle(self, *args: Any, project: str, dismissed: bool, **options: Any) -> None:
        if dismissed:
            self.print_json([asdict(one) for one in Dismissed.of(current_setup(project_named(project)))])
            return
        found = findings_of(project_named(project))
        self.print_json([asdict(finding) for finding in found])
        if any(finding.level == BLOCKER for finding in found):
            sys.exit(1)  # a farm refuses the job
