"""Layouts, one file each."""
