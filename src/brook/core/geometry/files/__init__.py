"""Files of surfaces: one module a format, each with `read` and `write`."""

from brook.core.geometry.files.base import FileError, FileFormat
from brook.core.geometry.files.registry import FORMATS, file_colours, format_of, read_file, write_file

__all__ = ["FORMATS", "FileError", "FileFormat", "file_colours", "format_of", "read_file", "write_file"]
