"""Exercises on simulated vehicles: begun, gone on with, looked back on, shared."""
