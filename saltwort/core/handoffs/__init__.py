"""Stations of the chain and the settings each must be given."""

from saltwort.core.handoffs.sheets import Line, Section, TextureLine, settings_sheet, sheet_text
from saltwort.core.handoffs.stations import COMPOSITOR, RENDERER, Station, config_is_too_new

__all__ = [
    "COMPOSITOR",
    "RENDERER",
    "Line",
    "Section",
    "Station",
    "TextureLine",
    "config_is_too_new",
    "settings_sheet",
    "sheet_text",
]
