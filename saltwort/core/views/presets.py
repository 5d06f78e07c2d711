"""Designs to start from, of our own."""

from dataclasses import dataclass, replace

from saltwort.core.views import agx, filmic
from saltwort.core.views.design import Design


@dataclass(frozen=True)
class Preset:
    """A design with a name, and in one sentence what it is for."""

    family: str
    name: str
    use: str
    design: Design


OWN_DESIGNS = {"agx": agx.DESIGN, "filmic": filmic.DESIGN}
"""What each family is by itself."""

PRESETS = (
    Preset("agx", "Harbour haze", "Low contrast and a long shoulder: for grading afterwards.", replace(
        agx.DESIGN, contrast=0.68, toe=2.2, shoulder=2.0, brightest=8.0)),
    Preset("agx", "Paper lantern", "Coloured lamps keep their colour longer before they go white.", replace(
        agx.DESIGN, contrast=0.95, path_to_white=0.6)),
    Preset("agx", "Slate noon", "Firm contrast and deep shadows for hard sun.", replace(
        agx.DESIGN, contrast=1.15, grey=0.19, toe=1.9, shoulder=4.0, darkest=-9.0)),
    Preset("filmic", "Overcast pier", "Soft contrast, open shadows.", replace(
        filmic.DESIGN, contrast=1.05, toe=0.5, shoulder=0.6)),
    Preset("filmic", "Night ferry", "Two stops more above grey, for lamps against a dark sky.", replace(
        filmic.DESIGN, brightest=8.5, contrast=1.3, toe=0.5, shoulder=0.9)),
    Preset("filmic", "Product table", "Nearly no path to white: colours stay as typed up to the shoulder.", replace(
        filmic.DESIGN, inset=(0.03,) * 3, outset=(0.03,) * 3, contrast=1.15)),
)  # fmt: skip
