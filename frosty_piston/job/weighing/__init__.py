"""From what was found to odds: evidence, suspects, and the tests that are worth making."""
