"""Calculators without a job."""
