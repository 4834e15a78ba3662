"""What ./piston bench prints: the reasoning, the recordings, the pages."""
