"""All that can be said of a config by itself, without a project."""

from saltwort.core.configs.untried import try_config
from saltwort.core.engine import ConfigArchive, load_config
from saltwort.core.errors import BadInput
from saltwort.core.findings.registry import BLOCKER, Finding, Subjects, run_checks
from saltwort.core.project import first_setup

FAMILIES = ("config.", "lut.", "source.", "view.")
"""Checks of what stands in a config; the others are of what a project does with it."""


def lint(archive: ConfigArchive, name: str) -> list[Finding]:
    """The findings of a config, worst first. One that does not load, or has no space to render in, is a finding too."""
    try:
        try_config(archive, name)
        config = load_config(archive)
        subjects = Subjects(config, first_setup(name, config), archive.text)
    except BadInput as error:
        return [does_not_load(name, error)]
    return [finding for finding in run_checks(subjects) if finding.code.startswith(FAMILIES)]


def does_not_load(name: str, error: BadInput) -> Finding:
    """The finding of a config that cannot be looked at, and why."""
    return Finding("config.does-not-load", BLOCKER, name, "Cannot be used", str(error), None)
