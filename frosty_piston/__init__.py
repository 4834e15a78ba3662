"""Frosty Piston keeps the thread of a diesel diagnosis, from arrival to proof."""

__version__ = "0.1.0"
