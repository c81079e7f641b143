"""Fields in files that other programs read. A new kind is a module here and a line in `FIELD_FORMATS`."""

from brook.core.results.files import cgns, vtkhdf, vtu
from brook.core.results.files.base import (
    OF,
    FieldFormat,
    Moment,
    Series,
    cell_values,
    dimensions_of,
    patch_values,
)
from brook.core.results.files.vtu import write_vtu

FIELD_FORMATS = {
    f.suffix: f
    for f in (
        FieldFormat("vtu", "VTU (XML)", "application/xml", vtu.write),
        FieldFormat("vtkhdf", "VTKHDF (HDF5)", "application/x-hdf5", vtkhdf.write),
        FieldFormat("cgns", "CGNS (HDF5)", "application/x-hdf5", cgns.write, of=("cells",)),
    )
}

__all__ = [
    "FIELD_FORMATS",
    "OF",
    "FieldFormat",
    "Moment",
    "Series",
    "cell_values",
    "dimensions_of",
    "patch_values",
    "write_vtu",
]
