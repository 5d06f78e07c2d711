"""Roles set otherwise than in the base config."""

import re
from collections.abc import Callable, Iterable

import PyOpenColorIO as ocio

from saltwort.core.engine.processors import known_space
from saltwort.core.errors import BadInput
from saltwort.core.project.part import Draft, Fields, Journey, Part, part
from saltwort.core.project.setup import Setup


@part
class Roles(Part):
    fields = ("roles",)
    order = 30

    def check(self, setup: Setup) -> None:
        for role, _ in setup.roles:
            if not re.fullmatch(r"[a-z][a-z0-9_]*", role) or role == ocio.ROLE_SCENE_LINEAR:
                raise BadInput(f"“{role}” cannot be set here; the working space is the role scene_linear.")

    def spaces(self, setup: Setup) -> Iterable[str]:
        return (space for _, space in setup.roles)

    def rename(self, setup: Setup, now: Callable[[str], str]) -> Fields:
        return {"roles": tuple((role, now(space)) for role, space in setup.roles)}

    def carry(self, setup: Setup, journey: Journey) -> Fields:
        return {"roles": tuple((role, equal) for role, space in setup.roles if (equal := journey.equal(space)))}

    def compose(self, setup: Setup, draft: Draft) -> None:
        for role, space in setup.roles:
            if draft.config.getColorSpace(role) and not draft.config.hasRole(role):
                raise BadInput(f"A colour space is called “{role}”, so no role can be.")
            draft.config.setRole(role, known_space(draft.config, space))
