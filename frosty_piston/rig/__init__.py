"""Simulated instruments and the invented demo world: stand-ins for everything outside."""
