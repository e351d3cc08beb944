"""Recipes that are kept under a name."""
