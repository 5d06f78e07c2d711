"""Read, describe, compose and write configs."""

from saltwort.core.configs.archives import read_archive
from saltwort.core.configs.builtins import builtin_configs
from saltwort.core.configs.compare import Comparison, compare
from saltwort.core.configs.compose import Composed, compose, compose_in_steps
from saltwort.core.configs.describe import ConfigDescription, describe, screen_view, working_spaces
from saltwort.core.configs.explain import explain_space, follow
from saltwort.core.configs.export import environment_lines, packed, write_config
from saltwort.core.configs.gamut import gamut_of
from saltwort.core.configs.proof import Proof, prove_equal
from saltwort.core.configs.setup import Setup, Trim, first_setup
from saltwort.core.configs.target import VERSIONS, Replacement, lowered
from saltwort.core.configs.trim import Extent, extent

__all__ = [
    "VERSIONS",
    "Comparison",
    "Composed",
    "ConfigDescription",
    "Extent",
    "Proof",
    "Replacement",
    "Setup",
    "Trim",
    "builtin_configs",
    "compare",
    "compose",
    "compose_in_steps",
    "describe",
    "environment_lines",
    "explain_space",
    "extent",
    "first_setup",
    "follow",
    "gamut_of",
    "lowered",
    "packed",
    "prove_equal",
    "read_archive",
    "screen_view",
    "working_spaces",
    "write_config",
]
