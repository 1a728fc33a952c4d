"""A project moved by a sound that is still coming: levels, lifts and curves, frame by frame."""
