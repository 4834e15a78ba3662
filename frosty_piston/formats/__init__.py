"""What goes out in open formats: the report."""
