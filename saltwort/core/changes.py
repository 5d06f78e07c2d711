"""What a change changes, in words."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Change:
    """One thing before and after, as shown before anything is saved."""

    what: str
    before: str
    after: str
