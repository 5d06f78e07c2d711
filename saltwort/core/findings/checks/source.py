"""The config that the project starts from, as its author wrote it. The project's own config mends some of this; who
uses the source beside it still meets it."""

from collections import defaultdict
from collections.abc import Iterator
from functools import lru_cache

import PyOpenColorIO as ocio

from saltwort.core.configs.describe import working_spaces
from saltwort.core.configs.source import SourceText, read_source
from saltwort.core.engine import load_config
from saltwort.core.findings.registry import CAUTION, Problem, Subjects, check


@check("source.no-working-space", CAUTION)
def no_working_space(subjects: Subjects) -> Iterator[Problem]:
    """The source config has no scene-linear working space of its own, or one that is not linear."""
    source = _source(subjects)
    if source is None:
        return
    space = source.roles.get(ocio.ROLE_SCENE_LINEAR)
    working = subjects.setup.working_space
    if space is None:
        yield Problem(
            ocio.ROLE_SCENE_LINEAR,
            "Source has no working space",
            f"The source config has no role scene_linear: each application guesses one. The project sets {working}; "
            "see that nobody uses the source itself any more.",
        )
    elif space.casefold() not in _linear_spaces(subjects.base_text):
        yield Problem(
            space,
            "Working space of the source is not linear",
            f"The source config renders in {space}, which is not linear: light would be added up as code values. The "
            f"project works in {working}; see that nobody uses the source itself any more.",
        )


@check("source.names-differ-by-case", CAUTION)
def names_differ_by_case(subjects: Subjects) -> Iterator[Problem]:
    """Two names in the source config differ in upper and lower case alone; the engine takes them for one."""
    source = _source(subjects)
    for what, names in source.names.items() if source else ():
        spellings: dict[str, dict[str, None]] = defaultdict(dict)
        for name in names:
            spellings[name.casefold()][name] = None
        for alike in (list(group) for group in spellings.values() if len(group) > 1):
            yield Problem(
                alike[0],
                f"Names of a {what} differ by case alone",
                f"The source config says {' and '.join(f'“{name}”' for name in alike)}. The OCIO library takes them "
                "for the same and keeps one of them; other tools keep both. Rename one in the source.",
            )


@check("source.default-rule-leads-nowhere", CAUTION)
def default_rule_leads_nowhere(subjects: Subjects) -> Iterator[Problem]:
    """The default file rule of the source config gives a role or space that it lacks."""
    source = _source(subjects)
    if source is None or not source.default_rule_space:
        return
    given = source.default_rule_space
    known = {name.casefold() for name in (*source.names["colour space"], *source.roles)}
    if given.casefold() not in known:
        yield Problem(
            given,
            "Default rule leads nowhere",
            f"The default rule of the source config gives “{given}”, which is none of its spaces and roles: files that "
            f"no other rule takes have no space there. The project's own default is {subjects.setup.default_space}.",
        )


def _source(subjects: Subjects) -> SourceText | None:
    return _read(subjects.base_text) if subjects.base_text else None


@lru_cache(maxsize=4)
def _read(text: str) -> SourceText:
    return read_source(text)


@lru_cache(maxsize=4)
def _linear_spaces(text: str) -> frozenset[str]:
    """Names and aliases of the scene-linear spaces, in the one case that the engine knows them by."""
    config = load_config(text, to_mend=True)
    spaces = [config.getColorSpace(name) for name in working_spaces(config)]
    return frozenset(name.casefold() for space in spaces for name in (space.getName(), *space.getAliases()))
