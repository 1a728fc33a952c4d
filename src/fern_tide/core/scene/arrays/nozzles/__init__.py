"""Nozzles: what drops leave from, one file each."""
