"""Mappings and a scene to curves; curves to keys, checks and reasons for a new bake."""
