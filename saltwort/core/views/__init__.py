"""View transform families: how scene light becomes a picture, computed here and written as OCIO operations."""

from saltwort.core.views.families import FAMILIES, AddedView, ViewFamily, aces_renderings, add_views

__all__ = ["FAMILIES", "AddedView", "ViewFamily", "aces_renderings", "add_views"]
