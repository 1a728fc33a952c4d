"""A step and a check for Fern Tide, brought by a package of their own."""
