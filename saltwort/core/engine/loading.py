"""Load configs into the engine without letting them reach the disk."""

import os
import re
import weakref
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from hashlib import sha256
from posixpath import normpath
from threading import Lock

import PyOpenColorIO as ocio
import yaml
from cachetools import LRUCache

from saltwort.core.engine.outside import check_named_files
from saltwort.core.errors import BadInput

# The library lets these variables of a shell change what every config offers. OCIO, which names a config, stays.
for _name in [name for name in os.environ if name.startswith("OCIO_")]:
    del os.environ[_name]
ocio.SetLoggingLevel(ocio.LOGGING_LEVEL_NONE)  # what it has to say is told as a refusal or a finding

_LOADER = getattr(yaml, "CSafeLoader", yaml.SafeLoader)

MAX_CONFIG_BYTES = 8_000_000
"""The largest built-in config has about 120 kB; a config beyond this is refused before it is parsed."""
MAX_DEPTH = 32
"""Levels of nesting. Real configs have about eight; parsers recurse."""
MAX_ALIASES = 200
"""YAML aliases, which repeat a part and can multiply. Configs hardly use any."""
MAX_SPACES = 2_000
MAX_DISPLAYS = 100
MAX_FILE_RULES = 1_000
MAX_VIEWS = 500
"""On all displays together. The largest configs in use have about 350 spaces, and 20 displays with 10 views each."""
NOWHERE = "nowhere"
"""Stands for the content of a file that no archive holds, which is no LUT."""


@dataclass(frozen=True)
class ConfigArchive:
    """A config with the files it brings along: its text, and LUTs by their path in the archive, with `/`."""

    text: str
    files: Mapping[str, bytes] = field(default_factory=dict)

    @cached_property
    def hash(self) -> str:
        """SHA-256 over text and files."""
        digest = sha256(self.text.encode(errors="surrogateescape"))
        for path in sorted(self.files):
            digest.update(f"\0{path}\0{sha256(self.files[path]).hexdigest()}".encode())
        return digest.hexdigest()


class _ArchiveFiles(ocio.PyConfigIOProxy):  # type: ignore[misc]
    """Serves a config's text and the LUTs of its own archive: other paths in it lead nowhere.

    The engine keeps LUTs for the whole process under their path alone. So each archive stands in a folder named by
    its hash, or one config would be given the LUT of another. Where a proxy does not know a file, the engine looks on
    the disk; so this one knows every file, and those of no archive are no LUTs.
    """

    def __init__(self, archive: ConfigArchive) -> None:
        super().__init__()
        self._archive = archive
        self.folder = f"/{archive.hash}"

    def _below(self, path: str) -> str | None:
        """A path as the archive has it; None for one that leads out of it."""
        plain = normpath(path)
        return plain.removeprefix(f"{self.folder}/") if plain.startswith(f"{self.folder}/") else None

    def getConfigData(self) -> str:
        return self._archive.text

    def getLutData(self, path: str) -> ocio.vector_of_uint8_t:
        content = self._archive.files.get(self._below(path) or "", NOWHERE.encode())
        return ocio.vector_of_uint8_t(content)

    def getFastLutFileHash(self, path: str) -> str:
        below = self._below(path)
        if below is None:
            return NOWHERE
        # An empty answer has the engine look below the archive's folder, which no disk has, and then go on with the
        # next search path.
        return sha256(self._archive.files[below]).hexdigest() if below in self._archive.files else ""


def load_config(source: str | ConfigArchive, *, to_mend: bool = False) -> ocio.Config:
    """Parse and validate a config, from its text or as an archive.

    LUTs come from the archive alone, and context variables have the values that the config gives them: nothing of
    this machine or its environment is seen. A LUT that is missing is no reason to refuse: only what needs it will not
    work. A config `to_mend` need not be valid yet, but must be in the end. Raises BadInput with a sentence when the
    config itself does not load, or names files outside its archive.
    """
    archive = ConfigArchive(source) if isinstance(source, str) else source
    _check_text(archive)
    proxy = _ArchiveFiles(archive)
    try:
        config = ocio.Config.CreateFromConfigIOProxy(proxy)
        config.setWorkingDir(proxy.folder)
        _forget_environment(config)
        if not to_mend:
            config.validate()
    except ocio.Exception as error:
        raise BadInput(f"This config does not load: {first_sentence(error)}") from error
    _check_counts(config)
    # A config keeps the library's half of its proxy alive, but not Python's.
    weakref.finalize(config, _let_go, proxy)
    _archives[config] = archive
    return config


