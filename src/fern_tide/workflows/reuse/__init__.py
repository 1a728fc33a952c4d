"""Reuse: recipes of a project and of the library."""
