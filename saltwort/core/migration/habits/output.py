"""Settings of cameras and outputs that make a picture of light by themselves."""

import re
from collections.abc import Iterator

from saltwort.core.migration.graph import Document, Setting

_TONE = re.compile(
    r"tone_?map|filmic|view_?transform|film_?response|burn|highlight_?compress|crush|vignett|contrast", re.IGNORECASE
)
_GAMMA = re.compile(r"gamma", re.IGNORECASE)
_OFF = ("", "none", "off", "linear", "raw", "false", "0", "no", "disabled", "standard_off")


def is_gamma(setting: Setting) -> bool:
    """Whether a setting is an exponent of the output."""
    return bool(_GAMMA.search(setting.name)) and isinstance(setting.value, tuple)


def output_mappings(document: Document) -> Iterator[Setting]:
    """Settings that are on and map tones."""
    for setting in document.settings:
        if is_gamma(setting):
            assert isinstance(setting.value, tuple)
            if len(setting.value) == 1 and setting.value[0] not in (0.0, 1.0):
                yield setting
        elif _TONE.search(setting.name) and _is_on(setting.value):
            yield setting


def _is_on(value: object) -> bool:
    if isinstance(value, bool):
        return value
    if isinstance(value, str):
        return value.lower() not in _OFF
    return isinstance(value, tuple) and any(number != 0 for number in value)