def _check_text(archive: ConfigArchive) -> None:
    """Raise BadInput for a text that costs the engine's parser too much, or names files outside its archive. What has
    passed is not checked again: reading it as YAML takes longer than loading it."""
    with _checking:
        if archive.hash in _checked:
            return
    check_named_files(_parsed(archive.text), archive.files)
    with _checking:
        _checked[archive.hash] = True


_checked: LRUCache[str, bool] = LRUCache(1_000)
_checking = Lock()
_archives: weakref.WeakKeyDictionary[ocio.Config, ConfigArchive] = weakref.WeakKeyDictionary()


def archive_of(config: ocio.Config) -> ConfigArchive:
    """What a config was loaded from. Raises KeyError for one that was not loaded here."""
    return _archives[config]


def _check_counts(config: ocio.Config) -> None:
    """Raise BadInput for a config with more of anything than can be shown, compared and computed in time."""
    displays = config.getDisplaysAll()
    spaces = config.getColorSpaceNames(ocio.SEARCH_REFERENCE_SPACE_ALL, ocio.COLORSPACE_ALL)
    for count, most, what in (
        (len(spaces), MAX_SPACES, "colour spaces"),
        (len(displays), MAX_DISPLAYS, "displays"),
        (len(config.getLooks()), MAX_SPACES, "looks"),
        (len(config.getNamedTransforms()), MAX_SPACES, "named transforms"),
        (config.getFileRules().getNumEntries(), MAX_FILE_RULES, "file rules"),
    ):
        if count > most:
            raise BadInput(f"This config has {count:,} {what}; the limit is {most:,}. Remove what is unused first.")
    views = 0
    for display in displays:
        for kind in (ocio.VIEW_DISPLAY_DEFINED, ocio.VIEW_SHARED):
            views += len(config.getViews(kind, display))
        if views > MAX_VIEWS:
            raise BadInput(f"This config has more than {MAX_VIEWS} views. Remove what is unused first.")


def _forget_environment(config: ocio.Config) -> None:
    """Give context variables the config's own values back: the engine has taken those of this process."""
    own = {name: config.getEnvironmentVarDefault(name) for name in config.getEnvironmentVarNames()}
    config.clearEnvironmentVars()
    for name, value in own.items():
        config.addEnvironmentVar(name, value)


def _let_go(proxy: _ArchiveFiles) -> None:
    """Nothing to do: the reference itself was the point."""


@lru_cache(maxsize=16)
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


def _parsed(text: str) -> yaml.Node | None:
    """A config's text as YAML nodes. Raises BadInput for text that would cost the engine's parser too much."""
    if len(text) > MAX_CONFIG_BYTES:
        raise BadInput(f"This config is larger than {MAX_CONFIG_BYTES // 1_000_000} MB. Save it without inline data.")
    if "\0" in text:
        raise BadInput("This file is not a config: it holds binary data. Import the text file config.ocio.")
    depth = aliases = 0
    try:
        for event in yaml.parse(text, Loader=_LOADER):
            if isinstance(event, yaml.CollectionStartEvent):
                depth += 1
            elif isinstance(event, yaml.CollectionEndEvent):
                depth -= 1
            aliases += isinstance(event, yaml.AliasEvent)
            if depth > MAX_DEPTH:
                raise BadInput(f"This config is nested deeper than {MAX_DEPTH} levels, which no real config is.")
            if aliases > MAX_ALIASES:
                raise BadInput(f"This config uses more than {MAX_ALIASES} YAML aliases. Write the parts out instead.")
        return yaml.compose(text, Loader=_LOADER)
    except yaml.YAMLError as error:
        raise BadInput(f"This config does not load: it is not YAML. {first_sentence(error)}") from error


def first_sentence(error: Exception) -> str:
    """The engine's reason, in one line, without its opening words and the folders it knows archives by."""
    text = re.sub(r"\s+", " ", str(error)).strip()
    text = text.removeprefix("Error: ").removeprefix("Loading the OCIO profile failed. ")
    text = re.sub(r"\s*'?from Archive/ConfigIOProxy'?", "", text)
    text = re.sub(r"/[0-9a-f]{64}/", "", text)
    return text if len(text) <= 300 else text[:300] + "…"
