"""A grade as it stands in the query of a picture or scope, and as JSON."""

from collections.abc import Mapping
from typing import Any

from rest_framework import serializers

from saltwort.core.errors import BadInput
from saltwort.core.views.grade import NONE, PLACES, STRAIGHT, Grade, check_grade
from saltwort.server.projects.serializers import triple_of_numbers


class GradeQuery(serializers.Serializer):
    """Slope, offset, power and curve are numbers with commas."""

    grade = serializers.ChoiceField(choices=PLACES, default=NONE)
    slope = serializers.CharField(default="1,1,1", max_length=100)
    offset = serializers.CharField(default="0,0,0", max_length=100)
    power = serializers.CharField(default="1,1,1", max_length=100)
    saturation = serializers.FloatField(default=1.0)
    grade_exposure = serializers.FloatField(default=0.0)
    log = serializers.BooleanField(default=False)
    curve = serializers.CharField(default=",".join(map(str, STRAIGHT)), max_length=100)


class GradeSerializer(serializers.Serializer):
    """See Grade."""

    place = serializers.ChoiceField(choices=PLACES)
    slope = triple_of_numbers()
    offset = triple_of_numbers()
    power = triple_of_numbers()
    saturation = serializers.FloatField()
    exposure = serializers.FloatField()
    log = serializers.BooleanField()
    curve = serializers.ListField(child=serializers.FloatField(), min_length=len(STRAIGHT), max_length=len(STRAIGHT))


def grade_of(asked: dict[str, Any]) -> Grade:
    """The grade of a query. Raises BadInput for one that cannot be."""
    numbers = {name: _numbers(asked, name, 3) for name in ("slope", "offset", "power")}
    curve = _numbers(asked, "curve", len(STRAIGHT))
    grade = Grade(
        asked["grade"],
        saturation=asked["saturation"],
        exposure=asked["grade_exposure"],
        log=asked["log"],
        curve=curve,
        **numbers,
    )
    check_grade(grade)
    return grade


def grade_from_json(stored: Mapping[str, Any]) -> Grade:
    """Raises BadInput for a grade that cannot be."""
    values: dict[str, Any] = {
        name: tuple(value) if isinstance(value, list) else value for name, value in stored.items()
    }
    grade = Grade(**values)
    check_grade(grade)
    return grade


def _numbers(asked: dict[str, Any], name: str, count: int) -> Any:
    try:
        numbers = tuple(map(float, asked[name].split(",")))
    except ValueError:
        numbers = ()
    if len(numbers) != count:
        raise BadInput(f"The {name} of a grade is {count} numbers with commas.")
    return numbers
