"""Bringing in: sounds, scenes and the demo; and another file in the place of one."""
