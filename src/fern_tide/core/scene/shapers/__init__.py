"""Shapers, one file each."""
