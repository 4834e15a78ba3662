"""A job is its tape: the entries, the fold from tape to state, the job file and the assessment."""
