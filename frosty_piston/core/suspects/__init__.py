"""Faults, findings, odds and the next best test: exact inference over small sets of faults."""
