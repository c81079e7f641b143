"""The solids of the library, by name: properties at 300 K, what their surfaces send out, and where both are from."""

from __future__ import annotations

from dataclasses import dataclass

from brook.core.formulas import nearest
from brook.core.materials.solid import Solid, own_solid
from brook.core.study import Problem, Resolved

METALS = "Incropera et al. (2007), table A.1, at 300 K"
OTHERS = "Incropera et al. (2007), table A.2, at 300 K"
BUILDING = "Incropera et al. (2007), table A.3, at 300 K"
PLASTICS = "VDI Heat Atlas (2010), part D6, at 20 °C"
FINISHES = "Incropera et al. (2007), table A.11, total, at 300 K"


@dataclass(frozen=True)
class Listed:
    """A solid with the emissivity of its surface in some finishes, between 0 and 1, and the table that it is from."""

    solid: Solid
    source: str
    finishes: tuple[tuple[str, float], ...] = ()


def _listed(source: str, title: str, density: float, capacity: float, conductivity: float, **finishes: float) -> Listed:
    return Listed(
        Solid(title, density, capacity, conductivity),
        source,
        tuple((k.replace("_", " "), v) for k, v in finishes.items()),
    )


LISTED: dict[str, Listed] = {
    "aluminium": _listed(METALS, "Aluminium", 2702.0, 903.0, 237.0, polished=0.04, foil=0.07, anodized=0.82),
    "aluminium_2024": _listed(METALS, "Aluminium alloy 2024-T6", 2770.0, 875.0, 177.0, anodized=0.82),
    "aluminium_cast": _listed(METALS, "Aluminium alloy 195, cast", 2790.0, 883.0, 168.0),
    "copper": _listed(METALS, "Copper", 8933.0, 385.0, 401.0, polished=0.03),
    "bronze": _listed(METALS, "Bronze, 90 % copper, 10 % aluminium", 8800.0, 420.0, 52.0),
    "brass": _listed(METALS, "Brass, 70 % copper, 30 % zinc", 8530.0, 380.0, 110.0),
    "nickel_silver": _listed(METALS, "Nickel silver", 8618.0, 410.0, 23.0),
    "constantan": _listed(METALS, "Constantan", 8920.0, 384.0, 23.0),
    "chromium": _listed(METALS, "Chromium", 7160.0, 449.0, 93.7, polished=0.10),
    "gold": _listed(METALS, "Gold", 19300.0, 129.0, 317.0, polished=0.03),
    "iron": _listed(METALS, "Iron", 7870.0, 447.0, 80.2),
    "steel": _listed(METALS, "Plain carbon steel", 7854.0, 434.0, 60.5),
    "chromium_steel": _listed(METALS, "Low-alloy steel with ½ % chromium", 7822.0, 444.0, 37.7),
    "stainless_302": _listed(METALS, "Stainless steel 302", 8055.0, 480.0, 15.1, polished=0.17, cleaned=0.22),
    "stainless": _listed(METALS, "Stainless steel", 7900.0, 477.0, 14.9, polished=0.17, cleaned=0.22),
    "stainless_316": _listed(METALS, "Stainless steel 316", 8238.0, 468.0, 13.4, polished=0.17, cleaned=0.22),
    "stainless_347": _listed(METALS, "Stainless steel 347", 7978.0, 480.0, 14.2, polished=0.17, cleaned=0.22),
    "lead": _listed(METALS, "Lead", 11340.0, 129.0, 35.3),
    "magnesium": _listed(METALS, "Magnesium", 1740.0, 1024.0, 156.0),
    "molybdenum": _listed(METALS, "Molybdenum", 10240.0, 251.0, 138.0),
    "nickel": _listed(METALS, "Nickel", 8900.0, 444.0, 90.7),
    "platinum": _listed(METALS, "Platinum", 21450.0, 133.0, 71.6),
    "silver": _listed(METALS, "Silver", 10500.0, 235.0, 429.0, polished=0.02),
    "tantalum": _listed(METALS, "Tantalum", 16600.0, 140.0, 57.5),
    "tin": _listed(METALS, "Tin", 7310.0, 227.0, 66.6),
    "titanium": _listed(METALS, "Titanium", 4500.0, 522.0, 21.9),
    "tungsten": _listed(METALS, "Tungsten", 19300.0, 132.0, 174.0),
    "zinc": _listed(METALS, "Zinc", 7140.0, 389.0, 116.0),
    "silicon": _listed(METALS, "Silicon", 2330.0, 712.0, 148.0),
    "germanium": _listed(METALS, "Germanium", 5360.0, 322.0, 59.9),
    "alumina": _listed(OTHERS, "Aluminium oxide, polycrystalline", 3970.0, 765.0, 36.0),
    "silicon_carbide": _listed(OTHERS, "Silicon carbide", 3160.0, 675.0, 490.0),
    "fused_silica": _listed(OTHERS, "Silica, fused", 2220.0, 745.0, 1.38),
    "titania": _listed(OTHERS, "Titanium dioxide", 4157.0, 710.0, 8.4),
    "glass": _listed(BUILDING, "Glass", 2500.0, 750.0, 1.4, window=0.92),
    "borosilicate": _listed(BUILDING, "Borosilicate glass", 2225.0, 835.0, 1.4),
    "acrylic": _listed(PLASTICS, "Acrylic glass", 1180.0, 1470.0, 0.19),
    "polyethylene": _listed(PLASTICS, "Polyethylene", 950.0, 1900.0, 0.42),
    "rubber": _listed(BUILDING, "Rubber, soft", 1100.0, 2010.0, 0.13),
    "brick": _listed(BUILDING, "Brick", 1920.0, 835.0, 0.72, red=0.94),
    "concrete": _listed(BUILDING, "Concrete", 2300.0, 880.0, 1.4, rough=0.90),
    "mortar": _listed(BUILDING, "Cement mortar", 1860.0, 780.0, 0.72),
    "softwood": _listed(BUILDING, "Softwood", 510.0, 1380.0, 0.12, planed=0.87),
    "hardwood": _listed(BUILDING, "Hardwood", 720.0, 1255.0, 0.16, planed=0.87),
    "plywood": _listed(BUILDING, "Plywood", 545.0, 1215.0, 0.12, planed=0.87),
    "cork": _listed(BUILDING, "Cork board", 120.0, 1800.0, 0.039),
    "granite": _listed(BUILDING, "Granite", 2630.0, 775.0, 2.79, rough=0.92),
    "limestone": _listed(BUILDING, "Limestone", 2320.0, 810.0, 2.15, rough=0.92),
    "marble": _listed(BUILDING, "Marble", 2680.0, 830.0, 2.80, rough=0.92),
    "sandstone": _listed(BUILDING, "Sandstone", 2150.0, 745.0, 2.90, rough=0.92),
    "sand": _listed(BUILDING, "Sand", 1515.0, 800.0, 0.27, loose=0.90),
    "soil": _listed(BUILDING, "Soil", 2050.0, 1840.0, 0.52, loose=0.94),
    "clay": _listed(BUILDING, "Clay", 1460.0, 880.0, 1.3),
    "ice": _listed(BUILDING, "Ice, at 0 °C", 920.0, 2040.0, 1.88, smooth=0.97),
    "paper": _listed(BUILDING, "Paper", 930.0, 1340.0, 0.18, white=0.95),
    "paraffin": _listed(BUILDING, "Paraffin", 900.0, 2890.0, 0.24),
    "glass_wool": _listed(BUILDING, "Glass wool, duct liner", 32.0, 835.0, 0.038),
    "polystyrene": _listed(BUILDING, "Polystyrene foam, extruded", 55.0, 1210.0, 0.027),
    "urethane_foam": _listed(BUILDING, "Urethane foam, rigid", 70.0, 1045.0, 0.026),
    "foam_glass": _listed(BUILDING, "Foamed glass", 145.0, 1000.0, 0.058),
}  # fmt: skip

PAINTS = (("painted black", 0.98), ("painted white", 0.90))
SOLIDS = {name: listed.solid for name, listed in LISTED.items()}


def solid_of(said: Resolved, path: str, problems: list[Problem]) -> Solid | None:
    """The solid of a resolved statement, or None, with the reason in `problems` where that is not a missing value."""
    if said.kind != "solid":
        return own_solid(said)
    if said.substance not in SOLIDS:
        hint = nearest(said.substance, SOLIDS)
        problems.append(Problem(f"{path}/substance", f"'{said.substance}' is no solid of the library: {hint}"))
    return SOLIDS.get(said.substance)
