"""Which space each texture is read in: file rules, the space of what no rule knows, and the words of map kinds."""

from collections.abc import Callable, Collection, Iterable
from dataclasses import replace

import PyOpenColorIO as ocio

from saltwort.core.engine.processors import known_space
from saltwort.core.errors import BadInput
from saltwort.core.names import free_name
from saltwort.core.project.part import Draft, Fields, Journey, Part, part
from saltwort.core.project.setup import Setup
from saltwort.core.textures.rules import Rule, file_rules, rules_of


@part
class Rules(Part):
    fields = ("rules", "default_space", "kind_words")
    order = 60

    def spaces(self, setup: Setup) -> Iterable[str]:
        return (setup.default_space, *(rule.space for rule in setup.rules))

    def rename(self, setup: Setup, now: Callable[[str], str]) -> Fields:
        rules = (replace(rule, space=now(rule.space)) for rule in setup.rules)
        return {"rules": tuple(rules), "default_space": now(setup.default_space)}

    def carry(self, setup: Setup, journey: Journey) -> Fields:
        """Rules that lead to a space without an equal are left out."""
        imported, default = _imported(journey.config) if journey.imports else ((), "")
        kept = tuple(
            replace(rule, space=journey.equal(rule.space))
            for rule in setup.rules
            if not rule.space or journey.equal(rule.space)
        )
        is_first = journey.imports == "first"
        equal = journey.equal(setup.default_space) or journey.fresh.default_space
        return {
            "rules": _merged(imported, kept) if is_first else _merged(kept, imported),
            "default_space": (is_first and default) or equal,
        }

    def compose(self, setup: Setup, draft: Draft) -> None:
        config = draft.config
        known_space(config, setup.default_space)
        for index, rule in enumerate(setup.rules, start=1):
            if rule.space and config.getColorSpace(rule.space) is None:
                raise BadInput(f"Rule {index}, “{rule.name}”: the config has no colour space “{rule.space}”.", "space")
        if config.hasRole(ocio.ROLE_DEFAULT):
            config.setRole(ocio.ROLE_DEFAULT, setup.default_space)  # the default rule's name in OCIO 1; both must agree
        config.setFileRules(file_rules(setup.rules, setup.default_space, setup.kind_words))


def _imported(config: ocio.Config) -> tuple[tuple[Rule, ...], str]:
    """The config's own rules, as far as their spaces are there. Its default counts where it is no display: what no
    rule knows is more often a texture than a finished picture."""
    rules, default = rules_of(config)
    known = tuple(rule for rule in rules if not rule.space or config.getColorSpace(rule.space))
    space = config.getColorSpace(default) if default else None
    if space is None or space.getReferenceSpaceType() != ocio.REFERENCE_SPACE_SCENE:
        return known, ""
    return known, space.getName()


def _merged(first: Collection[Rule], then: Collection[Rule]) -> tuple[Rule, ...]:
    """Rules and then others; one that stands in both comes once, and no name twice."""
    known = {replace(rule, name="") for rule in first}
    merged, taken = list(first), {rule.name for rule in first}
    for rule in then:
        if replace(rule, name="") in known:
            continue
        name = free_name(rule.name, taken)
        taken.add(name)
        merged.append(replace(rule, name=name))
    return tuple(merged)
