"""Rules and computation of the trade: pure functions over numbers, no files, no clock, no framework."""
