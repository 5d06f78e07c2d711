"""Names that must not meet."""

import re
import unicodedata
from collections.abc import Container, Iterable
from itertools import count


def free_name(name: str, taken: Container[str], join: str = " ") -> str:
    """The name, or the first of `name 2`, `name 3` … that is not taken."""
    if name not in taken:
        return name
    return next(free for number in count(2) if (free := f"{name}{join}{number}") not in taken)


def on_disk(name: str) -> str:
    """What names have in common that are one file on some systems: they differ in case, or in how letters are coded."""
    return unicodedata.normalize("NFC", name).casefold()


def same_on_disk(names: Iterable[str]) -> tuple[str, str] | None:
    """Two of the names that are one file on some systems."""
    seen: dict[str, str] = {}
    for name in names:
        other = seen.setdefault(on_disk(name), name)
        if other != name:
            return other, name
    return None


LONGEST_TEXT = 1_000
_CONTROL = re.compile(r"[\x00-\x1f\x7f-\x9f\ufffe\uffff]+")


def clean_text(text: str) -> str:
    """Text from a file as it can be stored and shown: valid Unicode in one line, cut at LONGEST_TEXT characters."""
    valid = text.encode("utf-8", "replace").decode()
    return _CONTROL.sub(" ", valid)[:LONGEST_TEXT].strip()


def slug(text: str) -> str:
    """Text as a part of a file name: small ASCII letters, digits and hyphens; empty where it holds none."""
    plain = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[-\s]+", "-", re.sub(r"[^a-z0-9_\s-]", "", plain)).strip("-_")
