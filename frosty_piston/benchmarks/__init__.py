"""What ./piston bench prints: the reasoning, the recordings, the trust in it, the pages."""
