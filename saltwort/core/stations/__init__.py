"""Stations of the chain, what they can do, and the settings that each must be given."""

from saltwort.core.stations.sheet import Chain, Section, Setting, TextureLine, settings_sheet, sheet_text
from saltwort.core.stations.station import COMPOSITOR, RENDERER, Station

__all__ = [
    "COMPOSITOR",
    "RENDERER",
    "Chain",
    "Section",
    "Setting",
    "Station",
    "TextureLine",
    "settings_sheet",
    "sheet_text",
]
