"""Setups as JSON and back, and the config of a revision."""

from dataclasses import asdict
from functools import lru_cache
from typing import Any

import PyOpenColorIO as ocio

from saltwort.core.configs import Setup
from saltwort.core.engine import ViewChoice, builtin_text, load_config
from saltwort.core.errors import BadInput
from saltwort.core.textures.rules import Rule, RuleBook
from saltwort.server.projects.models import BaseConfig, Project, Revision

BUILTIN, UPLOADED = "builtin:", "sha256:"


def setup_to_json(setup: Setup) -> dict[str, Any]:
    return asdict(setup)


def setup_from_json(stored: dict[str, Any]) -> Setup:
    return Setup(
        **{
            **stored,
            "view": ViewChoice(**stored["view"]),
            "rules": tuple(rule_from_json(rule) for rule in stored["rules"]),
            "kind_words": tuple((word, kind) for word, kind in stored["kind_words"]),
        }
    )


def rule_from_json(stored: dict[str, Any]) -> Rule:
    return Rule(**{**stored, "map_kinds": tuple(stored.get("map_kinds", ()))})


def current_setup(project: Project) -> Setup:
    return setup_from_json(project.current.setup)


def base_text(base: str) -> str:
    """The text of the config that a setup starts from. Raises BadInput when there is no such config."""
    if base.startswith(BUILTIN):
        return builtin_text(base.removeprefix(BUILTIN))
    found = BaseConfig.objects.filter(sha256=base.removeprefix(UPLOADED)).first()
    if found is None:
        raise BadInput("The config this setup starts from is gone. Bring it again.")
    return found.text


def config_of(revision: Revision) -> ocio.Config:
    """The engine's config of a revision; loaded once per process, and never to be changed."""
    return _loaded(revision.config_hash, revision.config_text)


@lru_cache(maxsize=32)
def _loaded(config_hash: str, text: str) -> ocio.Config:
    return load_config(text)


def rule_book_of(revision: Revision) -> RuleBook:
    """The rules of a revision, ready to be asked."""
    setup = setup_from_json(revision.setup)
    return RuleBook(config_of(revision), setup.rules, setup.default_space, setup.kind_words)
