"""A step, a clean-up, a part, a format and a check for Fern Tide, brought by a package of their own."""
