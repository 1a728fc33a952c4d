"""Curves and scenes to and from open formats, one file each."""
