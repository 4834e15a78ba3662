"""What a tape is: the fold from entries to state, the job file and its schema."""
