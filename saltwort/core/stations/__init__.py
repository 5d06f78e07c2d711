"""Stations of the chain, what they can do, and the settings that each must be given."""

from saltwort.core.stations.sheet import Chain, ColourLine, Section, Setting, TextureLine, settings_sheet
from saltwort.core.stations.station import COMPOSITOR, RENDERER, Station

__all__ = [
    "COMPOSITOR",
    "RENDERER",
    "Chain",
    "ColourLine",
    "Section",
    "Setting",
    "Station",
    "TextureLine",
    "settings_sheet",
]
