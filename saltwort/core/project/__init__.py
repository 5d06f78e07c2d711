"""The setup of a project: its parts, how they are stored, renamed, carried to another config, and composed into one."""

from saltwort.core.project.carry import carried
from saltwort.core.project.compose import Composed, compose, compose_in_steps
from saltwort.core.project.dismissal import Dismissal
from saltwort.core.project.setup import (
    Setup,
    check_setup,
    first_setup,
    same_config,
    value_parts,
    with_fields,
    with_space_edits,
)
from saltwort.core.project.stored import read_field, read_setup, setup_fields, write_setup

__all__ = [
    "Composed",
    "Dismissal",
    "Setup",
    "carried",
    "check_setup",
    "compose",
    "compose_in_steps",
    "first_setup",
    "read_field",
    "read_setup",
    "same_config",
    "setup_fields",
    "value_parts",
    "with_fields",
    "with_space_edits",
    "write_setup",
]
