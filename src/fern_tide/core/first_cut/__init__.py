"""A first cut: mappings proposed from what a sound and a scene are, each with its reason."""
