"""Read, describe, compose and write configs."""

from saltwort.core.configs.archives import read_archive
from saltwort.core.configs.builtins import builtin_configs
from saltwort.core.configs.compare import Comparison, compare
from saltwort.core.configs.describe import ConfigDescription, describe, screen_view, working_spaces
from saltwort.core.configs.explain import explain_space, follow
from saltwort.core.configs.export import environment_lines, packed, write_config
from saltwort.core.configs.gamut import gamut_of
from saltwort.core.configs.proof import Proof, prove_equal
from saltwort.core.configs.target import VERSIONS, Replacement, lowered
from saltwort.core.configs.trim import Extent, Trim, extent

__all__ = [
    "VERSIONS",
    "Comparison",
    "ConfigDescription",
    "Extent",
    "Proof",
    "Replacement",
    "Trim",
    "builtin_configs",
    "compare",
    "describe",
    "environment_lines",
    "explain_space",
    "extent",
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
