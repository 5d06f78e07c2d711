"""The space in which light is rendered and composited: the role scene_linear."""

from collections.abc import Callable, Iterable

import PyOpenColorIO as ocio

from saltwort.core.configs.describe import working_spaces
from saltwort.core.engine.processors import known_space
from saltwort.core.errors import BadInput
from saltwort.core.project.part import Draft, Fields, Journey, Part, part
from saltwort.core.project.setup import Setup


@part
class WorkingSpace(Part):
    fields = ("working_space",)
    order = 40

    def spaces(self, setup: Setup) -> Iterable[str]:
        return (setup.working_space,)

    def rename(self, setup: Setup, now: Callable[[str], str]) -> Fields:
        return {"working_space": now(setup.working_space)}

    def carry(self, setup: Setup, journey: Journey) -> Fields:
        return {"working_space": journey.equal(setup.working_space) or journey.fresh.working_space}

    def compose(self, setup: Setup, draft: Draft) -> None:
        if setup.working_space not in working_spaces(draft.config):
            known_space(draft.config, setup.working_space)
            raise BadInput(f"“{setup.working_space}” is not scene-linear; a render needs a scene-linear working space.")
        draft.config.setRole(ocio.ROLE_SCENE_LINEAR, setup.working_space)
