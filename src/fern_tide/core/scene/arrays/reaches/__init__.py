"""Shapes of a reach, one file each."""
