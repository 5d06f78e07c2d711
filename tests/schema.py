"""Hold what the server answers to the schema from which the screens' types are made."""

import re
from contextlib import AbstractContextManager
from functools import cache, lru_cache
from typing import Any
from unittest.mock import patch

import yaml
from django.conf import settings
from django.http import HttpResponseBase
from django.urls import resolve
from drf_spectacular.generators import SchemaGenerator
from jsonschema import Draft202012Validator

SCHEMA = settings.BASE_DIR / "web" / "src" / "api" / "schema.yaml"


def broken_promises(method: str, path: str, answer: HttpResponseBase, content: Any) -> list[str]:
    """How an answer in JSON differs from what the schema says of it; nothing for refusals, which all have a form of
    their own: `detail`, one sentence, the `field` that is wrong, and for a stale write the `version` that stands."""
    if answer.status_code >= 400:
        is_refusal = isinstance(content, dict) and isinstance(content.get("detail"), str)
        return [] if is_refusal and set(content) <= {"detail", "field", "version"} else [f"no refusal: {content}"]
    template = re.sub(r"<\w+:(\w+)>", lambda found: f"{{{'id' if found[1] == 'pk' else found[1]}}}", _route(path))
    said = _schema()["paths"].get(template, {}).get(method.lower())
    if said is None:
        return [f"{method} {template} is not in the schema"]
    promised = said["responses"].get(str(answer.status_code))
    if promised is None:
        return [f"{method} {template} answers {answer.status_code}, of which the schema says nothing"]
    shape = promised.get("content", {}).get("application/json", {}).get("schema")
    if shape is None:
        return []
    validator = Draft202012Validator({**shape, "components": _schema()["components"]})
    return [f"{method} {template}: {error.json_path} {error.message[:200]}" for error in validator.iter_errors(content)]


def _route(path: str) -> str:
    return f"/{resolve(path.partition('?')[0]).route}"


@lru_cache(maxsize=1)
def _schema() -> dict[str, Any]:
    schema: dict[str, Any] = _as_json_schema(yaml.load(SCHEMA.read_text(encoding="utf-8"), Loader=yaml.CSafeLoader))
    return schema


def schema_written_now() -> AbstractContextManager[object]:
    """Hold answers to what `make schema` would write now."""
    return patch(f"{__name__}._schema", cache(lambda: _as_json_schema(SchemaGenerator().get_schema(public=True))))


def _as_json_schema(node: Any) -> Any:
    """OpenAPI 3.0 says `nullable` where JSON Schema says that null is a type, and objects may hold no more than they
    promise: what the types of the screens do not know is a mistake."""
    if isinstance(node, list):
        return [_as_json_schema(item) for item in node]
    if not isinstance(node, dict):
        return node
    made = {name: _as_json_schema(value) for name, value in node.items() if name != "nullable"}
    if made.get("type") == "object" and "properties" in made and "additionalProperties" not in made:
        made["additionalProperties"] = False
    return {"anyOf": [made, {"type": "null"}]} if node.get("nullable") is True else made
