"""Tell configs apart by their colours alone."""

from copy import deepcopy
from hashlib import sha256
from weakref import WeakKeyDictionary

import PyOpenColorIO as ocio

from saltwort.core.engine.loading import archive_of
from saltwort.core.engine.processors import building

_hashes: WeakKeyDictionary[ocio.Config, str] = WeakKeyDictionary()


def colours_of(config: ocio.Config) -> str:
    """A hash of all that a config's colours depend on: its text without name, description and file rules, and its
    files. The config must have been loaded by `load_config`, and is not changed afterwards."""
    if config not in _hashes:
        found = sha256(_text_of_colours(config).encode())
        for path, content in sorted(archive_of(config).files.items()):
            found.update(path.encode() + sha256(content).digest())
        _hashes[config] = found.hexdigest()
    return _hashes[config]


def _text_of_colours(config: ocio.Config) -> str:
    with building:  # the copy waits for whoever builds from this config, with Python's lock held
        bare = deepcopy(config)
    bare.setName("")
    bare.setDescription("")
    bare.setFileRules(_no_rules(config))
    try:
        text: str = bare.serialize()
    except ocio.Exception:  # some of what the engine reads, it cannot write
        return archive_of(config).text
    return text


def _no_rules(config: ocio.Config) -> ocio.FileRules:
    rules = ocio.FileRules()
    space = config.getColorSpace(ocio.ROLE_SCENE_LINEAR) or config.getColorSpaces()[0]
    rules.setDefaultRuleColorSpace(space.getName())
    return rules
