"""Names that must not meet."""

from collections.abc import Collection
from itertools import count


def free_name(name: str, taken: Collection[str], join: str = " ") -> str:
    """The name, or the first of `name 2`, `name 3` … that is not taken."""
    if name not in taken:
        return name
    return next(free for number in count(2) if (free := f"{name}{join}{number}") not in taken)
