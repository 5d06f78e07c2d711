"""The stored setup of a project, and the configs and LUTs that it is composed of."""

from collections import OrderedDict
from datetime import datetime
from hashlib import sha256
from threading import Lock

import PyOpenColorIO as ocio
from cachetools import LRUCache, cached
from django.utils import timezone

from saltwort.core.engine import ConfigArchive, builtin_text, load_config
from saltwort.core.errors import BadInput
from saltwort.core.project import Setup, read_setup
from saltwort.core.textures.kinds import KindWords
from saltwort.core.textures.rules import Rule, RuleBook
from saltwort.server.projects.models import BaseConfig, ConfigFile, Project, Revision, StoredConfig

BUILTIN, UPLOADED, REVISION = "builtin:", "sha256:", "revision:"


def current_setup(project: Project) -> Setup:
    return read_setup(project.current.setup)


def base_archive(base: str) -> ConfigArchive:
    """The config that a setup starts from. Raises BadInput when there is no such config."""
    if base.startswith(BUILTIN):
        return ConfigArchive(base_text(base))
    return archive_of(_brought(base))


def base_text(base: str) -> str:
    """The text alone of the config that a setup starts from. Raises BadInput when there is no such config."""
    if base.startswith(BUILTIN):
        return builtin_text(base.removeprefix(BUILTIN))
    return _brought(base).text


def _brought(base: str) -> BaseConfig:
    found = BaseConfig.objects.filter(sha256=base.removeprefix(UPLOADED)).first()
    if found is None:
        raise BadInput("The config this setup starts from is gone. Import it again.")
    return found


def named_archive(project: Project, name: str) -> ConfigArchive:
    """A config by name: `revision:` and a number of the project, or what a setup's `base` may be.

    Raises BadInput for a name of no config.
    """
    if name.startswith(REVISION):
        number = name.removeprefix(REVISION)
        revision = project.revisions.filter(number=number).first() if number.isdecimal() else None
        if revision is None:
            raise BadInput(f"The project has no revision {number}.")
        return archive_of(revision)
    return base_archive(name)


def archive_of(stored: StoredConfig) -> ConfigArchive:
    """A stored config with the content of its files."""
    found = ConfigFile.objects.in_bulk(set(stored.files.values()))
    return ConfigArchive(stored.text, {path: bytes(found[sha256].content) for path, sha256 in stored.files.items()})


def store_files(archive: ConfigArchive) -> dict[str, str]:
    """Keep an archive's files, and give back what a StoredConfig calls them."""
    return {path: keep_lut(content) for path, content in archive.files.items()}


def keep_lut(content: bytes) -> str:
    """Keep a LUT, and give back its hash."""
    hashed = sha256(content).hexdigest()
    if not ConfigFile.objects.filter(sha256=hashed).update(brought=timezone.now()):
        ConfigFile.objects.get_or_create(sha256=hashed, defaults={"content": content})
    return hashed


def forget_unused(brought_before: datetime) -> None:
    """Delete brought configs that no revision starts from, and LUTs that no config has any more."""
    setups = Revision.objects.values_list("setup__base", "setup__added_looks", "files")
    bases: set[str] = set()
    files: set[str] = set()
    for base, looks, named in setups.iterator():
        bases.add(base.removeprefix(UPLOADED))
        files.update(named.values(), (look["lut_sha256"] for look in looks or ()))
    old = {"brought__lt": brought_before}
    unused = [base for base in BaseConfig.objects.filter(**old).values_list("pk", flat=True) if base not in bases]
    BaseConfig.objects.filter(pk__in=unused, **old).delete()
    for (named,) in BaseConfig.objects.values_list("files"):
        files.update(named.values())
    unused = [file for file in ConfigFile.objects.filter(**old).values_list("pk", flat=True) if file not in files]
    ConfigFile.objects.filter(pk__in=unused, **old).delete()


def luts_of(setup: Setup) -> dict[str, bytes]:
    """The LUTs of a setup's looks, by hash. Raises BadInput when one was never brought."""
    wanted = {look.lut_sha256: look.lut for look in setup.added_looks if look.lut}
    found = ConfigFile.objects.in_bulk(list(wanted))
    for sha256_of_lut, name in wanted.items():
        if sha256_of_lut not in found:
            raise BadInput(f"The LUT “{name}” of a look is not here. Import its file again.")
    return {sha256_of_lut: bytes(file.content) for sha256_of_lut, file in found.items()}


_configs: OrderedDict[str, ocio.Config] = OrderedDict()
_configs_lock = Lock()
CONFIGS_KEPT = 32


def config_of(revision: Revision) -> ocio.Config:
    """The engine's config of a revision; loaded once per process, and never to be changed."""
    with _configs_lock:
        config = _configs.get(revision.config_hash)
        return _kept(revision.config_hash, config or load_config(archive_of(revision)))


def keep_config(archive: ConfigArchive) -> None:
    """Have the config of a revision that is not saved, or not yet, at hand for `config_of`."""
    with _configs_lock:
        if archive.hash not in _configs:
            _kept(archive.hash, load_config(archive))


def _kept(config_hash: str, config: ocio.Config) -> ocio.Config:
    _configs[config_hash] = config
    _configs.move_to_end(config_hash)
    if len(_configs) > CONFIGS_KEPT:
        _configs.popitem(last=False)
    return config


def rule_book_of(revision: Revision) -> RuleBook:
    """The rules of a revision, ready to be asked."""
    setup = read_setup(revision.setup)
    return _rule_book(revision, tuple(setup.rules), setup.default_space, setup.kind_words)


@cached(LRUCache(CONFIGS_KEPT), key=lambda revision, *rules: (revision.config_hash, *rules), lock=Lock())
def _rule_book(revision: Revision, rules: tuple[Rule, ...], default_space: str, words: KindWords) -> RuleBook:
    return RuleBook(config_of(revision), rules, default_space, words)
