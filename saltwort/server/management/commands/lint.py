"""`lint CONFIG…`: what is wrong or doubtful in configs."""

import sys
from typing import Any

from django.core.management.base import CommandParser

import saltwort
from saltwort.core.findings import BLOCKER, CAUTION, NOTE, Finding, codes
from saltwort.server.commands import HeadlessCommand

SARIF_LEVELS = {BLOCKER: "error", CAUTION: "warning", NOTE: "note"}


class Command(HeadlessCommand):
    help = "Print the findings about configs, worst first. The exit code is 1 when a blocker stands."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("configs", nargs="+", metavar="CONFIG", help="a config.ocio, its folder, or an .ocioz")
        parser.add_argument("--format", choices=("text", "json", "sarif"), default="text")

    def handle(self, *args: Any, configs: list[str], format: str, **options: Any) -> None:
        found = [(path, finding) for path in configs for finding in saltwort.lint(path)]
        if format == "json":
            self.print_rows([{"config": path, **_row(finding)} for path, finding in found])
        elif format == "sarif":
            self.print_json(_sarif(found))
        else:
            self.print_lines(f"{path}: {finding.level}: {finding.subject}: {finding.title}. {finding.why} "
                             f"[{finding.code}]" for path, finding in found)  # fmt: skip
        if any(finding.level == BLOCKER for _, finding in found):
            sys.exit(1)


def _row(finding: Finding) -> dict[str, str]:
    return {name: getattr(finding, name) for name in ("code", "level", "subject", "title", "why")}


def _sarif(found: list[tuple[str, Finding]]) -> dict[str, Any]:
    """The findings as OASIS SARIF 2.1.0, which code hosts show beside the files."""
    used = {finding.code for _, finding in found}
    rules = [{"id": code.code, "shortDescription": {"text": code.meaning}} for code in codes() if code.code in used] + [
        {"id": code} for code in sorted(used - {code.code for code in codes()})
    ]
    results = [
        {
            "ruleId": finding.code,
            "level": SARIF_LEVELS[finding.level],
            "message": {"text": f"{finding.subject}: {finding.title}. {finding.why}"},
            "locations": [{"physicalLocation": {"artifactLocation": {"uri": path}}}],
        }
        for path, finding in found
    ]
    driver = {"name": "saltwort", "version": saltwort.__version__, "rules": rules}
    return {
        "$schema": "https://json.schemastore.org/sarif-2.1.0.json",
        "version": "2.1.0",
        "runs": [{"tool": {"driver": driver}, "results": results}],
    }
