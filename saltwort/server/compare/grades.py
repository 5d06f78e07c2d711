"""A grade as it stands in the query of a picture or scope."""

from typing import Any

from rest_framework import serializers

from saltwort.core.errors import BadInput
from saltwort.core.spaces.typed import Triple
from saltwort.core.views.grade import NONE, PLACES, Grade, check_grade


class GradeQuery(serializers.Serializer):
    """Slope, offset and power are three numbers with commas."""

    grade = serializers.ChoiceField(choices=PLACES, default=NONE)
    slope = serializers.CharField(default="1,1,1", max_length=100)
    offset = serializers.CharField(default="0,0,0", max_length=100)
    power = serializers.CharField(default="1,1,1", max_length=100)
    saturation = serializers.FloatField(default=1.0)


def grade_of(asked: dict[str, Any]) -> Grade:
    """The grade of a query. Raises BadInput for one that cannot be."""
    grade = Grade(
        asked["grade"], _triple(asked, "slope"), _triple(asked, "offset"), _triple(asked, "power"), asked["saturation"]
    )
    check_grade(grade)
    return grade


def _triple(asked: dict[str, Any], name: str) -> Triple:
    try:
        red, green, blue = map(float, asked[name].split(","))
    except ValueError:
        raise BadInput(f"The {name} of a grade is three numbers with commas.") from None
    return red, green, blue
