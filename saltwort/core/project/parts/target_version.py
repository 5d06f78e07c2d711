"""The OCIO version that the config is written for, once all is composed."""

from saltwort.core.configs.target import VERSIONS
from saltwort.core.errors import BadInput
from saltwort.core.project.part import Part, part
from saltwort.core.project.setup import Setup


@part
class TargetVersion(Part):
    fields = ("target_version",)

    def check(self, setup: Setup) -> None:
        if setup.target_version not in ("", *VERSIONS):
            raise BadInput(f"A config is written for OCIO {', '.join(VERSIONS)}, not {setup.target_version}.")
