"""What an image file is and holds, and what would be wrong with it in a new project."""

from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path

from saltwort.core.engine import builtin_text, load_config, newest_cg_config
from saltwort.core.findings import CheckedTexture, Finding, Subjects, run_checks
from saltwort.core.images import Facts
from saltwort.core.images.intake import survey_apart
from saltwort.core.project import first_setup
from saltwort.core.textures.evidence import Evidence, Verdict, evidence_for, verdict_of
from saltwort.core.textures.kinds import map_kind_of
from saltwort.core.textures.rules import RuleBook


@dataclass(frozen=True)
class Inspection:
    """A file as it was measured. `map_kind` is what its name says it holds, and `packed` what each channel holds where
    these differ; `facts` are header and statistics; `evidence` is what supports or contradicts a space, and `verdict`
    the outcome: a space with its confidence, 0–1, or none where the evidence is inconclusive."""

    path: Path
    facts: Facts
    map_kind: str | None
    packed: tuple[str, ...]
    evidence: tuple[Evidence, ...]
    verdict: Verdict
    findings: tuple[Finding, ...]


def inspect(path: str | Path) -> Inspection:
    """Measure an image file in a process with limits, and judge which colour space its values are in.

    Spaces are those of OCIO’s newest built-in CG config. Raises BadInput for what is no image, or takes too much to
    read.

    >>> found = inspect("wall_basecolor.png")
    >>> found.map_kind, found.facts.header.bit_depth
    ('base_colour', '8-bit')
    """
    file = Path(path)
    subjects, book = _new_project()
    facts, kind = survey_apart(file, file.name).facts, map_kind_of(file.name)
    evidence = tuple(evidence_for(subjects.config, file.name, kind, facts))
    texture = CheckedTexture(file.name, kind, book.assign(file.name), facts, evidence)
    findings = run_checks(replace(subjects, textures=[texture]))
    return Inspection(
        file,
        facts,
        kind.kind.key if kind else None,
        tuple(kind.channels) if kind else (),
        evidence,
        verdict_of(evidence),
        tuple(finding for finding in findings if finding.code.startswith("texture.")),
    )


@lru_cache(maxsize=1)
def _new_project() -> tuple[Subjects, RuleBook]:
    """A project that nobody has decided anything of."""
    name = newest_cg_config()
    config = load_config(builtin_text(name))
    subjects = Subjects(config, first_setup(f"builtin:{name}", config))
    return subjects, RuleBook(config, subjects.setup.rules, subjects.setup.default_space)
