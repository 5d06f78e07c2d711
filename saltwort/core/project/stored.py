"""A setup as JSON and back, with the format version of each part."""

from collections.abc import Mapping
from dataclasses import asdict, replace
from functools import cache
from typing import Any, get_type_hints

from saltwort.core.errors import BadInput
from saltwort.core.project.part import Part, parts
from saltwort.core.project.setup import Setup, field_of, value_parts, with_fields
from saltwort.core.structured import structured

FORMATS = "formats"
"""Under which name the versions of the parts stand; before there was one, all were 1."""


@cache
def setup_fields() -> frozenset[str]:
    """The names under which a setup is stored: the fields of all parts."""
    return frozenset(name for part in parts() for name in part.fields)


def write_setup(setup: Setup) -> dict[str, Any]:
    """A setup in terms of JSON."""
    stored = asdict(replace(setup, values=tuple((name, field_of(setup, name)) for name in value_parts())))
    stored |= dict(stored.pop("values"))
    return {**stored, FORMATS: {part.name: part.version for part in parts()}}


def read_setup(stored: Mapping[str, Any]) -> Setup:
    """A setup from JSON of this version or any before; what did not exist then is as in a new project. Raises BadInput
    for one that is damaged or was written by a newer Saltwort."""
    formats = stored.get(FORMATS, {})
    unknown = stored.keys() - setup_fields() - {FORMATS}
    if unknown or formats.keys() - {part.name for part in parts()}:
        raise BadInput(NEWER)
    values = {name: value for part in parts() for name, value in _upgraded(part, stored, formats).items()}
    if missing := next((name for name in _NEEDED if name not in values), None):
        raise BadInput(f"This setup is damaged: it has no {missing}.")
    read = {name: read_field(name, value) for name, value in values.items()}
    return with_fields(Setup(**{name: read.pop(name) for name in _NEEDED}), read)


NEWER = "This setup was written by a newer Saltwort. Update this one to open it."
_NEEDED = ("base", "working_space", "view", "default_space")


def _upgraded(part: Part, stored: Mapping[str, Any], formats: Mapping[str, int]) -> dict[str, Any]:
    """The fields of a part as its present format has them."""
    version = formats.get(part.name, 1)
    if version > part.version:
        raise BadInput(NEWER)
    values = {name: stored[name] for name in part.fields if name in stored}
    while version < part.version:
        values = part.upgrades[version](values)
        version += 1
    return values


def read_field(name: str, stored: Any) -> Any:
    """The value of a field of the setup from terms of JSON. Raises BadInput for one that is damaged."""
    return structured(_kinds()[name], stored, "This setup")


@cache
def _kinds() -> dict[str, Any]:
    """What each field of a setup holds."""
    return {**get_type_hints(Setup), **{name: part.kind() for name, part in value_parts().items()}}
