"""Findings that somebody has looked at and left as they are, with the reason."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Dismissal:
    """A finding by its code and subject, or without a subject all of that code. `title` is what it said."""

    code: str
    subject: str
    title: str
    reason: str
    author: str = ""
