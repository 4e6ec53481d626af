"""Amber Thicket: photographs in, checked and tileable map sets out."""

__version__ = "0.1.0"
