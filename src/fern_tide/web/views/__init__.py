"""What the rooms show, worked out from a revision and from what is selected: typed, with no request."""
