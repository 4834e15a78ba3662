"""What is still to do on the jobs of a workshop, laid out over the day."""
