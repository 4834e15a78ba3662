"""Deciding on a repair, fitting it and proving it."""
