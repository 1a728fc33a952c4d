"""The job's rules and computation: arrays and frozen models, with no interface, database, path, clock or network."""

STAGES = ("sound", "envelope", "mapping", "scene", "bake", "formats")
