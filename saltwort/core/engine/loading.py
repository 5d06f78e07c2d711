"""Load configs into the engine without letting them reach the disk."""

import re

import PyOpenColorIO as ocio

from saltwort.core.errors import BadInput

MAX_CONFIG_BYTES = 8_000_000
"""The largest built-in config has about 120 kB; a config beyond this is refused before it is parsed."""


class _NoFiles(ocio.PyConfigIOProxy):  # type: ignore[misc]
    """Serves a config's text and no LUT file: paths in an untrusted config lead nowhere."""

    def __init__(self, text: str = "") -> None:
        super().__init__()
        self._text = text

    def getConfigData(self) -> str:
        return self._text

    def getLutData(self, path: str) -> bytes:
        raise ocio.ExceptionMissingFile(f"{path} is not part of this config.")

    def getFastLutFileHash(self, path: str) -> str:
        return ""


# A config keeps the library's half of its proxy alive but not Python's, so all configs are given this one to keep.
_NO_FILES = _NoFiles()


def load_config(text: str) -> ocio.Config:
    """Parse and validate the text of a `config.ocio`. Raises BadInput with a sentence when it does not load."""
    if len(text.encode(errors="surrogateescape")) > MAX_CONFIG_BYTES:
        raise BadInput(f"This config is larger than {MAX_CONFIG_BYTES // 1_000_000} MB; bring one without inline data.")
    if "\0" in text:
        raise BadInput("This file is not a config: it holds binary data. Bring the text file config.ocio.")
    try:
        proxy = _NoFiles(text)
        config = ocio.Config.CreateFromConfigIOProxy(proxy)
        config.setConfigIOProxy(_NO_FILES)
        config.validate()
    except ocio.Exception as error:
        raise BadInput(f"This config does not load: {_first_sentence(error)}") from error
    return config


def builtin_text(name: str) -> str:
    """The text of one of the engine's built-in configs. Raises BadInput for a name it does not have."""
    if name not in {row[0] for row in ocio.BuiltinConfigRegistry().getBuiltinConfigs()}:
        raise BadInput(f"The engine has no built-in config named “{name}”.")
    text: str = ocio.Config.CreateFromBuiltinConfig(name).serialize()
    return text


def newest_cg_config() -> str:
    """Name of the engine's newest built-in ACES config for computer graphics."""
    name: str = ocio.ResolveConfigPath("ocio://cg-config-latest")
    return name.removeprefix("ocio://")


def _first_sentence(error: Exception) -> str:
    """The engine's reason, in one line and without its opening words."""
    text = re.sub(r"\s+", " ", str(error)).strip()
    text = text.removeprefix("Error: ").removeprefix("Loading the OCIO profile failed. ")
    text = text.replace(" from Archive/ConfigIOProxy", "").replace("'from Archive/ConfigIOProxy' ", "")
    return text if len(text) <= 300 else text[:300] + "…"
