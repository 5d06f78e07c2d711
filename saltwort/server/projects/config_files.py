"""Configs of revisions as files, so that processes without the database can load them."""

from functools import lru_cache
from pathlib import Path

import PyOpenColorIO as ocio
from django.conf import settings

from saltwort.core.configs.archives import read_archive
from saltwort.core.configs.export import write_config
from saltwort.core.engine import load_config
from saltwort.server.projects.models import Revision
from saltwort.server.projects.setups import archive_of


def config_file(revision: Revision) -> Path:
    """The config of a revision as an archive whose name is its hash."""
    path = Path(settings.MEDIA_ROOT) / "configs" / f"{revision.config_hash}.zip"
    return path if path.exists() else write_config(archive_of(revision), path)


@lru_cache(maxsize=4)
def config_at(path: str) -> ocio.Config:
    """The config in such a file."""
    return load_config(read_archive(Path(path).read_bytes(), Path(path).name))
