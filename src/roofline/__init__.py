"""Roof Line: from a photograph to a camera move of which one knows, frame by frame, whether the picture held."""

__version__ = "0.1.0"
