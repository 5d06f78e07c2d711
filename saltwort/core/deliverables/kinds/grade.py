"""The grade of Compare for other applications, in the forms that hold it, with what each cannot hold."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.deliverables.foreseen import HEADERS, Foreseen, Subject
from saltwort.core.deliverables.options import option
from saltwort.core.deliverables.registry import NOTHING, Defaults, Deliverable, Progress, deliverable
from saltwort.core.deliverables.shown import Source
from saltwort.core.deliverables.told import Facts
from saltwort.core.engine import apply
from saltwort.core.engine.measured import linear_to_ap0
from saltwort.core.errors import BadInput
from saltwort.core.files import replacing
from saltwort.core.luts.sampling import cube_nodes
from saltwort.core.luts.tables import WRITERS, Table, read_processor
from saltwort.core.views.grade import (
    AFTER,
    BEFORE,
    NO_GRADE,
    NONE,
    STRAIGHT,
    Grade,
    as_cdl,
    check_grade,
    grade_as_clf,
    on_its_numbers,
)

FORMATS = {
    "cc": ".cc, one correction",
    "ccc": ".ccc, a collection",
    "cdl": ".cdl, a decision list",
    "clf": "CLF",
    "cube": ".cube, 3D",
}
LISTS = {"cc": "ColorCorrection", "ccc": "ColorCorrectionCollection", "cdl": "ColorDecisionList"}
MEASURED = 20_000
ON_ACESCCT, ON_LIGHT, ON_CODES = "ACEScct", "linear light of the working space", "code values after the view"


@dataclass(frozen=True)
class GradeSettings:
    format: str = option("cc", "Format", choices=FORMATS)
    size: int = option(33, "Size", limits=(2, 129), only={"format": ("cube",)})
    grade: Grade = field(default=NO_GRADE)


@dataclass(frozen=True)
class WrittenGrade:
    """A grade as the engine read the file again. `acts_on` says which numbers it is for, `lost` what the format cannot
    hold of it; `largest` is the largest difference to the grade itself over colours on 0–1 of these numbers, of what
    can be held."""

    bytes: int
    acts_on: str
    lost: tuple[str, ...]
    largest: float


@deliverable
class GradeFile(Deliverable[GradeSettings]):
    kind = "grade"
    label = "Grade"
    use = "The grade of Compare as ASC CDL, CLF or LUT, with what each can hold of it."
    takes = NOTHING
    settings = GradeSettings

    def defaults(self, chosen: Defaults) -> dict[str, Any]:
        return {"grade": vars(chosen.grade)}

    def plan(self, config: ocio.Config, settings: GradeSettings) -> None:
        check_grade(settings.grade)
        if settings.grade.place == NONE:
            raise BadInput("There is no grade yet. Make one in Compare, before or after the view.")
        if settings.format == "cube" and acts_on(settings.grade) == ON_LIGHT:
            raise BadInput(
                "A .cube over 0–1 does not hold a grade on linear light. Choose CLF or .cc, or grade on ACEScct.",
                "format",
            )
        if settings.grade.log and linear_to_ap0(config, ocio.ROLE_SCENE_LINEAR) is None:
            raise BadInput(
                "The config does not tell the primaries of its working space, so ACEScct has no meaning in it."
            )

    def named(self, stem: str, revision: int, settings: GradeSettings) -> str:
        return f"grade_r{revision}.{settings.format}"

    def facts(self, config: ocio.Config, settings: GradeSettings) -> Facts:
        lost = lost_by(settings.format, settings.grade)
        return {
            "format": FORMATS[settings.format],
            "acts on": acts_on(settings.grade),
            "cannot hold": "; ".join(lost) or "nothing: all of the grade is in it",
        }

    def foresee(self, config: ocio.Config, settings: GradeSettings, subject: Subject | None) -> Foreseen:
        lost = (f"It cannot hold {each}." for each in lost_by(settings.format, settings.grade))
        return Foreseen(40 * settings.size**3 * (settings.format == "cube") + HEADERS, tuple(lost))

    def make(
        self, config: ocio.Config, sources: Sequence[Source], settings: GradeSettings, target: Path, progress: Progress
    ) -> WrittenGrade:
        grade = settings.grade
        progress(0.0, "Writing the file")
        with replacing(target) as temporary:
            temporary.write_bytes(_content(config, settings))
        progress(0.5, "Reading it back")
        colours = np.random.default_rng(5).random((1, MEASURED, 3), dtype=np.float32)
        clamps = ocio.CDL_ASC if grade.place == AFTER else ocio.CDL_NO_CLAMP
        read = apply(read_processor(target, clamps), colours)
        meant = on_its_numbers(held_by(settings.format, grade), colours)
        return WrittenGrade(
            bytes=target.stat().st_size,
            acts_on=acts_on(grade),
            lost=lost_by(settings.format, grade),
            largest=float(np.abs(read - meant).max()),
        )

    def told(self, written: Mapping[str, Any]) -> Facts:
        return {
            "largest difference": f"{written['largest']:.2g}, of what it holds",
            "read back by": "the OCIO library, from the file",
        }


def acts_on(grade: Grade) -> str:
    if grade.place == AFTER:
        return ON_CODES
    return ON_ACESCCT if grade.log else ON_LIGHT


def lost_by(file_format: str, grade: Grade) -> tuple[str, ...]:
    """What a format cannot hold of a grade. Exposure on light or codes is part of the slope; on ACEScct it is not."""
    lost = []
    if file_format in LISTS and grade.log and grade.exposure:
        lost.append(f"the exposure of {grade.exposure:+.2f} stops: set it before the correction")
    if file_format in LISTS and grade.curve != STRAIGHT and acts_on(grade) != ON_LIGHT:
        lost.append("the curve")
    return tuple(lost)


def held_by(file_format: str, grade: Grade) -> Grade:
    """The part of a grade that a format holds."""
    if file_format not in LISTS:
        return grade
    return replace(grade, curve=STRAIGHT, exposure=0.0 if grade.log else grade.exposure)


def _content(config: ocio.Config, settings: GradeSettings) -> bytes:
    grade = settings.grade
    if settings.format in LISTS:
        text: str = ocio.GroupTransform([as_cdl(grade)]).write(LISTS[settings.format], ocio.Config.CreateRaw())
        return text.encode()
    if settings.format == "clf" and grade.place == BEFORE:
        return grade_as_clf(grade)
    values = on_its_numbers(grade, cube_nodes(settings.size).astype(np.float32))
    table = Table(values.astype(np.float64), None, (f"A grade on {acts_on(grade)}.",))
    return WRITERS[settings.format](table)
