"""Configs: loaded safely, checked, compared, trimmed, written for older versions, and followed step by step."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

import PyOpenColorIO as ocio

from saltwort.core.configs import Proof, Replacement, Trim, follow, lowered, prove_equal, write_config
from saltwort.core.configs.compare import Comparison
from saltwort.core.configs.describe import working_space_of
from saltwort.core.configs.explain import Followed
from saltwort.core.configs.folders import BUILTIN, read_config_at
from saltwort.core.configs.trim import trim as trim_archive
from saltwort.core.configs.untried import compare_apart, try_config
from saltwort.core.deliverables import Defaults
from saltwort.core.engine import ConfigArchive, ViewChoice
from saltwort.core.engine import load_config as load_archive
from saltwort.core.engine.processors import check_view
from saltwort.core.errors import BadInput
from saltwort.core.findings import Finding
from saltwort.core.findings.linting import does_not_load
from saltwort.core.findings.linting import lint as lint_archive
from saltwort.core.spaces.typed import TypedColour
from saltwort.core.textures.kinds import DEFAULT_KIND_WORDS
from saltwort.core.textures.rules import RuleBook, rules_of


class Config:
    """An OCIO config that has loaded, with its LUTs. Made by `load_config`, `trim`, `lower` and `open_project`."""

    def __init__(self, archive: ConfigArchive, name: str, defaults: Defaults | None = None) -> None:
        self.archive = archive
        """The text of the config, and the content of its LUTs by their paths."""
        self.name = name
        """What messages call it: the path or the name that it was loaded by."""
        self._defaults = defaults

    def __repr__(self) -> str:
        return f"<Config {self.name!r}, OCIO {self.version}, {len(self.spaces)} spaces>"

    @cached_property
    def ocio(self) -> Any:
        """The config as PyOpenColorIO has it."""
        return load_archive(self.archive)

    @property
    def text(self) -> str:
        return self.archive.text

    @property
    def version(self) -> str:
        """The OCIO version that it is written for: `2.4`."""
        return f"{self.ocio.getMajorVersion()}.{self.ocio.getMinorVersion()}"

    @property
    def spaces(self) -> tuple[str, ...]:
        """The names of all colour spaces, those of displays too."""
        return tuple(self.ocio.getColorSpaceNames(ocio.SEARCH_REFERENCE_SPACE_ALL, ocio.COLORSPACE_ALL))

    @property
    def displays(self) -> Mapping[str, tuple[str, ...]]:
        """The views of each active display."""
        return {display: tuple(self.ocio.getViews(display)) for display in self.ocio.getDisplays()}

    @property
    def looks(self) -> tuple[str, ...]:
        return tuple(self.ocio.getLookNames())

    @property
    def roles(self) -> Mapping[str, str]:
        """The space of each role."""
        return {role: self.ocio.getRoleColorSpace(role) for role in self.ocio.getRoleNames()}

    @cached_property
    def defaults(self) -> Defaults:
        """Working space, view and grade, which hold where a function is not given others: a project’s own, else the
        scene-linear role and the default view. Raises BadInput for a config without a scene-linear space."""
        if self._defaults:
            return self._defaults
        display = self.ocio.getDefaultDisplay()
        return Defaults(ViewChoice(display, self.ocio.getDefaultView(display)), working_space_of(self.ocio))

    @property
    def rule_book(self) -> RuleBook:
        """The file rules of the config itself. Raises BadInput for a config without any."""
        rules, default_space = rules_of(self.ocio)
        if not default_space:
            raise BadInput(f"{self.name} has no file rules of its own. Use a config or a project that has some.")
        return RuleBook(self.ocio, rules, default_space, DEFAULT_KIND_WORDS)

    def view_choice(self, display: str = "", view: str = "", look: str = "") -> ViewChoice:
        """A view by name; without a display the default view, with a display alone its first one."""
        if not display:
            chosen = self.defaults.view
            return ViewChoice(chosen.display, view or chosen.view, look or ("" if view else chosen.look))
        return ViewChoice(display, view or self.ocio.getDefaultView(display), look)

    def save(self, path: str | Path) -> Path:
        """Write the config, as `.ocioz` or `.zip`, else into a folder; existing files of these names are replaced. The
        result is the file to load. Raises BadInput when the disk refuses, or the version reads no `.ocioz`."""
        return write_config(self.archive, Path(path))


def load_config(source: str | Path) -> Config:
    """Load a config safely: in a process with limits first, with LUTs from its own folder or archive alone.

    `source` is the path of a `config.ocio`, of its folder or of an archive, or a built-in config as `ocio://NAME`
    (`ocio://cg-config-latest`). Raises BadInput with the reason for one that does not load, names files outside its
    folder, or takes more than any config needs.

    >>> config = load_config("ocio://cg-config-latest")
    >>> config.defaults.working_space
    'ACEScg'
    """
    name = str(source)
    archive = _archive_at(source)
    if not name.startswith(BUILTIN):
        try_config(archive, name)
    config = Config(archive, name)
    _ = config.ocio  # refuses here, and not later, what cannot be used
    return config


def lint(source: Config | str | Path) -> list[Finding]:
    """The findings of a config, worst first, each with code, level, subject, title and why.

    A config at a path that does not load is a finding too. Raises BadInput where there is no config.

    >>> [finding.code for finding in lint("broken.ocio")]
    ['config.does-not-load']
    """
    if isinstance(source, Config):
        return lint_archive(source.archive, source.name)
    try:
        archive = _archive_at(source)
    except BadInput as error:
        if Path(source).exists():
            return [does_not_load(str(source), error)]
        raise
    return lint_archive(archive, str(source))


def diff(first: Config | str | Path, second: Config | str | Path) -> Comparison:
    """Compare two configs by what they do to colours. `verdict` is `identical`, `same meaning` or `different`;
    `differences` lists each with its largest and mean error, the worst first, in the metric that it names.

    Raises BadInput for a config that does not load.

    >>> diff("studio.ocio", "studio.ocio").verdict
    'identical'
    """
    one, other = _loaded(first), _loaded(second)
    return compare_apart(one.archive, other.archive, other.name)


@dataclass(frozen=True)
class Trimmed:
    """A smaller config, and the proof that it gives the same colours: `proof.largest` is 0."""

    config: Config
    proof: Proof


def trim(
    config: Config, spaces: Sequence[str] = (), views: Sequence[tuple[str, str]] = (), looks: Sequence[str] = ()
) -> Trimmed:
    """Keep spaces, views (display and view) and looks of a config, with all that these depend on; without any views
    the default one. Each space and view that is left is compared with the whole config, to the bit.

    Raises BadInput for a name that the config does not have, and when any colour would change.

    >>> small = trim(load_config("studio.ocio"), spaces=["ACEScg"])
    >>> len(small.config.spaces) < 20, small.proof.largest
    (True, 0.0)
    """
    kept = tuple(ViewChoice(display, view) for display, view in views) or (config.defaults.view,)
    for choice in kept:
        check_view(config.ocio, choice)
    archive = trim_archive(config.archive, Trim(tuple(spaces), kept, tuple(looks)))
    small = Config(archive, f"{config.name}, trimmed")
    proof = prove_equal(config.ocio, small.ocio, small.spaces, kept)
    if proof.largest:
        raise BadInput(f"{proof.where} would give other colours in the trimmed config. Keep more of the config.")
    return Trimmed(small, proof)


@dataclass(frozen=True)
class Lowered:
    """A config for an older OCIO version, what that version could not hold, and by how much colours differ: over all
    spaces and views that both configs have."""

    config: Config
    replacements: tuple[Replacement, ...]
    proof: Proof


def lower(config: Config, version: str) -> Lowered:
    """Write a config for an older OCIO version (`2.1`). What that version cannot hold is written with plain operations
    (`exact`), baked into LUTs, or left out; `replacements` says which.

    Raises BadInput for a version that cannot be written, or when nothing sensible would be left.

    >>> older = lower(load_config("studio.ocio"), "2.1")
    >>> older.config.version
    '2.1'
    """
    made = lowered(config.archive, version)
    older = Config(made.archive, f"{config.name}, for OCIO {version}")
    spaces = [name for name in config.spaces if name in older.spaces]
    views = [
        ViewChoice(display, view)
        for display, names in config.displays.items()
        for view in names
        if view in older.displays.get(display, ())
    ]
    return Lowered(older, made.replacements, prove_equal(config.ocio, older.ocio, spaces, views))


def trace(
    config: Config,
    colour: str | Sequence[float],
    space: str,
    *,
    to: str = "",
    display: str = "",
    view: str = "",
    look: str = "",
    unit: str = "",
) -> list[Followed]:
    """A colour after every step from a space to another (`to`), or through a view; each step has its `text` and three
    `values`, float32 precision. The last values are those of OCIO for the whole way.

    `colour` is three values in the encoding of `space`, or text as it is typed: `#c8102e`, `47 106 104`, `0.18`.
    `unit` says what typed values are (`8-bit`, `hex`, …; default: 0–1, hex after a #). Raises BadInput for unknown
    names and for a colour that cannot be read.

    >>> steps = trace(load_config("studio.ocio"), (0.18, 0.18, 0.18), "ACEScg", to="sRGB - Texture")
    >>> [round(value, 3) for value in steps[-1].values]
    [0.461, 0.461, 0.461]
    """
    if to and (display or view):
        raise BadInput("A colour goes to a space or through a view. Give one of the two.")
    typed = colour if isinstance(colour, str) else " ".join(repr(float(value)) for value in colour)
    target = to or config.view_choice(display, view, look)
    chosen = unit or ("hex" if typed.lstrip().startswith("#") else "unit")
    return follow(config.ocio, TypedColour(space, chosen, typed), target)


def _loaded(source: Config | str | Path) -> Config:
    return source if isinstance(source, Config) else load_config(source)


def _archive_at(source: str | Path) -> ConfigArchive:
    """The config at a path that whoever calls may read, not tried yet, or a built-in one."""
    if str(source).startswith(BUILTIN):
        return read_config_at(str(source), [])
    resolved = Path(source).expanduser().resolve()
    return read_config_at(str(resolved), [Path(resolved.anchor)])
