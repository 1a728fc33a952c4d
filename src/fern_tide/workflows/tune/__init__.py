"""Tuning: edits, aims, parts, beats, reasons, and what is heard and seen meanwhile."""
