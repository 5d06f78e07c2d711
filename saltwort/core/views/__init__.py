"""View transform families: how scene light becomes a picture, computed here and written as OCIO operations."""

from saltwort.core.views.added import add_views
from saltwort.core.views.family import AddedView, ViewFamily, view_families

__all__ = ["AddedView", "ViewFamily", "add_views", "view_families"]
