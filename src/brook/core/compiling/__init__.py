"""Compiled loops: how they are written, kept between starts, and made ready on several cores before they are asked for."""
