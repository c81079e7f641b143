"""A study as one file: written, read with nothing believed, and taken into another data folder."""
