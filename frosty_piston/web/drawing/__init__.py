"""Drawings of the pages as shapes and paths; nothing here knows of requests."""
