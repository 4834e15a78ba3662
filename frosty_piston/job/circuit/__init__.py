"""The vacuum circuit of a job: its list, the search for the leak in it, and editing it."""
