"""Shapes: what the document says, made into closed outlines with named patches, or into triangle surfaces."""
