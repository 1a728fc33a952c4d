"""A track's sound to one level per frame: a reading, then its clean-up."""
