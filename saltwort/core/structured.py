"""Dataclasses from terms of JSON, strictly: nothing is made of a value of another kind, and nothing is left over."""

from collections.abc import Callable
from typing import Any, get_args, get_origin

import cattrs

from saltwort.core.errors import BadInput


def structured(kind: Any, stored: Any, what: str = "This") -> Any:
    """A value of a kind (a dataclass, or a tuple of them) from terms of JSON. Raises BadInput, which calls it `what`,
    for one that is damaged."""
    try:
        return _converter.structure(stored, kind)
    except Exception as error:  # of whatever the constructors raise
        raise BadInput(f"{what} is damaged: {'; '.join(cattrs.transform_error(error))}.") from None


def _only(*kinds: type) -> Callable[[Any, Any], Any]:
    """Take values of these kinds alone: by themselves, numbers are made of text, and text of anything."""

    def take(value: Any, kind: type) -> Any:
        if not isinstance(value, kinds) or (isinstance(value, bool) and bool not in kinds):
            raise TypeError(f"{kind.__name__} expected, not {type(value).__name__}")
        return kind(value)

    return take


def _is_tuple(kind: Any) -> bool:
    return get_origin(kind) is tuple


def _tuple_taker(kind: Any, converter: cattrs.BaseConverter) -> Callable[[Any, Any], Any]:
    kinds = get_args(kind)

    def take(value: Any, _: Any) -> Any:
        if not isinstance(value, list | tuple):
            raise TypeError(f"list expected, not {type(value).__name__}")
        of = kinds[:1] * len(value) if kinds[-1] is ... else kinds
        return tuple(converter.structure(item, kind) for item, kind in zip(value, of, strict=True))

    return take


def _tag(value: Any, _: Any) -> str | float | tuple[float, ...]:
    """A value of a header: text, a number, or several."""
    if isinstance(value, list | tuple) and all(_is_number(item) for item in value):
        return tuple(value)
    if isinstance(value, str | int | float) and not isinstance(value, bool):
        return value
    raise TypeError(f"text or numbers expected, not {type(value).__name__}")


def _is_number(value: object) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


_converter = cattrs.Converter(forbid_extra_keys=True)
_converter.register_structure_hook(str | float | tuple[float, ...], _tag)
_converter.register_structure_hook(str, _only(str))
_converter.register_structure_hook(bool, _only(bool))
_converter.register_structure_hook(int, _only(int))
_converter.register_structure_hook(float, _only(int, float))
_converter.register_structure_hook_factory(_is_tuple, _tuple_taker)
