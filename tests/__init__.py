"""The tests, laid out like the rooms they test."""
