"""One file a rule: what in a sound could move what in a scene, and why."""
