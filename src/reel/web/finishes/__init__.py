"""Finishes: a take put right, as a line from a take to a new file."""
