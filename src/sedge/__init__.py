"""Sedge, the working desk of a telephony number administrator."""

__version__ = "0.1.0"
